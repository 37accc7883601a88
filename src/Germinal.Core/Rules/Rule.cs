using System.Collections.Frozen;
using System.Globalization;
using System.Text.RegularExpressions;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Rules;

/// <summary>What a leaf of a rule asks of a field.</summary>
public enum RuleOp
{
    Is,
    IsNot,
    In,
    NotIn,
    Has,
    HasNot,
    Contains,
    StartsWith,
    Exists,
    Missing,
    Before,
    After,
    Less,
    More,
    InLast,
    NotInLast,
    MonthIs,
}

/// <summary>A rule over a person, used in <c>onlyIf</c>, in forks and for segments. A tree of all, any, not, and leaves.</summary>
public abstract record Rule
{
    /// <summary>What the rule asks, field by field, however deep it stands.</summary>
    public IEnumerable<Leaf> Leaves =>
        this switch
        {
            AllOf all => all.Parts.SelectMany(p => p.Leaves),
            AnyOf any => any.Parts.SelectMany(p => p.Leaves),
            Not not => not.Part.Leaves,
            Leaf leaf => [leaf],
            _ => [],
        };

    /// <summary>True where the rule, or any part of it, asks a field.</summary>
    public bool Asks(string field) => Leaves.Any(l => l.Field == field);
}

/// <summary>Holds when every part holds; an empty one holds.</summary>
public sealed record AllOf(IReadOnlyList<Rule> Parts) : Rule;

/// <summary>Holds when any part holds; an empty one does not.</summary>
public sealed record AnyOf(IReadOnlyList<Rule> Parts) : Rule;

/// <summary>Holds when its part does not.</summary>
public sealed record Not(Rule Part) : Rule;

/// <summary>
/// A field, what is asked of it, and the values it is compared with (one, or several for <c>in</c>). The values are read
/// once here as dates, numbers and spans, so that judging many people parses nothing.
/// </summary>
public sealed partial record Leaf(string Field, RuleOp Op, IReadOnlyList<string> Values) : Rule
{
    private readonly string wanted = Values.Count > 0 ? Values[0] : "";

    /// <summary>The field, or null when the rule language has none of that name.</summary>
    public RuleField? Known { get; } = RuleField.Of(Field);

    /// <summary>The values, compared without regard to case.</summary>
    public FrozenSet<string> Wanted { get; } = Values.ToFrozenSet(StringComparer.OrdinalIgnoreCase);

    /// <summary>The first value as text.</summary>
    public string First => wanted;

    /// <summary>The first value as a full date, or null.</summary>
    public LocalDate? Date { get; } = FullDate(Values.Count > 0 ? Values[0] : "");

    /// <summary>The first value as a number, or null.</summary>
    public decimal? Number { get; } = NumberOf(Values.Count > 0 ? Values[0] : "");

    /// <summary>The month that <c>month-is</c> asks for on a date: 1 to 12, or <c>this</c> or <c>next</c> counted from it; null for anything else.</summary>
    public int? MonthAt(LocalDate today) =>
        First switch
        {
            "this" => today.Month,
            "next" => today.PlusMonths(1).Month,
            _ => Number is { } n && n == decimal.Truncate(n) && n is >= 1 and <= 12 ? (int)n : null,
        };

    /// <summary>The first value as a span, or null.</summary>
    public Distance? Span { get; } = Distance.TryParse(Values.Count > 0 ? Values[0] : "");

    /// <inheritdoc/>
    public bool Equals(Leaf? other) =>
        other is not null && Field == other.Field && Op == other.Op && Values.SequenceEqual(other.Values, StringComparer.Ordinal);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Field, Op, Values.Count);

    /// <summary>A full date of text, or null: <c>--06-14</c> has no year and is none.</summary>
    internal static LocalDate? FullDate(string text) => YearlyDate.TryParse(text) is { Year: { } year } d ? new LocalDate(year, d.Month, d.Day) : null;

    /// <summary>A number written plainly, <c>-12.5</c>; null for anything else.</summary>
    internal static decimal? NumberOf(string text) => NumberForm().IsMatch(text) ? decimal.Parse(text, CultureInfo.InvariantCulture) : null;

    [GeneratedRegex(@"^-?[0-9]{1,15}(\.[0-9]{1,9})?\z", RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant, matchTimeoutMilliseconds: 1000)]
    private static partial Regex NumberForm();
}
