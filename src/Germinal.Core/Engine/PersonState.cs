using System.Collections.Immutable;
using System.Globalization;
using System.Text.Json.Serialization;
using Germinal.Core.Contact;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>Where the current touch of a run stands.</summary>
public enum TouchPhase
{
    /// <summary>Waits for its due moment; a fork also for its answer.</summary>
    Planned,

    /// <summary>Decided to go, and being handed to its channel.</summary>
    Handing,

    /// <summary>Could not be filled; waits to be mended. Its due moment is when it is given up.</summary>
    Blocked,

    /// <summary>A task that the run waits for (<c>holds</c>).</summary>
    OnSheet,

    /// <summary>It settled at this very moment and what it set off is being taken in; never seen between two moments.</summary>
    Settled,
}

/// <summary>What a member said about a touch before it fell due.</summary>
public enum TouchMark
{
    /// <summary>It does not go until it is released.</summary>
    Held,

    /// <summary>It never goes; the run continues after it.</summary>
    Dropped,

    /// <summary>Somebody has read it and found it fine; where its program waits for that, it may go.</summary>
    Read,
}

/// <summary>The occasion that started a run.</summary>
/// <param name="Name">The key date's name, or the appointment's key.</param>
/// <param name="Date">The observed date in this year (rule 4.1); an appointment's date.</param>
/// <param name="Moment">An appointment's moment; null for a date.</param>
public sealed record OccasionRef(string Name, LocalDate Date, Instant? Moment = null);

/// <summary>The one touch of a run that has not settled; steps settle strictly in order (rule 3.1).</summary>
/// <param name="StepId">The step.</param>
/// <param name="FirstDue">The first due moment, after section 2 of the rules.</param>
/// <param name="Due">The moment it is judged next.</param>
/// <param name="Phase">Where it stands.</param>
/// <param name="Waiting">Why it waits or is blocked; null for one that has not been judged.</param>
public sealed record TouchState(string StepId, Instant FirstDue, Instant Due, TouchPhase Phase, string? Waiting = null)
{
    /// <summary>The stable id of a run's touch.</summary>
    /// <param name="runId">The run.</param>
    /// <param name="stepId">The step.</param>
    /// <param name="nth">How many readers of the step had theirs before (rule 3.6); 0 for the first, and for every step with one reader.</param>
    public static Guid IdOf(Guid runId, string stepId, int nth = 0) =>
        StableId.Of(runId, nth == 0 ? $"touch/{stepId}" : string.Create(CultureInfo.InvariantCulture, $"touch/{stepId}/{nth}"));

    /// <summary>How many readers of a step had theirs before a touch of it, found by its id; 0 where it is none of the step's.</summary>
    /// <param name="touch">The touch.</param>
    /// <param name="runId">Its run.</param>
    /// <param name="stepId">Its step.</param>
    public static int NthOf(Guid touch, Guid runId, string stepId) =>
        Enumerable.Range(0, MostReaders).FirstOrDefault(nth => IdOf(runId, stepId, nth) == touch);

    /// <summary>More people than anybody has in one relation.</summary>
    private const int MostReaders = 1000;
}

/// <summary>Something that became of an earlier step that a fork asks about.</summary>
/// <param name="StepId">The step; empty for what concerns the run as a whole.</param>
/// <param name="What">sent, opened, link, replied, bounced, call or form.</param>
/// <param name="Detail">The link, the outcome or the form; empty for the rest.</param>
public sealed record Seen(string StepId, string What, string Detail = "");

