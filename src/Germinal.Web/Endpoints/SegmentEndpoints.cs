using System.Text.Json;
using Germinal.Core.Contact;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Rules;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Import;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Service.Segments;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Storage;

namespace Germinal.Web.Endpoints;

/// <summary>A saved segment.</summary>
/// <param name="Id">The segment.</param>
/// <param name="Name">Its name.</param>
/// <param name="Rule">The rule, as files write it.</param>
/// <param name="Mine">True where only the caller sees it.</param>
/// <param name="Edition">Counts its changes; a change names the one it was made from.</param>
/// <param name="Uses">The programs and segments that ask for it.</param>
public sealed record SegmentDto(Guid Id, string Name, JsonElement Rule, bool Mine, int Edition, IReadOnlyList<string> Uses);

/// <summary>A segment every practice can begin with.</summary>
public sealed record ReadySegmentDto(string Name, JsonElement Rule);

/// <summary>Who a rule picks now, and what is wrong with it; where it does not read, nobody.</summary>
public sealed record SegmentPreview(PickedPeople? Picked, IReadOnlyList<RuleFinding> Findings);

/// <summary>A value that people have somewhere, or a name a field goes on with, with its words and how often it is there.</summary>
public sealed record RuleChoice(string Value, string Words, int? Count = null);

/// <summary>Segments: saved rules that pick people (rule 16.1).</summary>
public static class SegmentEndpoints
{
    private const int LongestRule = 60_000;
    private const int MostOffered = 200;

    public sealed record RuleBody(JsonElement Rule, [AtMost(Lengths.Name)] string? Name = null);

    public sealed record WhyBody(JsonElement Rule, Guid Person);

    /// <param name="Name">Its name, once in the practice.</param>
    /// <param name="Rule">The rule.</param>
    /// <param name="Mine">True to keep it for oneself.</param>
    /// <param name="Edition">The edition it was made from; null for a new one.</param>
    public sealed record SaveBody([AtMost(Lengths.Name)] string Name, JsonElement Rule, bool Mine = false, int? Edition = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var segments = app.MapGroup("/api/segments").WithTags("segments").RequireAuthorization(Rights.Work);
        segments.MapGet("", List);
        segments.MapGet(
            "/{id:guid}",
            async Task<Results<Ok<SegmentDto>, NotFound>> (Guid id, GerminalDb db, Caller caller, CancellationToken stop) =>
                await Seen(db, caller).FirstOrDefaultAsync(s => s.Id == id, stop) is { } row ? TypedResults.Ok(await DtoAsync(db, row, stop)) : TypedResults.NotFound()
        );
        segments.MapPost("", Create);
        segments.MapPut("/{id:guid}", Save);
        segments.MapDelete("/{id:guid}", Delete);
        segments.MapGet("/ready", Ready);
        segments.MapPost("/preview", Preview);
        segments.MapPost("/why", Why);
        var rules = app.MapGroup("/api/rules").WithTags("segments").RequireAuthorization(Rights.Work);
        rules.MapGet("/states", () => PostalPlace.KnownStates.Select(s => new RuleChoice(s.Code, s.Name)).ToList());
        rules.MapGet("/values", Values);
        rules.MapGet("/names", Names);
    }

    /// <summary>Those of the practice, and the caller's own.</summary>
    private static IQueryable<SegmentRow> Seen(GerminalDb db, Caller caller) => db.Segments.Where(s => s.MemberId == null || s.MemberId == caller.Id);

    private static async Task<SegmentDto> DtoAsync(GerminalDb db, SegmentRow row, CancellationToken stop) => Dto(row, await SegmentDesk.AskersAsync(db, stop));

    private static SegmentDto Dto(SegmentRow row, ILookup<string, string> askers) =>
        new(row.Id, row.Name, JsonSerializer.Deserialize<JsonElement>(row.Rule), row.MemberId is not null, row.Edition, SegmentDesk.UsesOf(row, askers));

    private static async Task<IReadOnlyList<SegmentDto>> List(GerminalDb db, Caller caller, CancellationToken stop)
    {
        var askers = await SegmentDesk.AskersAsync(db, stop);
        return [.. (await Seen(db, caller).AsNoTracking().OrderBy(s => s.Name).ToListAsync(stop)).Select(row => Dto(row, askers))];
    }

    private static async Task<IReadOnlyList<ReadySegmentDto>> Ready(GerminalDb db, CancellationToken stop)
    {
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var review = settings.KeyDates.Find(d => d.Contains("review", StringComparison.OrdinalIgnoreCase)) ?? "yearly review";
        return
        [
            .. ReadySegments.Of(practice, review).Select(r => new ReadySegmentDto(r.Name, JsonSerializer.SerializeToElement(RuleReader.Write(r.Rule)))),
        ];
    }

