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

    /// <summary>email, call or hand-over.</summary>
    public required string Kind { get; set; }

    /// <summary>planned, handing, uncertain, blocked, open, or an outcome: sent, done, skipped, cancelled, given-up, handed-over.</summary>
    public required string Status { get; set; }

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

    /// <summary>Machine time until which the worker that hands it over holds it.</summary>
    public Instant? LeasedUntil { get; set; }
}

/// <summary>A message as it went out.</summary>
public sealed class MessageRow : IOwned
{
    public Guid TouchId { get; set; }

    public Guid PracticeId { get; set; }

    public Guid PersonId { get; set; }

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
}