/// <summary>An unfinished run.</summary>
/// <param name="Id">Stable id from person, program and number.</param>
/// <param name="ProgramId">The program.</param>
/// <param name="Version">The version it started on and continues with (rule 13.1).</param>
/// <param name="Number">The how-manieth run of this program for this person, from 1.</param>
/// <param name="StartedAt">The moment of the start.</param>
/// <param name="Occasion">The occasion that started it, or null.</param>
/// <param name="StepIndex">Place of the step whose touch is <paramref name="Touch"/> in the program's <see cref="StepFlow"/>.</param>
/// <param name="PreviousAt">When the step before settled; the start for the first.</param>
/// <param name="Touch">The touch that has not settled.</param>
/// <param name="StopAfterHanding">A stop that came while the touch was being handed over; it ends the run afterwards.</param>
/// <param name="PausedAt">Since when the run is paused by itself, or null.</param>
/// <param name="PausedUntil">When it goes on by itself (rule 13.2); null for a pause without an end.</param>
public sealed record RunState(
    Guid Id,
    Guid ProgramId,
    int Version,
    int Number,
    Instant StartedAt,
    OccasionRef? Occasion,
    int StepIndex,
    Instant PreviousAt,
    TouchState Touch,
    string? StopAfterHanding = null,
    Instant? PausedAt = null,
    Instant? PausedUntil = null
) : IOnItsWay
{
    /// <summary>What forks may still ask about, in the order it happened.</summary>
    public ImmutableArray<Seen> Seen { get; init; } = [];

    /// <summary>Who has had theirs of a step that goes to several readers (rule 3.6).</summary>
    public ImmutableArray<Guid> Readers { get; init; } = [];

    /// <summary>Who reads the touch that has not settled, once that is known; null for the person, and before it was judged.</summary>
    public Guid? Reader { get; init; }

    /// <inheritdoc/>
    public bool WaitsToBeRead(ProgramShelf shelf) =>
        shelf.AnyWaitsToBeRead && shelf.Find(ProgramId, Version) is var program && program.Definition.WaitsToBeRead && program.Flow.Steps[StepIndex].Step.IsMessage;

    /// <inheritdoc/>
    public bool StandsStill(ProgramShelf shelf) =>
        shelf.CommercialMailStands && shelf.Find(ProgramId, Version) is var program && program.Definition.IsCommercialMail(program.Flow.Steps[StepIndex].Step);

    /// <inheritdoc/>
    public bool Equals(RunState? other) =>
        other is not null
        && Id == other.Id
        && Version == other.Version
        && StepIndex == other.StepIndex
        && PreviousAt == other.PreviousAt
        && Touch == other.Touch
        && Occasion == other.Occasion
        && StopAfterHanding == other.StopAfterHanding
        && PausedAt == other.PausedAt
        && PausedUntil == other.PausedUntil
        && Reader == other.Reader
        && Readers.SequenceEqual(other.Readers)
        && Seen.SequenceEqual(other.Seen);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Id, Version, StepIndex, Touch);

    /// <summary>The stable id of a person's run of a program.</summary>
    /// <param name="person">The person.</param>
    /// <param name="program">The program.</param>
    /// <param name="number">The how-manieth it is for them, from 1.</param>
    public static Guid IdOf(Guid person, Guid program, int number) => StableId.Of(person, $"run/{program:N}/{number.ToString(CultureInfo.InvariantCulture)}");

    /// <summary>The stable id of the touch that has not settled.</summary>
    [JsonIgnore]
    public Guid TouchId => TouchState.IdOf(Id, Touch.StepId, Readers.Length);

    Instant IOnItsWay.Due => Touch.Due;

    TouchPhase IOnItsWay.Phase => Touch.Phase;

    bool IOnItsWay.IsPausedOn(ProgramShelf shelf) => PausedAt is not null || shelf.IsPaused(ProgramId);
}

/// <summary>What is remembered of a program's runs for one person.</summary>
/// <param name="Started">How many were ever started; the next one's number follows it.</param>
/// <param name="LastEnded">When the last one ended that counts.</param>
/// <param name="TakenBack">How many of them were taken back and do not count.</param>
public sealed record PastRuns(int Started, Instant? LastEnded, int TakenBack = 0)
{
    /// <summary>How many count as having been.</summary>
    [JsonIgnore]
    public int Counted => Started - TakenBack;
}

/// <summary>A task that stands on the day sheet.</summary>
/// <param name="RunId">Its run.</param>
/// <param name="ProgramId">The run's program.</param>
/// <param name="StepId">The step.</param>
/// <param name="MissedAt">When it is closed as missed if it still stands there (rule 3.8); null: it stays.</param>
/// <param name="Nth">How many readers of its step had theirs before (rule 3.6).</param>
public sealed record OpenTask(Guid RunId, Guid ProgramId, string StepId, Instant? MissedAt = null, int Nth = 0)
{
    /// <summary>The stable id of its touch.</summary>
    [JsonIgnore]
    public Guid TouchId => TouchState.IdOf(RunId, StepId, Nth);
}

/// <summary>A commercial touch that was sent, kept as long as a pace rule counts it (rule 9.1).</summary>
public readonly record struct SentTouch(Instant At, Channel Channel);

/// <summary>An appointment that has not been cancelled.</summary>
public sealed record Appointment(string Key, string? Type, Instant Moment);

/// <summary>How many starts of a person were asked for at one moment, so that programs that start each other without end are noticed.</summary>
public sealed record StartsAtOnce(Instant At, int Count);

/// <summary>A start that waits for its turn (rule 5.5).</summary>
/// <param name="ProgramId">The program.</param>
/// <param name="Came">When it came: first come, first served.</param>
/// <param name="Cause">What caused it.</param>
/// <param name="Occasion">Its occasion, or null.</param>
public sealed record WaitingStart(Guid ProgramId, Instant Came, StartCause Cause, OccasionRef? Occasion);

/// <summary>
/// Everything the engine remembers of one person between two moments: immutable, small enough to load whole. Settled
/// history is not in it.
/// </summary>
public sealed record PersonState
{
    /// <summary>The form in which states are written now; it goes up when an older Germinal could not read them whole.</summary>
    public const int CurrentForm = 5;

    /// <summary>The form this state was written in; those from before there were forms count as the first.</summary>
    public int Form { get; init; } = CurrentForm;

