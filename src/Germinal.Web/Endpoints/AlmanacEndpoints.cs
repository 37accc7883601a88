using Germinal.Core.Almanac;
using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Almanac;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Service.Today;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>The almanac: what is coming.</summary>
public static class AlmanacEndpoints
{
    /// <summary>What can be done with all of a group.</summary>
    private static readonly string[] Ways = ["hold", "release", "drop", "move"];

    /// <param name="Date">The day, as <c>YYYY-MM-DD</c>.</param>
    /// <param name="Program">The program.</param>
    /// <param name="Step">The step whose messages are meant.</param>
    /// <param name="How">hold, release, drop or move.</param>
    /// <param name="To">Where they are moved: the day to; null for anything else.</param>
    public sealed record GroupBody([AtMost(10)] string Date, Guid Program, [AtMost(Lengths.Name)] string Step, [AtMost(10)] string How, [AtMost(10)] string? To = null);

    /// <param name="Person">Whom it is about.</param>
    /// <param name="Touch">The touch.</param>
    public sealed record TouchOf(Guid Person, Guid Touch);

    /// <summary>What was done with a group, and what takes it back.</summary>
    /// <param name="Count">How many it is about.</param>
    /// <param name="Touches">Which.</param>
    /// <param name="Events">The lines of the log; a drop is taken back by them.</param>
    /// <param name="Before">The day to which they had been moved before; null where that was their own.</param>
    public sealed record GroupDone(int Count, IReadOnlyList<TouchOf> Touches, IReadOnlyList<long> Events, string? Before);

    /// <param name="How">What was done with them.</param>
    /// <param name="Touches">Which, as it was answered.</param>
    /// <param name="Events">The lines of the log.</param>
    /// <param name="Before">The day to which they had been moved before.</param>
    public sealed record UndoGroupBody([AtMost(10)] string How, [AtMost(0, Items = MostOfGroup)] List<TouchOf> Touches, [AtMost(0, Items = MostOfGroup)] List<long> Events, [AtMost(10)] string? Before = null);

    /// <param name="Count">For how many it was taken back.</param>
    /// <param name="TooLate">For how many something else has happened since.</param>
    public sealed record GroupUndone(int Count, int TooLate);

    /// <summary>What comes, as it is or with a program laid over it.</summary>
    /// <param name="WhatIf">The program, as it is being written; null for what comes as it is.</param>
    /// <param name="Room">What comes as it is.</param>
    /// <param name="Laid">What comes with the program.</param>
    /// <param name="Desk">Says what is wrong with it.</param>
    public readonly record struct Looked(Guid? WhatIf, AlmanacRoom Room, AlmanacWhatIf Laid, ProgramDesk Desk)
    {
        /// <param name="db">A context of the practice.</param>
        /// <param name="stop">Gives up.</param>
        /// <returns>What comes; or why that cannot be said.</returns>
        public async Task<(Foreseen? Foreseen, string? Problem)> AtAsync(GerminalDb db, CancellationToken stop)
        {
            if (WhatIf is not { } id)
            {
                return (await Room.OfAsync(db, stop), null);
            }

            if (await ProgramEndpoints.DraftAsync(db, id, stop) is not { } draft)
            {
                return (null, Said("This program is not here any more. Lay another over the almanac, or none."));
            }

            return (await Desk.FindingsAsync(db, id, draft.Program, stop)).FirstOrDefault(f => !f.IsWarning) is { } wrong
                ? (null, Say($"“{draft.Row.Name}” could not be switched on yet: {wrong.Message} Put that right on its page, then lay it over the almanac again."))
                : (await Laid.OfAsync(db, id, draft.Row.DraftNumber, draft.Program, stop), null);
        }
    }

    /// <summary>From how many days on something is far, where nobody says otherwise.</summary>
    private const int FarDays = 90;

    /// <summary>The most of one group that are dealt with at once.</summary>
    private const int MostOfGroup = 20_000;

    public static void Map(IEndpointRouteBuilder app)
    {
        var almanac = app.MapGroup("/api/almanac").WithTags("almanac").RequireAuthorization(Rights.Work);
        almanac.MapGet("", Read);
        almanac.MapGet("/names", Names);
        almanac.MapGet("/forgotten", ReadForgotten);
        almanac.MapPost("/group", DoGroup);
        almanac.MapPost("/group/undo", UndoGroup);
    }

    private static async Task<Results<Ok<AlmanacDto>, ProblemHttpResult>> Read(
        string? from,
        int? days,
        [AsParameters] AlmanacFilter filter,
        [AsParameters] Looked looked,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        if (from is not null && Dates.TryParse(from) is null)
        {
            return NoDate(from);
        }

        var (foreseen, problem) = await looked.AtAsync(db, stop);
        if (foreseen is null)
        {
            return Problems.PutRight(problem!);
        }

        return TypedResults.Ok(await AlmanacReading.ReadAsync(db, foreseen, Dates.TryParse(from), days ?? 14, filter, caller.Id, await PracticeClock.NowAsync(db, stop), stop));
    }