    private static async Task<SegmentPreview> Preview(RuleBody body, GerminalDb db, Engines engines, CancellationToken stop)
    {
        var practice = (await engines.OfAsync(db, stop)).Engine.Practice;
        var (rule, findings) = await SegmentDesk.ReadAsync(db, practice, body.Name, body.Rule, stop);
        return new SegmentPreview(
            rule is null ? null : await SegmentDesk.PickAsync(db, practice, rule, await PracticeClock.NowAsync(db, stop), stop),
            findings
        );
    }

    private static async Task<Results<Ok<RuleReasons>, NotFound, ValidationProblem>> Why(
        WhyBody body,
        GerminalDb db,
        Engines engines,
        CancellationToken stop
    )
    {
        var engine = (await engines.OfAsync(db, stop)).Engine;
        var (rule, findings) = await SegmentDesk.ReadAsync(db, engine.Practice, null, body.Rule, stop);
        if (rule is null)
        {
            return Problems.Field("rule", findings[0].Text);
        }

        return await SegmentDesk.WhyAsync(db, engine, rule, body.Person, await PracticeClock.NowAsync(db, stop), stop) is { } why
            ? TypedResults.Ok(why)
            : TypedResults.NotFound();
    }

    /// <summary>What is to be saved, or what is wrong with it.</summary>
    private static async Task<(string Name, string Rule, ValidationProblem? Problem)> CheckAsync(
        SaveBody body,
        Guid? id,
        GerminalDb db,
        Engines engines,
        Caller caller,
        CancellationToken stop
    )
    {
        var name = CellReading.Clean(body.Name);
        if (name.Length is 0 or > 80)
        {
            return ("", "", Problems.Field("name", Said("A segment needs a name, at most 80 letters.")));
        }

#pragma warning disable CA1862, CA1304, CA1311, MA0011 // Translated to SQL's lower().
        if (await Seen(db, caller).AnyAsync(s => s.Id != id && s.Name.ToLower() == name.ToLower(), stop))
#pragma warning restore CA1862, CA1304, CA1311, MA0011
        {
            return ("", "", Problems.Field("name", Say($"There is a segment “{name}” already. Give this one another name.")));
        }

        if (body.Rule.GetRawText().Length > LongestRule)
        {
            return ("", "", Problems.Field("rule", Said("That is more than a segment holds. Make several, and ask for them from one another.")));
        }

        var practice = (await engines.OfAsync(db, stop)).Engine.Practice;
        var (rule, findings) = await SegmentDesk.ReadAsync(db, practice, name, body.Rule, stop);
        return findings.FirstOrDefault(f => f.Forbids) is { } wrong
            ? ("", "", Problems.Field("rule", wrong.Text))
            : (name, RuleReader.Write(rule!).ToJsonString(), null);
    }

    /// <summary>One change of segments at a time, so that names stay single and none comes to ask for itself.</summary>
    private static async Task<IDbContextTransaction> LockedAsync(GerminalDb db, CancellationToken stop)
    {
        var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.Database.ExecuteSqlAsync($"SELECT 1 FROM practices WHERE id = {db.PracticeId} FOR UPDATE", stop);
        return transaction;
    }

    private static async Task<Results<Ok<SegmentDto>, ValidationProblem>> Create(
        SaveBody body,
        GerminalDb db,
        Engines engines,
        Caller caller,
        CancellationToken stop
    )
    {
        await using var transaction = await LockedAsync(db, stop);
        var (name, rule, problem) = await CheckAsync(body, null, db, engines, caller, stop);
        if (problem is not null)
        {
            return problem;
        }

        var row = new SegmentRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = caller.PracticeId,
            Name = name,
            Rule = rule,
            MemberId = body.Mine ? caller.Id : null,
            CreatedAt = await PracticeClock.NowAsync(db, stop),
            By = caller.Name,
        };
        db.Segments.Add(row);
        await db.SaveChangesAsync(stop);
        await PracticeClock.ReadAnewAsync(db, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(await DtoAsync(db, row, stop));
    }

