using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Import;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A list, how it came to be, and who asks for it.</summary>
public sealed record ListDto(string Name, int People, string? From, string? By, string? CreatedAt, IReadOnlyList<string> Uses);

/// <summary>Lists: people kept together by hand, or as they were at a moment.</summary>
public static class ListEndpoints
{
    private const int LongestName = 80;

    /// <param name="Name">The name of a new list.</param>
    /// <param name="Ids">The people it begins with, by their ids.</param>
    /// <param name="Matching">Or everybody who matches now.</param>
    public sealed record NewListBody(
        [AtMost(Lengths.Name)] string Name,
        [AtMost(40, Items = 10_000)] IReadOnlyList<Guid>? Ids = null,
        PeopleFilter? Matching = null
    );

    /// <summary>For how many it was something new, and the act by which it is taken back; none where that is nobody.</summary>
    public sealed record ListMade(string Name, int Count, Guid? Act);

    public static void Map(IEndpointRouteBuilder app)
    {
        var lists = app.MapGroup("/api/lists").WithTags("lists").RequireAuthorization(Rights.Work);
        lists.MapGet("", async (GerminalDb db, CancellationToken stop) => (await ListDesk.AllAsync(db, stop)).Select(Dto).ToList());
        lists.MapPost("", Make);
        lists.MapDelete("", Remove);
    }

    private static ListDto Dto(KeptList l) => new(l.Name, l.People, l.From, l.By, l.CreatedAt?.Iso(), l.Uses);

    /// <summary>A new list with those who are meant on it; each of them joins it as an event like any other.</summary>
    private static async Task<Results<Ok<ListMade>, ValidationProblem, ProblemHttpResult>> Make(
        NewListBody body,
        GerminalDb db,
        Engines engines,
        Caller caller,
        CancellationToken stop
    )
    {
        var name = CellReading.Clean(body.Name);
        if (name.Length is 0 or > LongestName || name.Contains(';', StringComparison.Ordinal))
        {
            return Problems.Field("name", Say($"A list needs a name, at most {LongestName} letters, without a semicolon."));
        }

        if ((await ListDesk.AllAsync(db, stop)).FirstOrDefault(l => string.Equals(l.Name, name, StringComparison.OrdinalIgnoreCase)) is { } there)
        {
            return Problems.Conflict(Say($"There is a list “{there.Name}” already. Give this one another name, or put people on that one."));
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var ids = body.Ids ?? [];
        Guid[] people = body.Matching is { } matching
            ? await (await PeopleEndpoints.FilteredAsync(db, engines, caller, matching, stop)).OrderBy(p => p.Id).Select(p => p.Id).ToArrayAsync(stop)
            : await db.People.Where(p => ids.Contains(p.Id)).OrderBy(p => p.Id).Select(p => p.Id).ToArrayAsync(stop);
        var segment = body.Matching?.Segment is { } id
            ? await db.Segments.Where(s => s.Id == id && (s.MemberId == null || s.MemberId == caller.Id)).Select(s => s.Name).FirstOrDefaultAsync(stop)
            : null;
        var from = segment is not null ? Say($"the segment “{segment}”") : body.Matching is not null ? Said("everybody who fitted") : people.Length > 0 ? Said("people who were picked") : null;
        await ListNames.EnsureAsync(db, [name], caller.Name, from, now, stop);
        var (act, count) = people.Length == 0 ? (null, 0) : await new Acts(db, caller.Name, now).DoAsync(ActKind.Join, name, people, stop);
        return TypedResults.Ok(new ListMade(name, count, act));
    }

    /// <summary>Takes a list away: everybody leaves it, as an act that can be taken back. One that is asked for stays.</summary>
    private static async Task<Results<Ok<ListMade>, NotFound, ProblemHttpResult>> Remove(string name, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if ((await ListDesk.AllAsync(db, stop)).FirstOrDefault(l => string.Equals(l.Name, name.Trim(), StringComparison.OrdinalIgnoreCase)) is not { } list)
        {
            return TypedResults.NotFound();
        }

        if (list.Uses.Count > 0)
        {
            return Problems.Conflict(Say($"“{list.Name}” is asked for by {string.Join(", ", list.Uses.Select(u => $"“{u}”"))}. Take it out there first."));
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var people = await db
            .Database.SqlQuery<Guid>(
                $"SELECT id AS \"Value\" FROM people WHERE practice_id = {db.PracticeId} AND rule_fold_all(lists) @> ARRAY[rule_fold({list.Name})] ORDER BY id"
            )
            .ToArrayAsync(stop);
        var (act, count) = people.Length == 0 ? (null, 0) : await new Acts(db, caller.Name, now).DoAsync(ActKind.Leave, list.Name, people, stop);
        await db.Lists.Where(l => l.Name == list.Name).ExecuteDeleteAsync(stop);
        return TypedResults.Ok(new ListMade(list.Name, count, act));
    }
}