    /// <summary>Somebody for whom nothing has ever run.</summary>
    public static PersonState Empty { get; } = new();

    public ImmutableArray<RunState> Runs { get; init; } = [];

    public ImmutableArray<OpenTask> OpenTasks { get; init; } = [];

    public ImmutableDictionary<Guid, PastRuns> Been { get; init; } = ImmutableDictionary<Guid, PastRuns>.Empty;

    /// <summary>Keys of occasions and appointments that have had their run (rules 4.2, 4.4).</summary>
    public ImmutableHashSet<string> Occasions { get; init; } = [];

    public ImmutableDictionary<Guid, TouchMark> Marks { get; init; } = ImmutableDictionary<Guid, TouchMark>.Empty;

    /// <summary>Dates to which a member has moved touches that have not settled, planned already or not.</summary>
    public ImmutableDictionary<Guid, LocalDate> Moves { get; init; } = ImmutableDictionary<Guid, LocalDate>.Empty;

    /// <summary>Touches that go in spite of missing consent: who said so and why (rule 10.5).</summary>
    public ImmutableDictionary<Guid, string> Overruled { get; init; } = ImmutableDictionary<Guid, string>.Empty;

    /// <summary>Commercial touches a pace rule still counts, oldest first.</summary>
    public ImmutableArray<SentTouch> Sent { get; init; } = [];

    public ImmutableArray<Appointment> Appointments { get; init; } = [];

    /// <summary>When each inquiry came in that has not been answered, oldest first.</summary>
    public ImmutableArray<Instant> Inquiries { get; init; } = [];

    public ImmutableArray<WaitingStart> Waiting { get; init; } = [];

    /// <summary>Keys of the segments they match, of programs that start by them (rule 5.1, <see cref="SegmentWatch"/>).</summary>
    public ImmutableHashSet<string> Matching { get; init; } = [];

    /// <summary>When the last message was sent or call done.</summary>
    public Instant? LastTouch { get; init; }

    /// <summary>When they last replied.</summary>
    public Instant? LastReply { get; init; }

    /// <summary>How many starts there have been of this person at one moment; the last moment there was any.</summary>
    public StartsAtOnce? Starts { get; init; }

    /// <summary>
    /// When the next touch is planned that goes as things stand, or null: what is held, paused or blocked is not coming. Rules read
    /// it as <c>next-touch</c>.
    /// </summary>
    public Instant? NextTouch(ProgramShelf shelf) => NextTouch(Runs.AsSpan(), shelf);

    internal Instant? NextTouch<T>(ReadOnlySpan<T> runs, ProgramShelf shelf)
        where T : IOnItsWay
    {
        Instant? next = null;
        foreach (var run in runs)
        {
            if (run.Phase != TouchPhase.Blocked && (next is null || run.Due < next) && IsJudged(run, shelf, allRead: true))
            {
                next = run.Due;
            }
        }

        return next;
    }

    /// <summary>The least by which one moment is after another, where moments are kept to the microsecond as a database does: anything less is lost there, and what is due then would be due now for ever.</summary>
    internal static readonly Duration Later = Duration.FromNanoseconds(1000L);

    /// <summary>The next moment at which a touch is to be judged, or null. Held touches and paused programs do not count.</summary>
    public Instant? NextDue(ProgramShelf shelf) => NextDue(Runs.AsSpan(), shelf, allRead: false);

    internal Instant? NextDue<T>(ReadOnlySpan<T> runs, ProgramShelf shelf, bool allRead)
        where T : IOnItsWay
    {
        Instant? next = null;
        Instant? onItsWay = null;
        foreach (var run in runs)
        {
            var due = run.Due;
            if ((next is null || due < next) && IsJudged(run, shelf, allRead))
            {
                next = due;
            }

            if (run.Phase == TouchPhase.Handing && (onItsWay is null || due > onItsWay))
            {
                onItsWay = due;
            }
        }

        // What is due at the moment of a letter that is on its way is judged once it has settled, or at any later moment; moments are kept to
        // the microsecond, and one that fell back onto this one would be looked at over and over.
        return next <= onItsWay ? onItsWay.Value + Later : next;
    }

    internal bool IsJudged<T>(T run, ProgramShelf shelf, bool allRead)
        where T : IOnItsWay =>
        run.Phase is TouchPhase.Planned or TouchPhase.Blocked
        && !run.IsPausedOn(shelf)
        && (run.Phase == TouchPhase.Blocked || !run.StandsStill(shelf))
        && (Marks.IsEmpty || Marks.GetValueOrDefault(run.TouchId, TouchMark.Dropped) != TouchMark.Held)
        && (allRead || run.Phase == TouchPhase.Blocked || !run.WaitsToBeRead(shelf) || HasBeenRead(run.TouchId));

    /// <summary>Whether a member has read a message that is to come and found it fine.</summary>
    public bool HasBeenRead(Guid touch) => Marks.TryGetValue(touch, out var mark) && mark == TouchMark.Read;
}
