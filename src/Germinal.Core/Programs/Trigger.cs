using Germinal.Core.Rules;
using Germinal.Core.Time;

namespace Germinal.Core.Programs;

/// <summary>What starts a program (rule 5.1). Closed: these are all there are.</summary>
public abstract record Trigger;

/// <summary>Only a member starts it.</summary>
public sealed record ByHand : Trigger;

/// <summary>A tag is put on that was not on.</summary>
public sealed record TagAdded(string Tag) : Trigger;

/// <summary>A list is joined that the person was not on.</summary>
public sealed record ListJoined(string List) : Trigger;

/// <summary>A stage is entered that the person did not stand in, written <c>Pipeline/Stage</c>.</summary>
public sealed record StageEntered(string Stage) : Trigger;

/// <summary>The person has stood in a stage for a span, counted on the practice's clock; once for each stay.</summary>
public sealed record StageAge(string Stage, Distance After) : Trigger;

/// <summary>An inquiry comes in, any or of one form.</summary>
public sealed record InquiryReceived(string? Form) : Trigger;

/// <summary>
/// An inquiry has stood unanswered for a span: days are working days, or calendar days with <paramref name="WorkingDays"/>
/// false, ending at the same local time of the practice; hours are elapsed time.
/// </summary>
public sealed record InquiryUnanswered(Distance After, bool WorkingDays) : Trigger;

/// <summary>An opportunity is won.</summary>
public sealed record OpportunityWon : Trigger;

/// <summary>An opportunity is lost, for any reason or for one.</summary>
public sealed record OpportunityLost(string? Reason) : Trigger;

/// <summary>A yearly key date comes round (rules 4.2, 4.3).</summary>
/// <param name="Date">The key date's name, such as <c>birthday</c>.</param>
/// <param name="Offset">Applied to the observed date; <c>-P1D</c> starts the day before. Without a time part.</param>
/// <param name="Years">Ages or anniversaries that count; empty means every year, the year may then be unknown.</param>
/// <param name="GraceDays">How many days late a missed start still happens.</param>
public sealed record OccasionTrigger(string Date, Distance Offset, IReadOnlyList<int> Years, int GraceDays = 2) : Trigger;

/// <summary>An appointment, of any type or of one: the run starts so long before or after its moment (rule 4.4).</summary>
public sealed record AppointmentTrigger(string? Type, Distance Offset) : Trigger;

/// <summary>A link is followed.</summary>
public sealed record LinkFollowed(string Link) : Trigger;

/// <summary>A text comes in that begins with a word.</summary>
public sealed record TextKeyword(string Word) : Trigger;

/// <summary>Another program's run finishes; one that is stopped does not count.</summary>
public sealed record ProgramFinished(string Program) : Trigger;

/// <summary>
/// The person begins to match a saved segment, or a rule given as it is (rule 16): judged after every event of theirs and at the beginning
/// of each date on the practice's clock. Who matches when the program is switched on has not begun to.
/// </summary>
/// <param name="Segment">The segment's name; null where the rule itself is given.</param>
/// <param name="Rule">The rule; null where a segment is named.</param>
public sealed record SegmentJoined(string? Segment, Rule? Rule) : Trigger
{
    /// <summary>What is asked.</summary>
    public Rule Asked { get; } = Rule ?? new Leaf(RuleField.Segment, RuleOp.Has, [Segment ?? ""]);

    /// <summary>By what it is remembered that somebody matches, within one program.</summary>
    public string Key { get; } = Segment is null ? $"rule {RuleText.Of(Rule!)}" : $"segment {Segment.ToUpperInvariant()}";
}

/// <summary>The person comes into the contact database, from any source or from one.</summary>
public sealed record PersonAdded(string? Source) : Trigger;
