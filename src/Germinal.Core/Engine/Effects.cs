using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>What became of a touch.</summary>
public enum Outcome
{
    Sent,
    Open,
    Done,
    Skipped,
    Blocked,
    Cancelled,
    HandedOver,
}

/// <summary>The checks of section 8, in their order.</summary>
public enum CheckKind
{
    RunGoing = 1,
    PersonReachable = 2,
    OnlyIf = 3,
    HasAddress = 4,
    NotSuppressed = 5,
    Consent = 6,
    InTime = 7,
    WindowOpen = 8,
    Pace = 9,
    DailyLimit = 10,
    CanBeFilled = 11,
}

/// <summary>One check of a decision and the facts it found, in the order its sentence needs them.</summary>
public sealed record Check(CheckKind Kind, bool Passed, params string[] Found);

/// <summary>What started a run, for its why.</summary>
/// <param name="Kind">tag, stage, occasion, hand, switched-on, hand-over, loop.</param>
/// <param name="Detail">The tag, the stage, the occasion's name, the member, or the program that handed over.</param>
public sealed record StartCause(string Kind, string Detail);

/// <summary>How a due moment came about, for a touch's why.</summary>
/// <param name="Place">The kind of place: start, previous, occasion, on, yearly, key-date.</param>
/// <param name="Offset">The offset, or the date.</param>
/// <param name="Base">The moment or date it counts from, as text; empty where there is none.</param>
/// <param name="MovedByWindow">True when section 2 moved the moment.</param>
public sealed record PlanReason(string Place, string Offset, string Base, bool MovedByWindow);

/// <summary>What the engine wants done. Closed: the service carries out exactly these.</summary>
public abstract record Effect;

/// <summary>A run began.</summary>
public sealed record RunStarted(Guid RunId, Guid ProgramId, int Version, int Number, Instant At, StartCause Cause) : Effect;

/// <summary>A start was refused (rule 5.3): already-running, already-been, not-for, too-soon, do-not-contact, or program-off.</summary>
public sealed record StartRefused(Guid ProgramId, Instant At, string Reason, StartCause Cause) : Effect;

/// <summary>A run finished (no reason) or stopped.</summary>
public sealed record RunEnded(Guid RunId, Instant At, string? StopReason) : Effect;

/// <summary>A touch was planned.</summary>
public sealed record TouchPlanned(Guid TouchId, Guid RunId, string StepId, Instant FirstDue, Instant Due, PlanReason Plan) : Effect;

/// <summary>A touch was judged and waits for a new moment.</summary>
public sealed record TouchWaits(Guid TouchId, Instant Due, string Reason, IReadOnlyList<Check> Checks) : Effect;

/// <summary>A touch cannot go as it is and waits to be mended.</summary>
public sealed record TouchBlocked(Guid TouchId, Instant At, Instant GivenUpAt, string Reason, IReadOnlyList<Check> Checks) : Effect;

/// <summary>A blocked touch is to be judged again.</summary>
public sealed record TouchUnblocked(Guid TouchId, Instant Due) : Effect;

/// <summary>An email passed every check and is to be handed to its channel.</summary>
public sealed record TouchHanded(Guid TouchId, Guid RunId, string StepId, Instant At, IReadOnlyList<Check> Checks) : Effect;

/// <summary>A touch settled. For a call, <see cref="Outcome.Open"/> puts it on the day sheet.</summary>
public sealed record TouchSettled(Guid TouchId, Guid RunId, string StepId, Instant At, Outcome Outcome, string? Reason, IReadOnlyList<Check> Checks) : Effect;

/// <summary>A call left the day sheet: done with an outcome, or withdrawn with a reason.</summary>
public sealed record TaskClosed(Guid TouchId, Instant At, Outcome Outcome, string? Reason) : Effect;

/// <summary>A member's hold was put on or taken off.</summary>
public sealed record TouchHoldChanged(Guid TouchId, bool Held) : Effect;

/// <summary>The new state and what is to be done.</summary>
public sealed record Advance(PersonState State, IReadOnlyList<Effect> Effects);
