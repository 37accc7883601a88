using System.Collections.Frozen;
using Germinal.Core.Contact;

namespace Germinal.Core.Rules;

/// <summary>
/// Saved rules that pick people (rule 16.1). Archived people are in only where the rule itself speaks of them.
/// </summary>
public static class Segments
{
    /// <summary>True when the person is one of those a segment picks at the moment.</summary>
    public static bool Has(Rule rule, PersonFacts person, RuleMoment moment) =>
        (!person.Archived || rule.Asks(RuleField.Archived)) && RuleJudge.Holds(rule, person, moment);

    // What changes by events alone; everything else may change because time goes on, or because something was sent.
    private static readonly FrozenSet<string> Lasting = FrozenSet.ToFrozenSet(
        [
            "id", "first_name", "last_name", "email", "mobile", "other-phone", "address", "city", "state", "postal-code", "country", "zone", "owner", "stage",
            "source", "tags", "lists", "do_not_contact", "household", "lost-reason", "email_consent", "text_consent", "call_consent", "post_consent", RuleField.Archived,
        ],
        StringComparer.Ordinal
    );

    /// <summary>
    /// True where whom a rule picks can change without an event of theirs: it asks for spans, ages or this month, or for what the engine
    /// does by itself. Such a rule is judged again at the beginning of each date.
    /// </summary>
    public static bool ChangesByItself(Rule rule, IReadOnlyDictionary<string, Rule> saved) =>
        rule.Leaves.Any(l =>
            l.Op is RuleOp.InLast or RuleOp.NotInLast
            || (l.Op == RuleOp.MonthIs && l.Number is null)
            || (
                l.Field == RuleField.Segment
                    ? l.Values.Any(v =>
                        saved.TryGetValue(v, out var asked)
                        && ChangesByItself(asked, Without(saved, v))
                    )
                    : l.Known is { } field && !field.IsCustom && field.Kind != FieldKind.Date && field.Role is null && !Lasting.Contains(l.Field)
            )
        );

    /// <summary>The segments a rule asks for by name, at any depth of it; those that they ask for in their turn are not among them.</summary>
    public static IEnumerable<string> AskedBy(Rule rule) =>
        rule.Leaves.Where(l => l.Field == RuleField.Segment).SelectMany(l => l.Values).Distinct(StringComparer.OrdinalIgnoreCase);

    /// <summary>
    /// The way round by which a segment would ask for itself, by names, the segment first; null where it does not. Such a one picks
    /// nobody that could be named, so it cannot be saved.
    /// </summary>
    /// <param name="name">The segment's name.</param>
    /// <param name="rule">What it is to be.</param>
    /// <param name="others">The other saved ones by name.</param>
    public static IReadOnlyList<string>? Circle(string name, Rule rule, IReadOnlyDictionary<string, Rule> others)
    {
        IReadOnlyList<string>? Walk(Rule at, IReadOnlyList<string> way)
        {
            foreach (var asked in AskedBy(at))
            {
                if (string.Equals(asked, name, StringComparison.OrdinalIgnoreCase))
                {
                    return way;
                }

                if (
                    !way.Contains(asked, StringComparer.OrdinalIgnoreCase)
                    && others.TryGetValue(asked, out var next)
                    && Walk(next, [.. way, asked]) is { } found
                )
                {
                    return found;
                }
            }

            return null;
        }

        return Walk(rule, [name]);
    }

    /// <summary>The saved segments as they are asked for from within one of them: all but itself, which no segment can ask for.</summary>
    public static IReadOnlyDictionary<string, Rule> Without(IReadOnlyDictionary<string, Rule> saved, string name) =>
        saved.Where(s => !string.Equals(s.Key, name, StringComparison.OrdinalIgnoreCase)).ToDictionary(StringComparer.OrdinalIgnoreCase);

    /// <summary>
    /// Of the segments a leaf names, those the person is in. A segment that is asked for while it is being judged counts as one they
    /// are not in, and so does one that does not exist.
    /// </summary>
    internal static IReadOnlyCollection<string> Of(Leaf leaf, PersonFacts person, RuleMoment moment)
    {
        if (moment.Segments is not { Count: > 0 } saved)
        {
            return [];
        }

        // “In any” and “in none” ask them all.
        var names = leaf.Values.Count > 0 && leaf.Op is not (RuleOp.Contains or RuleOp.StartsWith) ? leaf.Values : saved.Keys;
        return
        [
            .. names.Where(n =>
                saved.TryGetValue(n, out var rule)
                && Has(rule, person, moment with { Segments = Without(saved, n) })
            ),
        ];
    }
}
