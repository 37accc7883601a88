using System.Globalization;
using Germinal.Core.Contact;

namespace Germinal.Core.Rules;

/// <summary>What one part of a rule comes to for one person.</summary>
/// <param name="Pointer">The part, as a JSON pointer into the rule; empty for the whole.</param>
/// <param name="Holds">Whether it holds.</param>
/// <param name="Found">What the person has there, for a leaf; empty where nothing is known.</param>
public sealed record RulePart(string Pointer, bool Holds, IReadOnlyList<string> Found);

/// <summary>Why somebody is picked by a rule, or not.</summary>
/// <param name="Holds">Whether they are.</param>
/// <param name="Parts">Every part, each before what stands inside it.</param>
/// <param name="Deciding">
/// The parts that decide: of several that must all hold the first that does not, of several of which one must hold all where none
/// does and else the first that does; down to the leaves.
/// </param>
public sealed record RuleReasons(bool Holds, IReadOnlyList<RulePart> Parts, IReadOnlyList<string> Deciding);

/// <summary>Says which sentence of a rule decides for somebody. It judges with <see cref="RuleJudge"/>, part by part.</summary>
public static class RuleWhy
{
    /// <summary>The reasons for one person at a moment.</summary>
    public static RuleReasons Of(Rule rule, PersonFacts person, RuleMoment moment)
    {
        var parts = new List<RulePart>();
        Walk(rule, "", person, moment, parts);
        var holds = parts.ToDictionary(p => p.Pointer, p => p.Holds, StringComparer.Ordinal);
        return new RuleReasons(holds[""], parts, [.. Deciding(rule, "", holds)]);
    }

    /// <summary>The parts that stand directly in a rule, each with its JSON pointer; none in a leaf.</summary>
    public static IEnumerable<(Rule Part, string Pointer)> Inside(Rule rule, string pointer) =>
        rule switch
        {
            AllOf all => all.Parts.Select((p, i) => (p, string.Create(CultureInfo.InvariantCulture, $"{pointer}/all/{i}"))),
            AnyOf any => any.Parts.Select((p, i) => (p, string.Create(CultureInfo.InvariantCulture, $"{pointer}/any/{i}"))),
            Not not => [(not.Part, pointer + "/not")],
            _ => [],
        };

    private static void Walk(Rule rule, string pointer, PersonFacts person, RuleMoment moment, List<RulePart> parts)
    {
        parts.Add(new RulePart(pointer, RuleJudge.Holds(rule, person, moment), rule is Leaf leaf ? Found(leaf, person, moment) : []));
        foreach (var (part, at) in Inside(rule, pointer))
        {
            Walk(part, at, person, moment, parts);
        }
    }

    private static IEnumerable<string> Deciding(Rule rule, string pointer, IReadOnlyDictionary<string, bool> holds)
    {
        var inside = Inside(rule, pointer).ToList();
        if (inside.Count == 0)
        {
            return [pointer];
        }

        // All that hold together decide together; one that fails alone is enough. The other way round for “any”.
        var wanted = rule is Not ? holds[inside[0].Pointer] : holds[pointer];
        var alone = rule is AllOf ? !wanted : rule is AnyOf && wanted;
        var deciding = inside.Where(i => holds[i.Pointer] == wanted);
        return (alone ? deciding.Take(1) : deciding).SelectMany(i => Deciding(i.Part, i.Pointer, holds));
    }

    private static IReadOnlyList<string> Found(Leaf leaf, PersonFacts person, RuleMoment moment)
    {
        if (leaf.Known is not { } field)
        {
            return [];
        }

        var value = field.Name == RuleField.Segment ? new FieldValue(Texts: Segments.Of(leaf, person, moment)) : field.ValueFor(person, moment);
        return value.IsMissing ? []
            : value.Texts is { } texts ? [.. texts]
            : [RuleField.TextOf(value, moment.Zone)];
    }
}
