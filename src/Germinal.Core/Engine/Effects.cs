using System.Text.Json;
using System.Text.Json.Serialization;
using Germinal.Core.Contact;
using Germinal.Core.Programs;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Engine;

/// <summary>What became of a touch. Closed.</summary>
public enum Outcome
{
    /// <summary>A message went out.</summary>
    Sent,

    /// <summary>A task was put on the day sheet and stands there.</summary>
    Open,

    /// <summary>A task was done; a program's <c>end</c> was reached.</summary>
    Done,

    /// <summary>It does not go, for a reason of sections 3 and 8.</summary>
    Skipped,

    /// <summary>It could not go and was given up.</summary>
    Blocked,

    /// <summary>A stop or a member took it off.</summary>
    Cancelled,

    /// <summary>A change was made.</summary>
    Changed,

    /// <summary>A fork went one way: yes or no.</summary>
    Forked,

    /// <summary>A split went one way, by its number from 1.</summary>
    Split,

    /// <summary>Another program was started.</summary>
    HandedOver,
}

/// <summary>What can start a run. Closed.</summary>
[JsonConverter(typeof(CauseWords))]
public enum CauseKind
{
    Hand,
    SwitchedOn,
    Tag,
    List,
    Stage,
    StageAge,
    Inquiry,
    Unanswered,
    Won,
    Lost,
    Occasion,
    Appointment,
    Link,
    Keyword,
    Finished,
    Added,
    Segment,
    HandOver,
    Loop,
    Broadcast,
}

/// <summary>Stores a cause as its word: <c>hand-over</c>.</summary>
public sealed class CauseWords() : JsonStringEnumConverter<CauseKind>(JsonNamingPolicy.KebabCaseLower, allowIntegerValues: false);

/// <summary>What started a run, for its why.</summary>
/// <param name="Kind">What kind of thing it was.</param>
/// <param name="Detail">The tag, the stage, the occasion's name, the member, or the program that handed over.</param>
public sealed record StartCause(CauseKind Kind, string Detail);

/// <summary>How a due moment came about, as it is stored and told.</summary>
/// <param name="Place">The kind of place: start, previous, occasion, on, yearly, key-date.</param>
/// <param name="Offset">The offset, or the date.</param>
/// <param name="Base">The moment or date it counts from, as text; empty where there is none.</param>
/// <param name="MovedByWindow">True when section 2 moved the moment.</param>
public sealed record PlanReason(string Place, string Offset, string Base, bool MovedByWindow);

/// <summary>What the engine wants done. Closed: the service carries out exactly these.</summary>
public abstract record Effect;

/// <summary>A run began.</summary>
public sealed record RunStarted(Guid RunId, Guid ProgramId, int Version, int Number, Instant At, StartCause Cause) : Effect;

/// <summary>
/// A start was refused (rule 5.3): already-running, already-been, not-for, too-soon, do-not-contact, held-out, program-off.
/// </summary>
public sealed record StartRefused(Guid ProgramId, Instant At, string Reason, StartCause Cause) : Effect;

/// <summary>A start waits for its turn under the program's start limit (rule 5.5).</summary>
public sealed record StartWaits(Guid ProgramId, Instant At, StartCause Cause) : Effect;

/// <summary>A run finished (no reason) or stopped.</summary>
public sealed record RunEnded(Guid RunId, Instant At, string? StopReason) : Effect;

/// <summary>A run that had been stopped by mistake goes on as it stood, its touch with it.</summary>
public sealed record RunGoesOn(RunState Run) : Effect;

/// <summary>A run was paused, without an end or until a moment, or goes on.</summary>
public sealed record RunPaused(Guid RunId, Instant At, bool Paused, Instant? Until = null) : Effect;

/// <summary>The date came until which a person was not to be contacted (rule 6.2); the mark is to be taken off.</summary>
public sealed record ContactAllowed(Instant At) : Effect;

/// <summary>A fact of the person is to be changed, and the change written to the event log as dealt with.</summary>
public sealed record FactToChange(Guid RunId, string StepId, Happening Change) : Effect;

/// <summary>A message to the owner is to be delivered inside the practice.</summary>
public sealed record OwnerToTell(Guid TouchId, Instant At) : Effect;

/// <summary>What concerns one touch: step <see cref="StepId"/> of run <see cref="RunId"/>.</summary>
public abstract record TouchEffect(Guid RunId, string StepId) : Effect
{
    /// <summary>How many readers of the step had theirs before (rule 3.6).</summary>
    public int Nth { get; init; }

    /// <summary>Who reads it, where that is known and not the person.</summary>
    public Guid? Reader { get; init; }

    /// <summary>The touch's stable id.</summary>
    public Guid TouchId => TouchState.IdOf(RunId, StepId, Nth);
}

