using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>A line of the people list. Moments are ISO 8601 instants; null for never and none.</summary>
public sealed record PersonLine(
    Guid Id,
    string Name,
    string? Email,
    string? Stage,
    string? Owner,
    string? NextTouch,
    string? LastTouch,
    IReadOnlyList<string> Tags,
    bool DoNotContact,
    string? Mobile = null,
    string? Added = null
);

/// <summary>The people list and what is done to many at once.</summary>
public static class PeopleEndpoints
{
    public sealed record NewPerson(
        [AtMost(Lengths.Name)] string? FirstName = null,
        [AtMost(Lengths.Name)] string? LastName = null,
        [AtMost(500)] string? Email = null,
        [AtMost(Lengths.Name)] string? Mobile = null,
        bool Anyway = false
    );

    public sealed record Added(Guid Id);

    public sealed record Counted(int Count);

    public static void Map(IEndpointRouteBuilder app)
    {
        var people = app.MapGroup("/api/people").WithTags("people").RequireAuthorization(Rights.Work);
        people.MapGet("", List);
        people.MapGet(
            "/count",
            async (GerminalDb db, string? search, string? tag, string? stage, Guid? owner, CancellationToken stop) =>
                new Counted(await Filtered(db, search, tag, stage, owner).Take(10_001).CountAsync(stop))
        );
        people.MapPost("", Add);
    }

    /// <summary>What a caller does to people, at the practice's moment.</summary>
    internal static async Task<PeopleDesk> DeskAsync(GerminalDb db, Caller caller, CancellationToken stop) =>
        new(db, caller.Name, await PracticeClock.NowAsync(db, stop));

    /// <summary>
    /// Words of fewer letters are looked for at the beginning of names only: half the practice has them somewhere inside, and
    /// three letters are what the index of what stands inside is made of.
    /// </summary>
    private const int ShortestInside = 3;

    internal static IQueryable<PersonRow> Filtered(GerminalDb db, string? search, string? tag, string? stage, Guid? owner, string? list = null)
    {
        var people = db.People.AsNoTracking().Where(p => !p.Archived);
        foreach (var word in PersonNames.Fold(search ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries).Take(5))
        {
            var like = word.Replace("\\", "\\\\", StringComparison.Ordinal)
                .Replace("%", "\\%", StringComparison.Ordinal)
                .Replace("_", "\\_", StringComparison.Ordinal);
            people =
                word.Length == 2
                    ? people.Where(p =>
                        EF.Functions.Like(p.SortName, $"{like}%")
                        || EF.Functions.Like(p.FirstSort, $"{like}%")
                        || EF.Functions.Like(p.SearchText, $"% {like} %")
                    )
                : word.Length < ShortestInside
                    ? people.Where(p => EF.Functions.Like(p.SortName, $"{like}%") || EF.Functions.Like(p.FirstSort, $"{like}%"))
                    : people.Where(p => EF.Functions.Like(p.SearchText, $"%{like}%"));
        }

        if (!string.IsNullOrEmpty(tag))
        {
            var tags = new List<string> { tag };
            people = people.Where(p => p.Tags.Any(t => tags.Contains(t)));
        }

        if (!string.IsNullOrEmpty(list))
        {
            var lists = new List<string> { list };
            people = people.Where(p => p.Lists.Any(l => lists.Contains(l)));
        }

        people = string.IsNullOrEmpty(stage) ? people : people.Where(p => p.Stage == stage);
        return owner is null ? people : people.Where(p => p.OwnerId == owner);
    }

