using Germinal.Core.Engine;
using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>The engine's memory of one person, loaded and saved as one value.</summary>
public sealed class PersonStateRow : IOwned
{
    public Guid PersonId { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>JSON of <see cref="PersonState"/>.</summary>
    public required string State { get; set; }

    /// <summary>When something is to be judged next; the end of time for never.</summary>
    public Instant NextDue { get; set; } = Instant.MaxValue;

    /// <summary>
    /// When the calendar brings something next: an occasion, time in a stage, an unanswered inquiry. The beginning of time
    /// for one that is to be worked out; the database gives every new person a state like that.
    /// </summary>
    public Instant NextAlarm { get; set; } = Instant.MinValue;

    /// <summary>Up to when the calendar has been taken in; the beginning of time for a person nobody has looked at yet.</summary>
    public Instant AlarmsFrom { get; set; } = Instant.MinValue;

    /// <summary>When the last touch reached them; the beginning of time for never, so that lists page by key.</summary>
    public Instant LastTouchAt { get; set; } = Instant.MinValue;

    /// <summary>When they last replied, or null.</summary>
    public Instant? LastReplyAt { get; set; }

    /// <summary>When the next touch is due; the end of time for none.</summary>
    public Instant NextTouchAt { get; set; } = Instant.MaxValue;

    /// <summary>The error that stopped work on this person, which waits for a member; null for everybody else.</summary>
    public string? SetAside { get; set; }
}

/// <summary>How many of a shared count have been taken on one date of the practice (rules 5.5, 9.3).</summary>
public sealed class CountRow : IOwned
{
    public Guid PracticeId { get; set; }

    /// <summary>A channel, a channel and the member whose account it is (<c>email/…</c>), or the id of a program with a start limit.</summary>
    public required string What { get; set; }

    public LocalDate Date { get; set; }

    public int Taken { get; set; }
}

/// <summary>Which touch of a household's people has a step that goes to it once, on one date of the practice (rule 3.7).</summary>
public sealed class HouseholdClaimRow : IOwned
{
    public Guid PracticeId { get; set; }

    public Guid HouseholdId { get; set; }

    public Guid ProgramId { get; set; }

    public required string StepId { get; set; }

    public LocalDate Date { get; set; }

    public Guid TouchId { get; set; }
}

/// <summary>One passage of a person through a program.</summary>
public sealed class RunRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid PersonId { get; set; }

    public Guid ProgramId { get; set; }

    public int Version { get; set; }

    public int Number { get; set; }

    public Instant StartedAt { get; set; }

    public required StartCause Cause { get; set; }

    public Instant? EndedAt { get; set; }

    /// <summary>Null for a run that finished.</summary>
    public string? StopReason { get; set; }

    /// <summary>Since when a member has paused it, or null.</summary>
    public Instant? PausedAt { get; set; }

    /// <summary>When it goes on by itself; null for a pause without an end.</summary>
    public Instant? PausedUntil { get; set; }
}

/// <summary>A start that was refused, with its reason (rule 5.3).</summary>
public sealed class RefusalRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid PersonId { get; set; }

    public Guid ProgramId { get; set; }

    public Instant At { get; set; }

    public required string Reason { get; set; }

    public required StartCause Cause { get; set; }

    /// <summary>When a member has seen to it.</summary>
    public Instant? DismissedAt { get; set; }
}

/// <summary>One step falling due for one person.</summary>
public sealed class TouchRow : IOwned
{
    /// <summary>Stable id from run and step; also the idempotency key at the channel.</summary>
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid PersonId { get; set; }

    public Guid RunId { get; set; }

    public Guid ProgramId { get; set; }

    public int Version { get; set; }

    public required string StepId { get; set; }

    /// <summary>The step's kind.</summary>
    public required string Kind { get; set; }

    /// <summary>Where it stands; stored as its word.</summary>
    public required TouchStatus Status { get; set; }

    /// <summary>The program's priority when it was planned; touches due together go by it (rule 9.3).</summary>
    public int Priority { get; set; } = 50;

    public string? Reason { get; set; }

    public bool Held { get; set; }

    public Instant FirstDue { get; set; }

    public Instant Due { get; set; }

    public Instant? SettledAt { get; set; }

    /// <summary>When a call was done or withdrawn.</summary>
    public Instant? ClosedAt { get; set; }

    /// <summary>How a call ended.</summary>
    public string? CallOutcome { get; set; }

    public string? Remark { get; set; }

    public PlanReason? Plan { get; set; }

    public List<Check> Checks { get; set; } = [];

    /// <summary>A fresh id each time the touch is handed to its channel.</summary>
    public Guid? AttemptId { get; set; }

