using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>An opportunity of a person: it stands in a stage of a pipeline until it is won or lost.</summary>
public sealed class OpportunityRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid PersonId { get; set; }

    public required string Title { get; set; }

    /// <summary><c>Pipeline/Stage</c>.</summary>
    public required string Stage { get; set; }

    /// <summary>Where the person stood when it was opened (rule 5.8); null for in no stage.</summary>
    public string? StageBefore { get; set; }

    /// <summary>Where it moved the person last; null while it has moved them nowhere.</summary>
    public string? MovedTo { get; set; }

    public Guid? OwnerId { get; set; }

    /// <summary>open, won or lost.</summary>
    public string Status { get; set; } = "open";

    public string? LostReason { get; set; }

    public Instant OpenedAt { get; set; }

    public Instant? ClosedAt { get; set; }

    /// <summary>Since when it stands in its stage.</summary>
    public Instant StageSince { get; set; }

    /// <summary>What it is worth, in the practice's currency; of one that was won, what it brought. Null where nobody has said.</summary>
    public decimal? Worth { get; set; }

    /// <summary>When it is expected to be closed; null where nobody has said.</summary>
    public LocalDate? ExpectedOn { get; set; }
}

/// <summary>An opportunity came into a stage, or was closed there: its way, from which the practice's numbers are.</summary>
public sealed class OpportunityMoveRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid OpportunityId { get; set; }

    public Instant At { get; set; }

    /// <summary>The stage it came into; of one that was closed, where it stood.</summary>
    public required string Stage { get; set; }

    /// <summary>open where it came into the stage; won or lost where it was closed.</summary>
    public string Status { get; set; } = "open";
}

/// <summary>A meeting with a person at a time.</summary>
public sealed class AppointmentRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid PersonId { get; set; }

    public required string Type { get; set; }

    public Instant At { get; set; }

    public string? Place { get; set; }

    public Guid? WithId { get; set; }

    public Instant? CancelledAt { get; set; }

    /// <summary>When a member noted that they did not come; null where they did, or it is still to be.</summary>
    public Instant? MissedAt { get; set; }

    /// <summary>How long it is.</summary>
    public int Minutes { get; set; } = 60;

    /// <summary>The page it was chosen on; null where a member made it.</summary>
    public Guid? PageId { get; set; }

    /// <summary>The mark of the page it was chosen on; sent twice, it is one.</summary>
    public string? Key { get; set; }

    /// <summary>How often it was moved or cancelled since it was first told (RFC 5545, 3.8.7.4).</summary>
    public int Sequence { get; set; }

    /// <summary>The IANA zone of whoever chose it; null where nobody knows.</summary>
    public string? ReaderZone { get; set; }

    /// <summary>What they wrote when they chose it.</summary>
    public string Words { get; set; } = "";

    /// <summary>The message whose link led to the page; null where nobody knows.</summary>
    public Guid? TouchId { get; set; }
}

/// <summary>Somebody asked for something.</summary>
public sealed class InquiryRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid PersonId { get; set; }

    /// <summary>The form, or null for one that came another way.</summary>
    public string? Form { get; set; }

    /// <summary>form, email, text, phone or hand.</summary>
    public required string How { get; set; }

    public string Text { get; set; } = "";

    public Instant ReceivedAt { get; set; }

    public Instant? AnsweredAt { get; set; }

    public string? AnsweredBy { get; set; }

    /// <summary>How it ended: wrote, called, marked or nothing; null while it waits.</summary>
    public string? Outcome { get; set; }

    /// <summary>What it is about, among the practice's topics; null where nobody knows.</summary>
    public string? Topic { get; set; }

    /// <summary>Who has it; null for nobody, as in those from before there were rules.</summary>
    public Guid? OwnerId { get; set; }

    /// <summary>Why they have it, in words.</summary>
    public string GivenWhy { get; set; } = "";

    /// <summary>When a member first did anything about it.</summary>
    public Instant? TouchedAt { get; set; }

    /// <summary>When it goes to the deputy if nobody has touched it; null for never, or where it has gone.</summary>
    public Instant? DeputyAt { get; set; }

    /// <summary>The submission it came with; null for one that came another way.</summary>
    public Guid? SubmissionId { get; set; }

    /// <summary>The mail or text it is; null for one that came another way.</summary>
    public long? ReceivedId { get; set; }

    /// <summary>The message whose link led to the form; null where nobody knows.</summary>
    public Guid? TouchId { get; set; }
}

/// <summary>A task or call of a member that no program planned: set off by a link, or written by hand.</summary>
public sealed class TaskRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>Whom it is about; null for something of the practice's own.</summary>
    public Guid? PersonId { get; set; }

    /// <summary>On whose day sheet it stands; null for the owner's of whom it is about.</summary>
    public Guid? MemberId { get; set; }

    /// <summary>When it comes again, as a recurrence rule of RFC 5545 (<c>FREQ=WEEKLY;INTERVAL=2</c>); empty for once.</summary>
    public string Rule { get; set; } = "";

    /// <summary>The day from which its rule counts: its first one; null for once.</summary>
    public LocalDate? RepeatsFrom { get; set; }

    /// <summary>What the tasks of one rule have in common; null for once.</summary>
    public Guid? SeriesId { get; set; }

    /// <summary>call or task.</summary>
    public required string Kind { get; set; }

    public required string Title { get; set; }

    public LocalDate Due { get; set; }

    /// <summary>Where it came from, in words.</summary>
    public string Source { get; set; } = "";

    public Instant CreatedAt { get; set; }

    public Instant? DoneAt { get; set; }

    public string? Outcome { get; set; }
}

/// <summary>Words that a single message has in the place of its step's. It is known by the touch, which may be foreseen only.</summary>
public sealed class OwnWordsRow : IOwned
{
    public Guid TouchId { get; set; }

    public Guid PracticeId { get; set; }

    public Guid PersonId { get; set; }

    /// <summary>An email's subject; empty for a text.</summary>
    public string Subject { get; set; } = "";

    public required string Body { get; set; }

    public required string By { get; set; }

    public Instant At { get; set; }
}

/// <summary>Two people that were found to be one. What was moved is kept, so that it can be taken back.</summary>
public sealed class MergeRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid KeptId { get; set; }

    public Guid MergedId { get; set; }

    public Instant At { get; set; }

    public required string By { get; set; }

    /// <summary>Both as they were, and the ids of every row that moved; JSON.</summary>
    public required string Before { get; set; }

    public Instant? UndoneAt { get; set; }
}
