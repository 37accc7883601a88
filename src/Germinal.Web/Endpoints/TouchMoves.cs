using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>A touch that was moved to another day.</summary>
/// <param name="Before">The day to which it had been moved before; null where that was its own.</param>
/// <param name="At">When it goes now; null for a task that stands on the sheet.</param>
/// <param name="WillNot">Why it does not go on that day, such as its late limit; null where it does.</param>
public sealed record MovedDto(string? Before, string? At, string? WillNot);

/// <summary>Moving one message, call, note or task to another day.</summary>
public static class TouchMoves
{
    /// <summary>As far ahead as something can be moved.</summary>
    internal const int MostDaysAhead = 366;

    /// <param name="Person">Whom it is about.</param>
    /// <param name="To">The day, as <c>YYYY-MM-DD</c>; null takes the move back.</param>
    public sealed record MoveTouchBody(Guid? Person = null, [AtMost(10)] string? To = null);

    public static void Map(IEndpointRouteBuilder app) =>
        app.MapPost("/api/touches/{id:guid}/move", Move).WithTags("touches").RequireAuthorization(Rights.Work);

    /// <summary>Why something cannot be moved to a day; null where it can.</summary>
    internal static string? Problem(string? to, LocalDate today) =>
        to is null ? null
        : Dates.TryParse(to) is not { } day ? Say($"“{to}” is no date. Write it like 2027-03-09.")
        : day < today ? Say($"{to} is over. Choose today or a later day.")
        : day > today.PlusDays(MostDaysAhead) ? Say($"{to} is more than a year away. Choose an earlier day.")
        : null;

    private static async Task<Results<Ok<MovedDto>, NotFound, ProblemHttpResult>> Move(
        Guid id,
        MoveTouchBody body,
        GerminalDb db,
        ActNow acts,
        ProgramDesk programs,
        Caller caller,
        CancellationToken stop
    )
    {
        if (body.Person is not { } person || !await db.People.AnyAsync(p => p.Id == person, stop))
        {
            return TypedResults.NotFound();
        }

        var engine = await programs.EngineAsync(db, stop);
        var today = (await PracticeClock.NowAsync(db, stop)).InZone(engine.Practice.Zone).Date;
        if (Problem(body.To, today) is { } problem)
        {
            return Problems.PutRight(problem);
        }

        var known = await db.Touches.AsNoTracking().FirstOrDefaultAsync(t => t.Id == id, stop);
        if (known is not null && known.PersonId != person)
        {
            return TypedResults.NotFound();
        }

        var day = Dates.TryParse(body.To);
        LocalDate? before = null;
        var moved = await acts.TakeAsync(
            db,
            person,
            async now =>
            {
                var touch = await db.Touches.AsNoTracking().FirstOrDefaultAsync(t => t.Id == id, stop);
                before = touch?.MovedTo ?? ((await TouchEndpoints.StateOfAsync(db, person, stop)).Moves.TryGetValue(id, out var was) ? was : null);
                return touch is null or { Status: TouchStatus.Planned or TouchStatus.Open } ? new PeopleDesk(db, caller.Name, now).NewEvent(person, new TouchMovedTo(now, id, day)) : null;
            },
            stop
        );
        if (!moved)
        {
            return Problems.Conflict(Said("It has gone, is on its way, or cannot go as it is: what is settled or needs mending has no other day."));
        }

        // What becomes of it there, as things stand: beyond its late limit it would not go (rule 3.3).
        var clock = await PracticeClock.NowAsync(db, stop);
        var facts = (await FactsReading.LoadAsync(db, [person], stop, engine))[person];
        var horizon = (day ?? today).PlusDays(40).AtStartOfDayInZone(engine.Practice.Zone).ToInstant();
        var foreseen = Rehearsal.Of(engine, facts, await TouchEndpoints.StateOfAsync(db, person, stop), clock, horizon).FirstOrDefault(t => t.TouchId == id);
        return TypedResults.Ok(new MovedDto(before?.Iso(), foreseen?.At.Iso(), foreseen?.WillNot));
    }
}
