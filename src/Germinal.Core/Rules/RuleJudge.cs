using System.Globalization;
using Germinal.Core.People;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Rules;

/// <summary>
/// Judges a rule over a person (rule 5.2). A missing value makes every op but <c>missing</c>, <c>is-not</c>, <c>not-in</c>,
/// <c>has-not</c> and <c>not-in-last</c> false. Text compares without regard to case.
/// </summary>
public static class RuleJudge
{
    /// <summary>True when the rule holds for the person at the moment.</summary>
    public static bool Holds(Rule rule, PersonFacts person, RuleMoment moment) => rule switch
    {
        AllOf all => all.Parts.All(p => Holds(p, person, moment)),
        AnyOf any => any.Parts.Any(p => Holds(p, person, moment)),
        Not not => !Holds(not.Part, person, moment),
        Leaf leaf => Holds(leaf, RuleFields.Values(person, leaf.Field, moment), moment),
        _ => throw new ArgumentOutOfRangeException(nameof(rule)),
    };

    private static bool Holds(Leaf leaf, IReadOnlyCollection<string> values, RuleMoment moment)
    {
        bool Any(Func<string, bool> test) => values.Any(test);
        bool OneOf(string value) => leaf.Values.Contains(value, StringComparer.OrdinalIgnoreCase);
        var wanted = leaf.Values.Count > 0 ? leaf.Values[0] : "";
        return leaf.Op switch
        {
            RuleOp.Is or RuleOp.In or RuleOp.Has => Any(OneOf),
            RuleOp.IsNot or RuleOp.NotIn or RuleOp.HasNot => !Any(OneOf),
            RuleOp.Contains => Any(v => v.Contains(wanted, StringComparison.OrdinalIgnoreCase)),
            RuleOp.StartsWith => Any(v => v.StartsWith(wanted, StringComparison.OrdinalIgnoreCase)),
            RuleOp.Exists => values.Count > 0,
            RuleOp.Missing => values.Count == 0,
            RuleOp.Before => Any(v => Full(v) is { } d && Full(wanted) is { } w && d < w),
            RuleOp.After => Any(v => Full(v) is { } d && Full(wanted) is { } w && d > w),
            RuleOp.Less => Any(v => Number(v) < Number(wanted)),
            RuleOp.More => Any(v => Number(v) > Number(wanted)),
            RuleOp.InLast => Any(v => InLast(v, wanted, moment)),
            RuleOp.NotInLast => !Any(v => InLast(v, wanted, moment)),
            RuleOp.MonthIs => Any(v => YearlyDate.TryParse(v)?.Month == (int?)Number(wanted)),
            _ => false,
        };
    }

    private static LocalDate? Full(string text) =>
        YearlyDate.TryParse(text) is { Year: { } year } d ? new LocalDate(year, d.Month, d.Day) : null;

    private static decimal? Number(string text) =>
        decimal.TryParse(text, NumberStyles.Number, CultureInfo.InvariantCulture, out var n) ? n : null;

    private static bool InLast(string value, string span, RuleMoment moment) =>
        Full(value) is { } date && Offset.TryParse(span) is { } offset && date <= moment.Today && date >= moment.Today - offset.Dates;
}
