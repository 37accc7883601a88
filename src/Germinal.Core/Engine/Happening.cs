using Germinal.Core.Contact;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// Something that happened to one person: the engine's input. The change itself (the tag is on, the stage is new) is
/// already in the facts when the engine is asked (rule 5.1); <see cref="FactUpdates"/> makes it where nobody else has. Closed.
/// </summary>
public abstract record Happening(Instant At);

/// <summary>A member starts a program for the person, or it was switched on with those who qualified, or it is a broadcast that goes to them.</summary>
public sealed record StartedByHand(Instant At, Guid ProgramId, string By, bool BySwitchingOn = false, bool ByBroadcast = false) : Happening(At)
{
    /// <summary>How it was started, for the run's why.</summary>
    internal StartCause Cause => new(ByBroadcast ? CauseKind.Broadcast : BySwitchingOn ? CauseKind.SwitchedOn : CauseKind.Hand, By);
}

/// <summary>A tag was put on that was not on.</summary>
public sealed record TagPutOn(Instant At, string Tag) : Happening(At);

/// <summary>A tag was taken off that was on.</summary>
public sealed record TagTakenOff(Instant At, string Tag) : Happening(At);

/// <summary>A list was joined.</summary>
public sealed record JoinedList(Instant At, string List) : Happening(At);

/// <summary>A list was left.</summary>
public sealed record LeftList(Instant At, string List) : Happening(At);

/// <summary>A stage was entered that the person did not stand in, and another one left, if they stood in one.</summary>
public sealed record EnteredStage(Instant At, string Stage, string? Left = null) : Happening(At);

/// <summary>A custom field was set by a program or a member.</summary>
public sealed record FieldSet(Instant At, string Name, string Value) : Happening(At);

/// <summary>Another member looks after the person from now on.</summary>
public sealed record GivenToOwner(Instant At, Guid OwnerId) : Happening(At);

/// <summary>An inquiry came in, through a form or without one.</summary>
public sealed record Inquired(Instant At, string? Form) : Happening(At);

/// <summary>Their inquiries have been answered.</summary>
public sealed record InquiriesAnswered(Instant At) : Happening(At);

/// <summary>An inquiry has stood unanswered for a trigger's span. Worked out by <see cref="Alarms"/>.</summary>
public sealed record InquiryStoodUnanswered(Instant At, Guid ProgramId) : Happening(At);

/// <summary>They have stood in a stage for a trigger's span. Worked out by <see cref="Alarms"/>.</summary>
public sealed record StoodInStage(Instant At, Guid ProgramId, string Stage) : Happening(At);

/// <summary>An opportunity was won.</summary>
public sealed record Won(Instant At) : Happening(At);

/// <summary>An opportunity was lost.</summary>
public sealed record Lost(Instant At, string? Reason) : Happening(At);

/// <summary>An occasion of a program has come for the person (rule 4.3).</summary>
public sealed record OccasionCame(Instant At, Guid ProgramId, string Name, LocalDate Date) : Happening(At);

/// <summary>An appointment was made, or moved to another moment or type; the same key for the same appointment.</summary>
/// <param name="At">When it was made or moved.</param>
/// <param name="Key">Names the appointment; empty for one that was moved: the newest of its type.</param>
/// <param name="Type">Its type, or null.</param>
/// <param name="Moment">When it takes place.</param>
/// <param name="Moved">True when it is one that was made before.</param>
public sealed record AppointmentMade(Instant At, string Key, string? Type, Instant Moment, bool Moved = false) : Happening(At);

/// <summary>An appointment was cancelled; without its key the newest of its type, or of any.</summary>
public sealed record AppointmentCancelled(Instant At, string Key, string? Type = null) : Happening(At);

/// <summary>An appointment's start has come for a program. Worked out by <see cref="Alarms"/>.</summary>
public sealed record AppointmentCame(Instant At, Guid ProgramId, string Key) : Happening(At);

/// <summary>A message was opened by a person.</summary>
public sealed record Opened(Instant At, Guid ProgramId, string StepId) : Happening(At);

/// <summary>A link of a message was followed.</summary>
public sealed record FollowedLink(Instant At, Guid ProgramId, string StepId, string Link) : Happening(At);

/// <summary>They answered; to which step, where that is known.</summary>
public sealed record Replied(Instant At, Channel Channel, Guid? ProgramId = null, string? StepId = null) : Happening(At);

/// <summary>A text came in that begins with a word.</summary>
public sealed record TextedWord(Instant At, string Word) : Happening(At);

/// <summary>A message bounced; hard: nobody is there.</summary>
public sealed record Bounced(Instant At, Guid ProgramId, string StepId, bool Hard, Channel Channel = Channel.Email) : Happening(At);

/// <summary>An entry was added to the consent ledger.</summary>
/// <param name="At">When.</param>
/// <param name="Channel">The channel.</param>
/// <param name="In">In or out.</param>
/// <param name="Everything">True when it speaks of every purpose, not only of commercial messages.</param>
public sealed record ConsentGiven(Instant At, Channel Channel, bool In, bool Everything = false) : Happening(At);

