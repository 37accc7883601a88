using Germinal.Core.Contact;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// One count that many people share: a channel's messages, those of one member's account, or a program's starts on one date of the practice, or a step that goes
/// once to a household.
/// </summary>
public readonly record struct Counter
{
    /// <summary>The channel of a daily limit (rule 9.3), else null.</summary>
    public Channel? Channel { get; private init; }

    /// <summary>Of a daily limit: the member whose account it is; null where it is everybody's.</summary>
    public Guid? MemberId { get; private init; }

    /// <summary>The program of a start limit (rule 5.5) or of a step that goes once to a household; empty for messages.</summary>
    public Guid ProgramId { get; private init; }

    /// <summary>The household of a step that goes to it once (rule 3.7), else null.</summary>
    public Guid? HouseholdId { get; private init; }

    /// <summary>The step that goes to a household once, else null.</summary>
    public string? StepId { get; private init; }

    /// <summary>The practice's local date.</summary>
    public LocalDate Date { get; private init; }

    /// <summary>The most there may be on that date.</summary>
    public int Limit { get; private init; }

    /// <summary>A channel's messages on a date.</summary>
    public static Counter OfMessages(Channel channel, LocalDate date, int limit) =>
        new()
        {
            Channel = channel,
            Date = date,
            Limit = limit,
        };

    /// <summary>The emails of a member's account on a date.</summary>
    public static Counter OfAccount(Guid member, LocalDate date, int limit) =>
        new()
        {
            Channel = Contact.Channel.Email,
            MemberId = member,
            Date = date,
            Limit = limit,
        };

    /// <summary>A program's starts on a date.</summary>
    public static Counter OfStarts(Guid program, LocalDate date, int limit) =>
        new()
        {
            ProgramId = program,
            Date = date,
            Limit = limit,
        };

    /// <summary>One step of a program for one household on a date: there is one place.</summary>
    public static Counter OfHousehold(Guid household, Guid program, string step, LocalDate date) =>
        new()
        {
            HouseholdId = household,
            ProgramId = program,
            StepId = step,
            Date = date,
            Limit = 1,
        };
}

/// <summary>
/// Where one asks in the order of everybody (rules 5.5, 9.3): the moment, then first due moment, priority, person id,
/// program name and step order. What one person asks at one moment follows in the order it arises.
/// </summary>
public readonly record struct AskOrder(Instant Moment, Instant FirstDue, int Priority, string Person, string Program, int Step, int Sequence = 0)
    : IComparable<AskOrder>
{
    /// <summary>
    /// Which touch asks, where one that has its place may ask for it again (rule 3.7); empty else. It has no part in the order.
    /// </summary>
    public Guid Touch { get; init; }

    /// <summary>True where the same touch asked before.</summary>
    public bool IsAgain(AskOrder before) => Touch != Guid.Empty && Touch == before.Touch;

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