    /// <summary>The names of a group; without a step, of a day's calls.</summary>
    private static async Task<Results<Ok<AlmanacNames>, ProblemHttpResult>> Names(
        string date,
        Guid? ofProgram,
        string? step,
        [AsParameters] AlmanacFilter filter,
        [AsParameters] Looked looked,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        if (Dates.TryParse(date) is not { } day)
        {
            return NoDate(date);
        }

        var (foreseen, problem) = await looked.AtAsync(db, stop);
        if (foreseen is null)
        {
            return Problems.PutRight(problem!);
        }

        var of = ofProgram is { } program && step is not null ? (program, step) : ((Guid, string)?)null;
        return TypedResults.Ok(await AlmanacReading.NamesAsync(db, foreseen, day, of, filter, caller.Id, await PracticeClock.NowAsync(db, stop), stop));
    }

    /// <summary>Those with nothing to come, only far things, or only what cannot reach them.</summary>
    private static async Task<Results<Ok<ForgottenDto>, ProblemHttpResult>> ReadForgotten(
        string? kind,
        Guid? owner,
        int? farDays,
        GerminalDb db,
        AlmanacRoom room,
        CancellationToken stop
    ) =>
        Forgotten.Kinds.Contains(kind ?? "nothing")
            ? TypedResults.Ok(await Forgotten.ReadAsync(db, await room.OfAsync(db, stop), kind ?? "nothing", owner, Math.Clamp(farDays ?? FarDays, 1, 366), await PracticeClock.NowAsync(db, stop), stop))
            : Problems.PutRight(Say($"“{kind}” is no kind of them; {string.Join(", ", Forgotten.Kinds)} are."));

    /// <summary>Holds, releases, drops or moves everything of one step on one day.</summary>
    private static async Task<Results<Ok<GroupDone>, ProblemHttpResult>> DoGroup(GroupBody body, GerminalDb db, AlmanacRoom room, Caller caller, CancellationToken stop)
    {
        if (Dates.TryParse(body.Date) is not { } day)
        {
            return NoDate(body.Date);
        }

        if (!Ways.Contains(body.How))
        {
            return NoWay(body.How);
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var foreseen = await room.OfAsync(db, stop);
        if (body.How == "move" && (body.To is null ? Said("Say to which day.") : TouchMoves.Problem(body.To, now.InZone(foreseen.Engine.Practice.Zone).Date)) is { } problem)
        {
            return Problems.PutRight(problem);
        }

        var group = AlmanacReading.Group(foreseen, day, (body.Program, body.Step));
        var wanted = group
            .Where(t =>
                body.How switch
                {
                    "hold" => t.Standing == Standing.Goes,
                    "release" => t.Standing == Standing.Held,
                    _ => t.Standing != Standing.WillNot,
                }
            )
            .Take(MostOfGroup)
            .ToList();
        var touches = wanted.ConvertAll(t => (t.PersonId, t.TouchId));
        var events = await HoldMany.SayAsync(db, touches, Says(body.How, Dates.TryParse(body.To), now), caller.Name, stop);
        return TypedResults.Ok(new GroupDone(events.Count, [.. touches.Select(t => new TouchOf(t.PersonId, t.TouchId))], events, wanted.Exists(t => t.IsMoved) ? day.Iso() : null));
    }

    /// <summary>Takes back what was done with a group.</summary>
    private static async Task<Results<Ok<GroupUndone>, ProblemHttpResult>> UndoGroup(UndoGroupBody body, GerminalDb db, Engines engines, Caller caller, CancellationToken stop)
    {
        if (!Ways.Contains(body.How))
        {
            return NoWay(body.How);
        }

        if (body.Before is not null && Dates.TryParse(body.Before) is null)
        {
            return NoDate(body.Before);
        }

        var now = await PracticeClock.NowAsync(db, stop);
        if (body.How != "drop")
        {
            var back = body.How switch
            {
                "hold" => "release",
                "release" => "hold",
                _ => body.How,
            };
            var said = await HoldMany.SayAsync(db, body.Touches.ConvertAll(t => (t.Person, t.Touch)), Says(back, Dates.TryParse(body.Before), now), caller.Name, stop);
            return TypedResults.Ok(new GroupUndone(said.Count, body.Touches.Count - said.Count));
        }

        // A drop has led each of them on; each is put back by itself, as far as nothing has built on it.
        var undo = new EventUndo(db, engines, caller.Name);
        var people = await db.Events.AsNoTracking().Where(e => body.Events.Contains(e.Id)).Select(e => new { e.Id, e.PersonId }).ToListAsync(stop);
        var count = 0;
        foreach (var one in people)
        {
            count += await undo.TakeBackAsync(one.PersonId, one.Id, Said("a message was dropped"), stop) is null ? 1 : 0;
            db.ChangeTracker.Clear();
        }

        return TypedResults.Ok(new GroupUndone(count, body.Events.Count - count));
    }

    private static Happening Says(string how, LocalDate? to, Instant now) =>
        how switch
        {
            "hold" => new TouchMarked(now, Guid.Empty, TouchMark.Held),
            "drop" => new TouchMarked(now, Guid.Empty, TouchMark.Dropped),
            "move" => new TouchMovedTo(now, Guid.Empty, to),
            _ => new TouchMarked(now, Guid.Empty, null),
        };

    private static ProblemHttpResult NoWay(string how) => Problems.PutRight(Say($"“{how}” is nothing that can be done with them; {string.Join(", ", Ways)} are."));

    private static ProblemHttpResult NoDate(string text) => Problems.PutRight(Say($"“{text}” is no date. Write it like 2027-03-09."));
}
