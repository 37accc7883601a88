using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Rules;

/// <summary>When a rule is judged, on whose clock, and what the engine remembers of the person.</summary>
/// <param name="At">The moment.</param>
/// <param name="Zone">The practice's zone, in which dates are read.</param>
/// <param name="LeapDay">How 29 February is kept, for ages.</param>
/// <param name="Memory">What the engine remembers; asked only where a rule names such a field. Null: nothing.</param>
/// <param name="Segments">The practice's saved segments by name, which a rule may ask for; null: none.</param>
public readonly record struct RuleMoment(
    Instant At,
    DateTimeZone Zone,
    LeapDay LeapDay = LeapDay.Feb28,
    Func<RuleMemory>? Memory = null,
    IReadOnlyDictionary<string, Rule>? Segments = null
)
{
    /// <summary>The local date of the moment.</summary>
    public LocalDate Today => At.InZone(Zone).Date;
}

/// <summary>What the engine remembers of a person that a rule may ask about.</summary>
/// <param name="Programs">Names of the programs that are running.</param>
/// <param name="BeenIn">Names of the programs that ever ran.</param>
/// <param name="LastTouch">When the last message was sent or call done.</param>
/// <param name="LastReply">When they last replied.</param>
/// <param name="NextTouch">When the next planned touch is due.</param>
/// <param name="InquirySince">Since when an inquiry of theirs has waited for an answer, the oldest.</param>
public sealed record RuleMemory(
    IReadOnlyCollection<string> Programs,
    IReadOnlyCollection<string> BeenIn,
    Instant? LastTouch,
    Instant? LastReply,
    Instant? NextTouch,
    Instant? InquirySince = null
)
{
    /// <summary>Somebody the engine has nothing of.</summary>
    public static RuleMemory None { get; } = new([], [], null, null, null);
}
