using System.Globalization;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Import;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>What is done to one person or many as one act, looked at before, and taken back as one.</summary>
public static class ActEndpoints
{
    /// <summary>The people, each named or all that fit, and what is done to them.</summary>
    public sealed record ActBody(
        [AtMost(40, Items = 10_000)] IReadOnlyList<Guid>? Ids = null,
        PeopleFilter? Matching = null,
        [AtMost(Lengths.Name)] string? Tag = null,
        [AtMost(Lengths.Name)] string? Stage = null,
        [AtMost(Lengths.Name)] string? List = null,
        Guid? Owner = null,
        Guid? Program = null
    );

    /// <summary>For how many it was something new, and the act by which it is taken back; none where that is nobody.</summary>
    public sealed record Done(int Count, Guid? Act);

    public static void Map(IEndpointRouteBuilder app)
    {
        var people = app.MapGroup("/api/people").WithTags("acts").RequireAuthorization(Rights.Work);
        foreach (var kind in Enum.GetValues<ActKind>())
        {
            people.MapPost(
                $"/{Acts.WordOf(kind)}",
                async Task<Results<Ok<Done>, ValidationProblem>> (ActBody body, GerminalDb db, Engines engines, Caller caller, JournalNote note, CancellationToken stop) =>
                {
                    var (what, problem) = await WhatAsync(kind, body, db, stop);
                    if (problem is not null)
                    {
                        return problem;
                    }

                    var acts = await ActsOfAsync(db, caller, stop);
                    var (act, count) = await acts.DoAsync(kind, what, await PickedAsync(body, db, engines, caller, stop), stop);
                    note.IsAct(act);
                    note.Say(act is { } done && await acts.ReadAsync(done, stop) is { } state ? $"“{state.What}”, {People(count)}" : "nobody");
                    return TypedResults.Ok(new Done(count, act));
                }
            );
            people.MapPost(
                $"/{Acts.WordOf(kind)}/preview",
                async Task<Results<Ok<ActPreview>, ValidationProblem>> (
                    ActBody body,
                    GerminalDb db,
                    Engines engines,
                    Caller caller,
                    ManyPreview previews,
                    CancellationToken stop
                ) =>
                {
                    var (what, problem) = await WhatAsync(kind, body, db, stop);
                    return problem is not null
                        ? problem
                        : TypedResults.Ok(
                            await previews.OfAsync(db, kind, what, await PickedAsync(body, db, engines, caller, stop), await PracticeClock.NowAsync(db, stop), stop)
                        );
                }
            );
        }

        var acts = app.MapGroup("/api/acts/{id:guid}").WithTags("acts").RequireAuthorization(Rights.Work);
        acts.MapGet(
            "",
            async Task<Results<Ok<ActState>, NotFound>> (Guid id, GerminalDb db, Caller caller, CancellationToken stop) =>
                await (await ActsOfAsync(db, caller, stop)).ReadAsync(id, stop) is { } act
                    ? TypedResults.Ok(act)
                    : TypedResults.NotFound()
        );
        acts.MapPost("/undo", Undo);
    }

    private static async Task<Acts> ActsOfAsync(GerminalDb db, Caller caller, CancellationToken stop) =>
        new(db, caller.Name, await PracticeClock.NowAsync(db, stop));

    private static async Task<Results<Ok<ActUndone>, NotFound, ProblemHttpResult>> Undo(Guid id, GerminalDb db, Caller caller, JournalNote note, CancellationToken stop)
    {
        var acts = await ActsOfAsync(db, caller, stop);
        if (await acts.UndoAsync(id, stop) is { } undone)
        {
            note.IsAct(id);
            note.Say($"“{(await acts.ReadAsync(id, stop))?.What}”, {People(undone.People)}");
            return TypedResults.Ok(undone);
        }

        return await db.Acts.AnyAsync(a => a.Id == id, stop) ? Problems.Conflict(Said("It was taken back already.")) : TypedResults.NotFound();
    }

    internal static string People(int count) => count == 1 ? Said("one person") : Say($"{count.ToString("N0", CultureInfo.InvariantCulture)} people");

    /// <summary>Those who are meant; who belongs to another practice is nobody.</summary>
    private static async Task<Guid[]> PickedAsync(ActBody body, GerminalDb db, Engines engines, Caller caller, CancellationToken stop)
    {
        var ids = body.Ids ?? [];
        var people = body.Matching is { } m
            ? await PeopleEndpoints.FilteredAsync(db, engines, caller, m, stop)
            : db.People.AsNoTracking().Where(p => ids.Contains(p.Id));
        return await people.OrderBy(p => p.Id).Select(p => p.Id).ToArrayAsync(stop);
    }

    private static async Task<(string What, ValidationProblem? Problem)> WhatAsync(ActKind kind, ActBody body, GerminalDb db, CancellationToken stop)
    {
        if (body.Ids is null && body.Matching is null)
        {
            return ("", Problems.Field("ids", Said("Say whom it is for: people by their ids, or everybody who matches.")));
        }

        switch (kind)
        {
            case ActKind.Tag:
                var tag = CellReading.Clean(body.Tag ?? "");
                return tag.Length is 0 or > 60 || tag.Contains(';', StringComparison.Ordinal)
                    ? ("", Problems.Field("tag", Said("A tag is a word or a few, up to 60 letters, without a semicolon.")))
                    : (await TagNames.KnownAsync(db, tag, stop) ?? tag, null);
            case ActKind.Untag:
                var taken = CellReading.Clean(body.Tag ?? "");
                return (await TagNames.KnownAsync(db, taken, stop) ?? taken, null);
            case ActKind.Stage:
                var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
                return practice.Settings.HasStage(body.Stage)
                    ? (body.Stage!, null)
                    : ("", Problems.Field("stage", Say($"There is no stage “{body.Stage}”. Choose one from the list.")));
            case ActKind.Join:
            case ActKind.Leave:
                return string.IsNullOrWhiteSpace(body.List) || body.List.Trim().Length > 80
                    ? ("", Problems.Field("list", Said("A list needs a name, at most 80 letters.")))
                    : (body.List.Trim(), null);
            case ActKind.Owner:
                return await db.Users.AnyAsync(u => u.Id == body.Owner && u.PracticeId == db.PracticeId, stop)
                    ? (body.Owner!.Value.ToString(), null)
                    : ("", Problems.Field("owner", Said("There is no such member. Choose one from the list.")));
            case ActKind.Start:
                var program = await db.Programs.AsNoTracking().FirstOrDefaultAsync(p => p.Id == body.Program, stop);
                return program is null ? ("", Problems.Field("program", Said("There is no such program.")))
                    : program.Status != "on" ? ("", Problems.Field("program", Say($"“{program.Name}” is not on. Switch it on first.")))
                    : (program.Id.ToString(), null);
            default:
                throw new ArgumentOutOfRangeException(nameof(kind));
        }
    }
}
