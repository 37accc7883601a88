using Germinal.Core.Contact;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>One count that many people share: a channel's messages or a program's starts on one date of the practice.</summary>
/// <param name="Channel">The channel of a daily limit (rule 9.3); null for starts.</param>
/// <param name="ProgramId">The program of a start limit (rule 5.5); empty for messages.</param>
/// <param name="Date">The practice's local date.</param>
/// <param name="Limit">The most there may be on that date.</param>
public readonly record struct Counter(Channel? Channel, Guid ProgramId, LocalDate Date, int Limit);

/// <summary>
/// Where one asks in the order of everybody (rules 5.5, 9.3): the moment, then first due moment, priority, person id,
/// program name and step order. What one person asks at one moment follows in the order it arises.
/// </summary>
public readonly record struct AskOrder(Instant Moment, Instant FirstDue, int Priority, string Person, string Program, int Step, int Sequence = 0)
    : IComparable<AskOrder>
{
    /// <inheritdoc/>
    public int CompareTo(AskOrder other)
    {
        var by = Moment.CompareTo(other.Moment);
        by = by != 0 ? by : FirstDue.CompareTo(other.FirstDue);
        by = by != 0 ? by : Priority.CompareTo(other.Priority);
        by = by != 0 ? by : string.CompareOrdinal(Person, other.Person);
        by = by != 0 ? by : StringComparer.OrdinalIgnoreCase.Compare(Program, other.Program);
        by = by != 0 ? by : Step.CompareTo(other.Step);
        return by != 0 ? by : Sequence.CompareTo(other.Sequence);
    }

    public static bool operator <(AskOrder left, AskOrder right) => left.CompareTo(right) < 0;

    public static bool operator >(AskOrder left, AskOrder right) => left.CompareTo(right) > 0;

    public static bool operator <=(AskOrder left, AskOrder right) => left.CompareTo(right) <= 0;

    public static bool operator >=(AskOrder left, AskOrder right) => left.CompareTo(right) >= 0;
}

/// <summary>The edge of the core to what concerns many people at once.</summary>
public interface ICounters
{
    /// <summary>Asks for one of a count.</summary>
    /// <param name="counter">The count.</param>
    /// <param name="order">Who asks, in the order of everybody.</param>
    /// <param name="takes">False only to look: the message will not go for another reason.</param>
    /// <returns>True when there is room.</returns>
    bool Ask(Counter counter, AskOrder order, bool takes);
}
