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

/// <summary>A rule over a person, used in <c>onlyIf</c>. A tree of all, any, not, and leaves.</summary>
public abstract record Rule;

/// <summary>Holds when every part holds; an empty one holds.</summary>
public sealed record AllOf(IReadOnlyList<Rule> Parts) : Rule;

/// <summary>Holds when any part holds; an empty one does not.</summary>
public sealed record AnyOf(IReadOnlyList<Rule> Parts) : Rule;

/// <summary>Holds when its part does not.</summary>
public sealed record Not(Rule Part) : Rule;

/// <summary>A field, what is asked of it, and the values it is compared with (one, or several for <c>in</c>).</summary>
public sealed record Leaf(string Field, RuleOp Op, IReadOnlyList<string> Values) : Rule;

/// <summary>A moment and the practice's zone, against which dates are judged.</summary>
public readonly record struct RuleMoment(Instant At, DateTimeZone Zone)
{
    /// <summary>The local date of the moment.</summary>
    public LocalDate Today => At.InZone(Zone).Date;
}