/// <summary>A touch was planned, or planned anew because its appointment moved.</summary>
/// <param name="RunId">Its run.</param>
/// <param name="StepId">Its step.</param>
/// <param name="FirstDue">The first due moment, after section 2 of the rules.</param>
/// <param name="Due">The moment it is judged next.</param>
/// <param name="When">The place in time the step names.</param>
/// <param name="Since">The moment it counts from, where it counts from one.</param>
/// <param name="SinceDate">The date it counts from, where it counts from one.</param>
/// <param name="Moved">True when section 2 moved the moment.</param>
public sealed record TouchPlanned(Guid RunId, string StepId, Instant FirstDue, Instant Due, When When, Instant? Since, LocalDate? SinceDate, bool Moved)
    : TouchEffect(RunId, StepId)
{
    /// <summary>How the due moment came about.</summary>
    public PlanReason Plan
    {
        get
        {
            var since =
                Since is { } at ? InstantPattern.ExtendedIso.Format(at)
                : SinceDate is { } date ? LocalDatePattern.Iso.Format(date)
                : "";
            return When switch
            {
                FromStart f => new PlanReason("start", f.Offset.Text, since, Moved),
                FromPrevious f => new PlanReason("previous", f.Offset.Text, since, Moved),
                FromOccasion f => new PlanReason("occasion", f.Offset.Text, since, Moved),
                OnDate d => new PlanReason("on", LocalDatePattern.Iso.Format(d.Date), since, Moved),
                OnYearly y => new PlanReason("yearly", y.Date.ToString(), since, Moved),
                FromKeyDate k => new PlanReason("key-date", k.Offset.Text, $"{k.Date} {since}", Moved),
                _ => throw new InvalidOperationException($"There is no place in time of the kind {When.GetType().Name}."),
            };
        }
    }
}

/// <summary>A decision about a touch, with everything it looked at (section 8).</summary>
public abstract record TouchDecision(Guid RunId, string StepId, Trail Trail) : TouchEffect(RunId, StepId)
{
    /// <summary>The checks in their order, each with what it found.</summary>
    public IReadOnlyList<Check> Checks => Trail.ToChecks();
}

/// <summary>A touch was judged and waits for a new moment: window, pace, daily-limit, or answer (a fork).</summary>
public sealed record TouchWaits(Guid RunId, string StepId, Instant At, Instant Due, string Reason, Trail Trail) : TouchDecision(RunId, StepId, Trail);

/// <summary>A touch cannot go as it is and waits to be mended.</summary>
public sealed record TouchBlocked(Guid RunId, string StepId, Instant At, Instant GivenUpAt, string Reason, Trail Trail) : TouchDecision(RunId, StepId, Trail);

/// <summary>A blocked touch is to be judged again.</summary>
public sealed record TouchUnblocked(Guid RunId, string StepId, Instant Due) : TouchEffect(RunId, StepId);

/// <summary>A message passed every check and is to be handed to its channel.</summary>
public sealed record TouchHanded(Guid RunId, string StepId, Instant At, Trail Trail) : TouchDecision(RunId, StepId, Trail);

/// <summary>A touch settled. For a task, <see cref="Outcome.Open"/> puts it on the day sheet.</summary>
public sealed record TouchSettled(Guid RunId, string StepId, Instant At, Outcome Outcome, string? Reason, Trail Trail) : TouchDecision(RunId, StepId, Trail);

/// <summary>A touch is not to come after all: what planned it was taken back. If it is reached again it is planned anew.</summary>
public sealed record TouchUnplanned(Guid RunId, string StepId) : TouchEffect(RunId, StepId);

/// <summary>A task left the day sheet: done with an outcome, or withdrawn with a reason.</summary>
public sealed record TaskClosed(Guid RunId, string StepId, Instant At, Outcome Outcome, string? Reason, string? Remark = null) : TouchEffect(RunId, StepId);

/// <summary>A task that had left the day sheet stands on it again.</summary>
public sealed record TaskPutBack(Guid RunId, string StepId) : TouchEffect(RunId, StepId);

/// <summary>A member's hold was put on or taken off.</summary>
public sealed record TouchHoldChanged(Guid TouchId, bool Held) : Effect;

/// <summary>A member moved a touch to another date, or took that back.</summary>
/// <param name="TouchId">The touch.</param>
/// <param name="Day">The date; null where it is its own again.</param>
/// <param name="Due">When it is judged next; null for a task that stands on the day sheet already.</param>
public sealed record TouchDayChanged(Guid TouchId, LocalDate? Day, Instant? Due) : Effect;

/// <summary>The new state, the facts after the program's own changes, and what is to be done.</summary>
public sealed record Advance(PersonState State, PersonFacts Person, IReadOnlyList<Effect> Effects);