    /// <summary>Machine time until which the worker that hands it over holds it; of one that is to be tried again, when.</summary>
    public Instant? LeasedUntil { get; set; }

    /// <summary>How often it has been handed to its channel.</summary>
    public int Attempts { get; set; }

    /// <summary>What the provider said last, where it did not take it.</summary>
    public string? LastAnswer { get; set; }

    /// <summary>
    /// Who reads it where that is not the person (rule 3.6), once it was judged: somebody in a relation to them, or the member who looks
    /// after them.
    /// </summary>
    public Guid? ReaderId { get; set; }

    /// <summary>The date to which a member has moved it, on the clock its program reads; null where it is its own.</summary>
    public LocalDate? MovedTo { get; set; }

    /// <summary>When a note was printed; null for one that is to be.</summary>
    public Instant? PrintedAt { get; set; }
}

/// <summary>A message as it went out.</summary>
public sealed class MessageRow : IOwned
{
    public Guid TouchId { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>Whose it is: who reads it. Of one to a member, the person it is about.</summary>
    public Guid PersonId { get; set; }

    /// <summary>Whom it is about, where somebody else reads it (rule 3.6); null where it is about its reader.</summary>
    public Guid? AboutId { get; set; }

    /// <summary>The member who reads it; null where a person does. What a member does with it is nothing a person did.</summary>
    public Guid? MemberId { get; set; }

    public string Channel { get; set; } = "email";

    /// <summary>Of an email its Message-ID without angle brackets, of a text the gateway's id.</summary>
    public required string MessageId { get; set; }

    public required string ToAddress { get; set; }

    public required string FromName { get; set; }

    public required string FromAddress { get; set; }

    public required string Subject { get; set; }

    public required string Html { get; set; }

    public required string Text { get; set; }

    public Instant SentAt { get; set; }

    /// <summary>What the server answered.</summary>
    public string Answer { get; set; } = "";

    /// <summary>Parts a text was sent in (rule 11.3); 0 for an email.</summary>
    public int Parts { get; set; }

    /// <summary>When the gateway said a text had arrived.</summary>
    public Instant? DeliveredAt { get; set; }

    /// <summary>When it came back, and how: hard or soft.</summary>
    public Instant? BouncedAt { get; set; }

    public string? Bounce { get; set; }

    /// <summary>When the link in it by which its reader confirms was used; it works once.</summary>
    public Instant? ConfirmedAt { get; set; }

    /// <summary>When a person first opened it; machines do not count (rule 14.2).</summary>
    public Instant? OpenedAt { get; set; }

    /// <summary>The program whose touch it is.</summary>
    public Guid ProgramId { get; set; }

    /// <summary>The step.</summary>
    public string StepId { get; set; } = "";

    /// <summary>When a machine first looked at it; null for never. The database keeps this and what follows by what visits and answers say.</summary>
    public Instant? MachineAt { get; set; }

    /// <summary>When a person first followed a link of it.</summary>
    public Instant? FollowedAt { get; set; }

    /// <summary>When it was first answered.</summary>
    public Instant? AnsweredAt { get; set; }

    /// <summary>When its reader said no by it, on its page or by the word that means it.</summary>
    public Instant? OptedOutAt { get; set; }

    /// <summary>When its reader complained of it to their mail provider.</summary>
    public Instant? ComplainedAt { get; set; }

    /// <summary>Where its links lead, in the order they stand in it.</summary>
    public List<LetterLink> Links { get; set; } = [];
}

/// <summary>A link of a letter and what following it sets off (rule 11.5).</summary>
/// <param name="Address">Where it leads.</param>
/// <param name="Name">What rules and forks call it.</param>
/// <param name="Effects">What it sets off, by the words of <c>LinkEffects</c>; empty for nothing.</param>
public sealed record LetterLink(string Address, string Name, Dictionary<string, string> Effects);

/// <summary>A message that was opened, or a link in it that was followed; again and again is one row that counts.</summary>
public sealed class VisitRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid PersonId { get; set; }

    public Guid TouchId { get; set; }

    /// <summary>The first time.</summary>
    public Instant At { get; set; }

    /// <summary>The last time that was taken as news: a link followed again within the hour is none.</summary>
    public Instant LastAt { get; set; }

    /// <summary>How often.</summary>
    public int Count { get; set; } = 1;

    /// <summary>The link's place in the letter, from 0; null where the letter was opened.</summary>
    public int? Link { get; set; }

    /// <summary>True where a machine looked, not a person (rule 14.2).</summary>
    public bool ByMachine { get; set; }

    public string Agent { get; set; } = "";
}
