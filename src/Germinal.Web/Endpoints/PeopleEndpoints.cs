using Germinal.Core.Files;
using Germinal.Core.Rules;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Segments;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>
/// A line of the people list. Moments are ISO 8601 instants; null for never and none. <c>Own</c> is what they have in fields of the practice's own,
/// by their keys.
/// </summary>
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
    IReadOnlyDictionary<string, string> Own,
    string? Mobile = null,
    string? Added = null
);

/// <summary>Who the list of people shows.</summary>
/// <param name="Search">Words of a name, address or number.</param>
/// <param name="Tag">A tag they have.</param>
/// <param name="Stage">The stage they stand in.</param>
/// <param name="Owner">The member who looks after them.</param>
/// <param name="List">A list they are on.</param>
/// <param name="Segment">A saved segment they are in; one that does not exist has nobody.</param>
/// <param name="Who">Anything the rule language can ask, as JSON; what is no rule is refused.</param>
public sealed record PeopleFilter(
    [AtMost(Lengths.Name)] string? Search = null,
    [AtMost(Lengths.Name)] string? Tag = null,
    [AtMost(Lengths.Name)] string? Stage = null,
    Guid? Owner = null,
    [AtMost(Lengths.Name)] string? List = null,
    Guid? Segment = null,
    [AtMost(Lengths.Rule)] string? Who = null
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

    /// <summary>Whom a file is to have: people by their ids, or all that match.</summary>
    public sealed record ExportBody([AtMost(40, Items = 10_000)] IReadOnlyList<Guid>? Ids = null, PeopleFilter? Matching = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var people = app.MapGroup("/api/people").WithTags("people").RequireAuthorization(Rights.Work);
        people.MapGet("", List);
        people.MapGet(
            "/count",
            async (
                GerminalDb db,
                Engines engines,
                Caller caller,
                string? search,
                string? tag,
                string? stage,
                Guid? owner,
                string? list,
                Guid? segment,
                string? who,
                CancellationToken stop
            ) =>
                new Counted(await (await FilteredAsync(db, engines, caller, new(search, tag, stage, owner, list, segment, who), stop)).Take(10_001).CountAsync(stop))
        );
        people.MapPost("", Add);
        people.MapPost("/export/{form}", Export).RequireAuthorization(Rights.ExportPeople);
    }

    /// <summary>People as a file: those named, or everybody who matches, in the order of their names.</summary>
    private static async Task<Results<FileStreamHttpResult, NotFound, ValidationProblem>> Export(
        string form,
        ExportBody body,
        GerminalDb db,
        Engines engines,
        Caller caller,
        HttpContext http,
        JournalNote note,
        CancellationToken stop
    )
    {
        if (!PeopleExport.Forms.TryGetValue(form, out var type))
        {
            return TypedResults.NotFound();
        }

        if (body.Ids is null && body.Matching is null)
        {
            return Problems.Field("ids", Said("Say who: people by their ids, or everybody who matches."));
        }

        var ids = body.Ids ?? [];
        var people = body.Matching is { } matching ? await FilteredAsync(db, engines, caller, matching, stop) : db.People.AsNoTracking().Where(p => ids.Contains(p.Id));
        var who = await people.OrderBy(p => p.SortName).ThenBy(p => p.Id).Select(p => p.Id).ToListAsync(stop);

        // Written out before it is sent, so that what goes wrong is an error and not half a file; it is gone with the answer.
        var file = new FileStream(
            Path.Combine(Path.GetTempPath(), Path.GetRandomFileName()),
            new FileStreamOptions
            {
                Mode = FileMode.CreateNew,
                Access = FileAccess.ReadWrite,
                Options = FileOptions.DeleteOnClose | FileOptions.Asynchronous,
                UnixCreateMode = UnixFileMode.UserRead | UnixFileMode.UserWrite,
            }
        );
        http.Response.RegisterForDispose(file);
        await PeopleExport.WriteAsync(db, who, form, file, stop);
        file.Position = 0;
        note.Say($"{ActEndpoints.People(who.Count)}, as {form}");
        return TypedResults.File(file, type, $"people.{form}");
    }

    /// <summary>What a caller does to people, at the practice's moment.</summary>
    internal static async Task<PeopleDesk> DeskAsync(GerminalDb db, Caller caller, CancellationToken stop) =>
        new(db, caller.Name, await PracticeClock.NowAsync(db, stop));

    /// <summary>
    /// Words of fewer letters are looked for at the beginning of names only: half the practice has them somewhere inside, and
    /// three letters are what the index of what stands inside is made of.
    /// </summary>
    private const int ShortestInside = 3;

    /// <summary>Those who fit; tag, list and segment are asked for as a rule asks.</summary>
    internal static async Task<IQueryable<PersonRow>> FilteredAsync(
        GerminalDb db,
        Engines engines,
        Caller caller,
        PeopleFilter filter,
        CancellationToken stop
    )
    {
        var parts = new List<Rule>();
        void Ask(string field, RuleOp op, string? value)
        {
            if (!string.IsNullOrEmpty(value))
            {
                parts.Add(new Leaf(field, op, [value]));
            }
        }

        Ask("tags", RuleOp.Has, filter.Tag);
        Ask("lists", RuleOp.Has, filter.List);
        var archivedToo = false;
        if (!string.IsNullOrEmpty(filter.Who))
        {
            var rule = RuleOf(filter.Who);
            archivedToo = rule.Asks(RuleField.Archived);
            parts.Add(rule);
        }

        if (filter.Segment is { } id)
        {
            var rule = await SegmentShelf.RuleAsync(db, id, caller.Id, stop);
            archivedToo |= rule.Asks(RuleField.Archived);
            parts.Add(rule);
        }

        var people = db.People.AsQueryable();
        if (parts.Count > 0)
        {
            var practice = (await engines.OfAsync(db, stop)).Engine.Practice;
            people = db.Matching(new AllOf(parts), practice.RulesAt(await PracticeClock.NowAsync(db, stop)));
        }

        people = archivedToo ? people : people.Where(p => !p.Archived);

        // Chosen from a list, in the practice's own spelling: plain columns, which their indexes know.
        people = string.IsNullOrEmpty(filter.Stage) ? people : people.Where(p => p.Stage == filter.Stage);
        people = filter.Owner is null ? people : people.Where(p => p.OwnerId == filter.Owner);
        return Found(people.AsNoTracking(), filter.Search);
    }

    /// <summary>A rule as it was asked for.</summary>
    /// <exception cref="NotReadableException">It is none; says what is wrong with it.</exception>
    private static Rule RuleOf(string json)
    {
        var errors = new List<Finding>();
        var rule = json.Length <= Lengths.Rule ? RuleReader.Read(json, errors) : null;
        return rule
            ?? throw new NotReadableException(Say($"Who is meant cannot be read: {string.Join(" ", errors.Select(e => e.Message).Take(3))}").TrimEnd());
    }

    /// <summary>Those among people who have every word in their name, address or number.</summary>
    private static IQueryable<PersonRow> Found(IQueryable<PersonRow> people, string? search)
    {
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

        return people;
    }

    /// <summary>A page of people. Sort: name, stage, owner, next, last; a minus in front turns it round.</summary>
    private static async Task<Page<PersonLine>> List(
        GerminalDb db,
        Engines engines,
        Caller caller,
        string? search,
        string? tag,
        string? stage,
        Guid? owner,
        string? list,
        Guid? segment,
        string? who,
        string? sort,
        string? after,
        int? most,
        CancellationToken stop
    )
    {
        var take = Math.Clamp(most ?? 50, 1, 200);
        var people = await FilteredAsync(db, engines, caller, new(search, tag, stage, owner, list, segment, who), stop);
        var key = PageKey.TryRead(after);
        var down = sort?.StartsWith('-') == true;
        var by = sort?.TrimStart('-') ?? "name";

        // Everybody has a state, the database makes it; saying so lets the page come from its index.
        var withState = people.Where(p => p.Memory != null);
        people = by switch
        {
            "stage" => KeySorting.Apply(people, p => p.StageSort, key is null ? null : (key.Value, key.Id), down),
            "owner" => KeySorting.Apply(people, p => p.OwnerSort, key is null || !Guid.TryParse(key.Value, out var o) ? null : (o, key.Id), down),
            "next" => KeySorting.Apply(withState, p => p.Memory!.NextTouchAt, InstantOf(key), down),
            "last" => KeySorting.Apply(withState, p => p.Memory!.LastTouchAt, InstantOf(key), down),
            _ => KeySorting.Apply(people, p => p.SortName, key is null ? null : (key.Value, key.Id), down),
        };
        var rows = await people.Take(take + 1).Select(p => new ListedPerson(p, p.Memory!.NextTouchAt, p.Memory.LastTouchAt)).ToListAsync(stop);
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
            p.Custom,
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
            problems.Add(("firstName", Said("Give at least a name, an email address or a mobile number.")));
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
