using System.Text.Json;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Rules;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Segments;

/// <summary>Something about a rule a member should know.</summary>
/// <param name="Pointer">The part of the rule, as a JSON pointer.</param>
/// <param name="Text">What is wrong and what would be right.</param>
/// <param name="Forbids">True where it cannot be saved so.</param>
public sealed record RuleFinding(string Pointer, string Text, bool Forbids);

/// <summary>Who a rule picks at a moment.</summary>
/// <param name="Count">How many.</param>
/// <param name="Sample">The first of them by name.</param>
public sealed record PickedPeople(int Count, IReadOnlyList<PersonRef> Sample);

/// <summary>Saved rules that pick people: reading, checking, counting, and who uses them.</summary>
public static class SegmentDesk
{
    private const int Sampled = 12;

    /// <summary>Reads a rule as it was written; what does not read, and what would make no sense, are findings.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="practice">The practice, with its saved segments.</param>
    /// <param name="name">What it is saved as, so that it cannot ask for itself; null where it is not saved.</param>
    /// <param name="json">The rule.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<(Rule? Rule, IReadOnlyList<RuleFinding> Findings)> ReadAsync(
        GerminalDb db,
        Practice practice,
        string? name,
        JsonElement json,
        CancellationToken stop
    )
    {
        var errors = new List<Finding>();
        var rule = RuleReader.Read(json, "", errors);
        if (rule is null || errors.Count > 0)
        {
            return (null, [.. errors.Select(e => new RuleFinding(e.Pointer, e.Message, true))]);
        }

        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        var own = OwnFields.Of(settings).Select(f => f.Key).ToHashSet(StringComparer.OrdinalIgnoreCase);
        var roles = Relations.Roles(settings).ToHashSet(StringComparer.OrdinalIgnoreCase);
        var findings = new List<RuleFinding>();
        foreach (var (leaf, pointer) in Leaves(rule, ""))
        {
            if (leaf.Known is { IsCustom: true } field && !own.Contains(field.Name))
            {
                findings.Add(new(pointer, Say($"“{field.Name}” is no field of the practice any more. It picks by what people still have there; choose another field, or take the sentence out."), false));
            }

            if (leaf.Known?.Role is { } role && !roles.Contains(role) && !await db.Relations.AnyAsync(r => r.Role == role || r.Back == role, stop))
            {
                findings.Add(new(pointer, Say($"Nobody is anybody’s “{role}” here."), false));
            }

            if (leaf.Field == RuleField.Segment)
            {
                findings.AddRange(
                    leaf.Values.Where(v => !practice.Segments.ContainsKey(v) && !Same(v, name))
                        .Select(v => new RuleFinding(pointer, Say($"There is no segment “{v}” of the practice. Choose one from the list."), true))
                );
            }
        }

        if (name is not null && Core.Rules.Segments.Circle(name, rule, practice.Segments) is { } way)
        {
            findings.Add(
                new("", Say($"It would ask for itself: {way.Append(name).Select(n => Say($"“{n}”")).Aggregate((asks, asked) => Say($"{asks} asks for {asked}"))}. Say here what is meant, without that segment."), true)
            );
        }

        return (rule, findings);
    }

    private static IEnumerable<(Leaf Leaf, string Pointer)> Leaves(Rule rule, string pointer) =>
        rule is Leaf leaf ? [(leaf, pointer)] : RuleWhy.Inside(rule, pointer).SelectMany(part => Leaves(part.Part, part.Pointer));

    /// <summary>Who a rule picks now: counted and sampled by the database.</summary>
    public static async Task<PickedPeople> PickAsync(GerminalDb db, Practice practice, Rule rule, Instant now, CancellationToken stop)
    {
        var people = db.InSegment(rule, practice.RulesAt(now)).AsNoTracking();
        var count = await people.CountAsync(stop);
        var sample = count == 0 ? [] : await people.OrderBy(p => p.SortName).ThenBy(p => p.Id).Take(Sampled).ToListAsync(stop);
        return new PickedPeople(count, [.. sample.Select(p => new PersonRef(p.Id, p.Name))]);
    }

    /// <summary>Why somebody is picked by a rule, or not; null where there is no such person.</summary>
    public static async Task<RuleReasons?> WhyAsync(
        GerminalDb db,
        Core.Engine.TouchEngine engine,
        Rule rule,
        Guid person,
        Instant now,
        CancellationToken stop
    )
    {
        if (await FactsReading.WholeAsync(db, person, stop) is not { } facts)
        {
            return null;
        }

        var state = await db.States.AsNoTracking().Where(s => s.PersonId == person).Select(s => s.State).SingleAsync(stop);
        var memory = engine.Remember(facts, Core.Engine.PersonStateJson.Read(state));
        return RuleWhy.Of(rule, facts, engine.Practice.RulesAt(now, () => memory));
    }

    /// <summary>Everything that asks for segments by name, read once: the programs as they are written now or are on, and the segments.</summary>
    /// <returns>By the name that is asked for, regardless of case: the names of those who ask.</returns>
    public static async Task<ILookup<string, string>> AskersAsync(GerminalDb db, CancellationToken stop)
    {
        var programs = (await ProgramTexts.AllAsync(db, stop)).SelectMany(p =>
            (ProgramFile.Read(p.Text).Program?.Rules ?? []).SelectMany(Core.Rules.Segments.AskedBy).Select(asked => (Asked: asked, By: p.Name))
        );
        var rows = await db.Segments.AsNoTracking().Select(s => new { s.Name, s.Rule }).ToListAsync(stop);
        var segments = rows.SelectMany(s => Core.Rules.Segments.AskedBy(SegmentShelf.Read(s.Rule)).Select(asked => (Asked: asked, By: s.Name)));
        return programs.Concat(segments).ToLookup(a => a.Asked, a => a.By, StringComparer.OrdinalIgnoreCase);
    }

    /// <summary>Who asks for a segment by name; one that a member keeps for themselves nobody can.</summary>
    public static IReadOnlyList<string> UsesOf(SegmentRow segment, ILookup<string, string> askers) =>
        segment.MemberId is not null ? [] : [.. askers[segment.Name].Distinct().Order(StringComparer.OrdinalIgnoreCase)];

    private static bool Same(string a, string? b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);
}