    private static async Task<Results<Ok<SegmentDto>, NotFound, ValidationProblem, ProblemHttpResult>> Save(
        Guid id,
        SaveBody body,
        GerminalDb db,
        Engines engines,
        Caller caller,
        CancellationToken stop
    )
    {
        await using var transaction = await LockedAsync(db, stop);
        if (await Seen(db, caller).FirstOrDefaultAsync(s => s.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (body.Edition != row.Edition)
        {
            return Problems.Conflict(Said("Somebody has changed this segment meanwhile. Load the page again; what you wrote is kept here until then."));
        }

        var (name, rule, problem) = await CheckAsync(body, id, db, engines, caller, stop);
        if (problem is not null)
        {
            return problem;
        }

        var uses = SegmentDesk.UsesOf(row, await SegmentDesk.AskersAsync(db, stop));
        if (uses.Count > 0 && (body.Mine || !string.Equals(name, row.Name, StringComparison.OrdinalIgnoreCase)))
        {
            return Problems.Conflict(
                Say($"{Listed(uses)} {uses.Count:asks|ask} for it by its name, so it keeps “{row.Name}” and stays the practice’s. Keep a copy under another name instead.")
            );
        }

        (row.Name, row.Rule, row.MemberId) = (name, rule, body.Mine ? caller.Id : null);
        row.Edition++;
        await db.SaveChangesAsync(stop);
        await SegmentSeeds.NoteChangeAsync(db, row.Name, await PracticeClock.NowAsync(db, stop), stop);
        await PracticeClock.ReadAnewAsync(db, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(await DtoAsync(db, row, stop));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Delete(Guid id, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await LockedAsync(db, stop);
        if (await Seen(db, caller).FirstOrDefaultAsync(s => s.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var uses = SegmentDesk.UsesOf(row, await SegmentDesk.AskersAsync(db, stop));
        if (uses.Count > 0)
        {
            return Problems.Conflict(Say($"{Listed(uses)} {uses.Count:asks|ask} for it. Change that first; then it can go."));
        }

        db.Segments.Remove(row);
        await db.SaveChangesAsync(stop);
        await PracticeClock.ReadAnewAsync(db, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    private static string Listed(IReadOnlyList<string> names) => ContactWords.Listed([.. names.Select(n => $"“{n}”")]);

    /// <summary>The values people have for a field of text, the most frequent first; empty for fields whose values are no such list.</summary>
    private static async Task<IReadOnlyList<RuleChoice>> Values(string field, GerminalDb db, CancellationToken stop)
    {
        var people = db.People.AsNoTracking().Where(p => !p.Archived);
        var texts = field switch
        {
            "city" => people.Select(p => p.City),
            "state" => people.Select(p => p.State),
            "postal-code" => people.Select(p => p.PostalCode),
            "country" => people.Select(p => p.Country),
            "source" => people.Select(p => p.Source),
            "lost-reason" => people.Select(p => p.LostReason),
            "lists" => people.SelectMany(p => p.Lists).Select(l => (string?)l),
            _ => null,
        };
        if (field == RuleField.Segment)
        {
            return await db.Segments.AsNoTracking().Where(s => s.MemberId == null).OrderBy(s => s.Name).Select(s => new RuleChoice(s.Name, s.Name, null)).ToListAsync(stop);
        }

        if (texts is null)
        {
            return [];
        }

        var found = await texts
            .Where(t => t != null && t != "")
            .GroupBy(t => t!)
            .Select(g => new { g.Key, Count = g.Count() })
            .OrderByDescending(g => g.Count)
            .ThenBy(g => g.Key)
            .Take(MostOffered)
            .ToListAsync(stop);
        var names = field == "state" ? PostalPlace.KnownStates.ToDictionary(s => s.Code, s => s.Name, StringComparer.Ordinal) : [];
        return [.. found.Select(f => new RuleChoice(f.Key, names.GetValueOrDefault(f.Key, f.Key), f.Count))];
    }

    /// <summary>What a field that asks for deeds or relations can go on with, after its colon: a program and its steps, a link, a form, a role.</summary>
    private static async Task<IReadOnlyList<RuleChoice>> Names(string field, GerminalDb db, ProgramDesk programs, CancellationToken stop)
    {
        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        IReadOnlyList<RuleChoice> Plain(IEnumerable<string> names) => [.. names.Select(n => new RuleChoice(n, n))];
        if (field == "relation")
        {
            return Plain(Relations.Roles(settings));
        }

        switch (Deed.Asked(field)?.Kind)
        {
            case DeedKind.Got or DeedKind.Opened:
                var drafts = await db.Programs.AsNoTracking().OrderBy(p => p.Name).Select(p => p.Draft).ToListAsync(stop);
                return
                [
                    .. drafts
                        .Select(d => ProgramFile.Read(d).Program)
                        .OfType<Core.Programs.ProgramDefinition>()
                        .SelectMany(p =>
                            p.AllSteps.Where(s => s.Channel is Channel.Email or Channel.Text)
                                .Select(s => new RuleChoice($"{p.Name}/{s.Id}", $"{p.Name}: {Short(s.Templates[0].Text)}"))
                                .Prepend(new RuleChoice(p.Name, Say($"{p.Name}: any message")))
                        ),
                ];
            case DeedKind.Started or DeedKind.Finished:
                return Plain(await db.Programs.AsNoTracking().OrderBy(p => p.Name).Select(p => p.Name).ToListAsync(stop));
            case DeedKind.Followed:
                return Plain(await ProgramDesk.LinkNamesAsync(db, null, stop));
            case DeedKind.Answered:
                return [.. Enum.GetValues<Channel>().Select(c => new RuleChoice(ContactWords.Of(c), $"by {ContactWords.Of(c)}"))];
            case DeedKind.Inquired:
                return Plain(
                    await db.Inquiries.AsNoTracking().Where(i => i.Form != null).Select(i => i.Form!).Distinct().OrderBy(f => f).Take(MostOffered).ToListAsync(stop)
                );
            case DeedKind.Met or DeedKind.Missed:
                return Plain(settings.AppointmentTypes);
            default:
                return [];
        }
    }

    private static string Short(string text) => text.Length <= 60 ? text : text[..57] + "…";
}