/// <summary>Facts changed that may mend a blocked touch.</summary>
public sealed record FactsChanged(Instant At) : Happening(At);

/// <summary>They died, want no contact, or were archived (rule 6.2).</summary>
/// <param name="At">When.</param>
/// <param name="Reason">died, archived, merged or do-not-contact.</param>
/// <param name="Until">Of <c>do-not-contact</c>: the date at whose beginning they may be contacted again; null for good.</param>
public sealed record LeftForGood(Instant At, string Reason, LocalDate? Until = null) : Happening(At);

/// <summary>A member took back that they want no contact.</summary>
public sealed record MayBeContacted(Instant At) : Happening(At);

/// <summary>The person came into the contact database.</summary>
public sealed record Added(Instant At, string? Source) : Happening(At);

/// <summary>A task on the day sheet was done, a call with an outcome; or dropped (null).</summary>
/// <param name="At">When.</param>
/// <param name="TouchId">The task's touch.</param>
/// <param name="Outcome">How it ended; null where it was dropped.</param>
/// <param name="Remark">What the member noted with it.</param>
public sealed record TaskEnded(Instant At, Guid TouchId, string? Outcome, string? Remark = null) : Happening(At);

/// <summary>A task has stood on the day sheet as long as its step allows (rule 3.8). Worked out by <see cref="Alarms"/>.</summary>
public sealed record TaskMissed(Instant At, Guid TouchId) : Happening(At);

/// <summary>A member took back that a task was done: it stands on the day sheet again. What its run did since stays.</summary>
public sealed record TaskReopened(Instant At, Guid RunId, Guid ProgramId, string StepId, int Nth = 0) : Happening(At);

/// <summary>As <see cref="TaskEnded"/>, named by its step where the touch is not known: a reaction given to a rehearsal.</summary>
public sealed record StepTaskEnded(Instant At, Guid ProgramId, string StepId, string? Outcome) : Happening(At);

/// <summary>A member holds, releases (null) or drops a touch.</summary>
public sealed record TouchMarked(Instant At, Guid TouchId, TouchMark? Mark) : Happening(At);

/// <summary>
/// A member moves a touch to another date (ours): it keeps its time of day there, its window and quiet hours, and a late limit that counts
/// from its first due moment (rule 3.3). A task on the day sheet stands there from that date on.
/// </summary>
/// <param name="At">When.</param>
/// <param name="TouchId">The touch, planned already or not.</param>
/// <param name="To">The date, on the clock its program reads; null takes the move back.</param>
public sealed record TouchMovedTo(Instant At, Guid TouchId, LocalDate? To) : Happening(At);

/// <summary>A member with the right to lets one touch go in spite of missing consent, with a written reason (rule 10.5).</summary>
public sealed record ConsentOverruled(Instant At, Guid TouchId, string By, string Reason) : Happening(At);

/// <summary>A member stops one run.</summary>
public sealed record RunStoppedByHand(Instant At, Guid RunId, string By) : Happening(At);

/// <summary>
/// The start of a run is taken back before anything of it has reached the person: the run stops, and counts as if it had never
/// been (rule 5.3). A letter that is on its way makes it a stop by hand.
/// </summary>
public sealed record StartTakenBack(Instant At, Guid RunId, string By) : Happening(At);

/// <summary>A member stops a program for the person.</summary>
public sealed record ProgramStoppedByHand(Instant At, Guid ProgramId) : Happening(At);

/// <summary>A member pauses a program for the person (rule 13.2).</summary>
/// <param name="At">When.</param>
/// <param name="ProgramId">The program.</param>
/// <param name="Until">The date at whose beginning, on the practice's clock, it goes on by itself; null for no end.</param>
public sealed record ProgramPaused(Instant At, Guid ProgramId, LocalDate? Until = null) : Happening(At);

/// <summary>A member lets a program go on for the person.</summary>
public sealed record ProgramResumed(Instant At, Guid ProgramId) : Happening(At);

/// <summary>A date that stops a program has begun (rule 6.1). Worked out by <see cref="Alarms"/>.</summary>
public sealed record StopDateCame(Instant At, Guid ProgramId) : Happening(At);

/// <summary>A new date of the practice began: those that wait for their start ask again (rule 5.5). Worked out by <see cref="Alarms"/>.</summary>
/// <param name="At">Midnight on the practice's clock.</param>
/// <param name="ProgramId">The one program whose waiting starts ask, where everybody's go in one order; null for all.</param>
public sealed record NewDay(Instant At, Guid? ProgramId = null) : Happening(At);

/// <summary>A run finished. The engine makes it itself.</summary>
public sealed record FinishedProgram(Instant At, string Program) : Happening(At);

/// <summary>A member moves those on their way to a newer version of their program, at the same step (rule 13.1).</summary>
public sealed record MovedToVersion(Instant At, Guid ProgramId, int Version) : Happening(At);