    /// <summary>A page of people. Sort: name, stage, owner, next, last; a minus in front turns it round.</summary>
    private static async Task<Page<PersonLine>> List(
        GerminalDb db,
        string? search,
        string? sort,
        string? tag,
        string? stage,
        Guid? owner,
        string? after,
        int? most,
        CancellationToken stop
    )
    {
        var take = Math.Clamp(most ?? 50, 1, 200);
        var people = Filtered(db, search, tag, stage, owner);
        var key = PageKey.TryRead(after);
        var down = sort?.StartsWith('-') == true;
        var by = sort?.TrimStart('-') ?? "name";

        // Everybody has a state, the database makes it; saying so lets the page come from its index.
        var withState = people.Where(p => p.State != null);
        people = by switch
        {
            "stage" => KeySorting.Apply(people, p => p.StageSort, key is null ? null : (key.Value, key.Id), down),
            "owner" => KeySorting.Apply(people, p => p.OwnerSort, key is null || !Guid.TryParse(key.Value, out var o) ? null : (o, key.Id), down),
            "next" => KeySorting.Apply(withState, p => p.State!.NextTouchAt, InstantOf(key), down),
            "last" => KeySorting.Apply(withState, p => p.State!.LastTouchAt, InstantOf(key), down),
            _ => KeySorting.Apply(people, p => p.SortName, key is null ? null : (key.Value, key.Id), down),
        };
        var rows = await people.Take(take + 1).Select(p => new ListedPerson(p, p.State!.NextTouchAt, p.State.LastTouchAt)).ToListAsync(stop);
        var owners = await db.Users.AsNoTracking().Where(m => m.PracticeId == db.PracticeId).ToDictionaryAsync(m => m.Id, m => m.Name, stop);
        var last = rows.Count > take ? rows[take - 1] : null;
        var next = last is null
            ? null
            : new PageKey(
                by switch
                {
                    "stage" => last.Person.StageSort,
                    "owner" => last.Person.OwnerSort.ToString(),
                    "next" => NodaTime.Text.InstantPattern.ExtendedIso.Format(Bounded(last.NextTouchAt)),
                    "last" => NodaTime.Text.InstantPattern.ExtendedIso.Format(Bounded(last.LastTouchAt)),
                    _ => last.Person.SortName,
                },
                last.Person.Id
            ).ToString();
        return new Page<PersonLine>([.. rows.Take(take).Select(p => Line(p, owners))], next);
    }

    // The beginning and the end of time have no ISO form; far enough away stands for them in a page key.
    private static Instant Bounded(Instant at) =>
        at == Instant.MaxValue ? Instant.FromUtc(9998, 1, 1, 0, 0)
        : at == Instant.MinValue ? Instant.FromUtc(1, 1, 1, 0, 0)
        : at;

    private static (Instant Value, Guid Id)? InstantOf(PageKey? key)
    {
        if (key is null || !NodaTime.Text.InstantPattern.ExtendedIso.Parse(key.Value).TryGetValue(default, out var at))
        {
            return null;
        }

        return (
            at == Instant.FromUtc(9998, 1, 1, 0, 0) ? Instant.MaxValue
            : at == Instant.FromUtc(1, 1, 1, 0, 0) ? Instant.MinValue
            : at,
            key.Id
        );
    }

    /// <summary>A person of a page with what the engine's row says of them; the rest of that row, which is long, stays where it is.</summary>
    private sealed record ListedPerson(PersonRow Person, Instant NextTouchAt, Instant LastTouchAt);

    private static PersonLine Line(ListedPerson listed, Dictionary<Guid, string> owners)
    {
        var (p, next, last) = listed;
        return new PersonLine(
            p.Id,
            p.Name,
            p.Email,
            p.Stage,
            p.OwnerId is { } o ? owners.GetValueOrDefault(o) : null,
            next == Instant.MaxValue ? null : next.Iso(),
            last == Instant.MinValue ? null : last.Iso(),
            p.Tags,
            p.DoNotContact,
            p.Mobile,
            p.AddedAt.Iso()
        );
    }

    /// <summary>A person's name, or what there is of it.</summary>
    private static async Task<Results<Ok<Added>, ValidationProblem>> Add(NewPerson body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var person = new PersonRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = caller.PracticeId,
            OwnerId = caller.Id,
        };
        var problems = await PersonEdit.ApplyAsync(db, person, new PersonFields(body.FirstName, body.LastName, body.Email, body.Mobile), stop);
        if (person.FirstName is null && person.LastName is null && person.Email is null && person.Mobile is null && problems.Count == 0)
        {
            problems.Add(("firstName", "Give at least a name, an email address or a mobile number."));
        }

        if (problems.Count > 0)
        {
            return Problems.Fields(problems);
        }

        if (!body.Anyway && await SamePerson.FindAsync(db, person, ["email", "mobile", "lastName"], stop) is { Count: > 0 } same)
        {
            return Problems.There(same);
        }

        var desk = await DeskAsync(db, caller, stop);
        person.AddedAt = desk.Now;
        db.People.Add(person);
        db.Events.Add(desk.NewEvent(person.Id, new Core.Engine.Added(person.AddedAt, person.Source)));
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(new Added(person.Id));
    }
}
