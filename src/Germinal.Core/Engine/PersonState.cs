using System.Collections.Immutable;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>Where the current touch of a run stands.</summary>
public enum TouchPhase
{
    /// <summary>Waits for its due moment.</summary>
    Planned,

    /// <summary>Decided to go, and being handed to its channel.</summary>
    Handing,

    /// <summary>Could not be filled; waits to be mended. Its due moment is when it is given up.</summary>
    Blocked,

    /// <summary>A call that the run waits for (<c>holds</c>).</summary>
    OnSheet,
}

/// <summary>What a member said about a touch before it fell due.</summary>
public enum TouchMark
{
    /// <summary>It does not go until it is released.</summary>
    Held,

    /// <summary>It never goes; the run continues after it.</summary>
    Dropped,
}

/// <summary>The occasion that started a run.</summary>
/// <param name="Name">The key date's name.</param>
/// <param name="Date">The observed date in this year (rule 4.1).</param>
public sealed record OccasionRef(string Name, LocalDate Date);

/// <summary>The one touch of a run that has not settled; steps settle strictly in order (rule 3.1).</summary>
/// <param name="Id">Stable id from run and step.</param>
/// <param name="StepId">The step.</param>
/// <param name="FirstDue">The first due moment, after section 2 of the rules.</param>
/// <param name="Due">The moment it is judged next.</param>
/// <param name="Phase">Where it stands.</param>
public sealed record TouchState(Guid Id, string StepId, Instant FirstDue, Instant Due, TouchPhase Phase);

/// <summary>An unfinished run.</summary>
/// <param name="Id">Stable id from person, program and number.</param>
/// <param name="ProgramId">The program.</param>
/// <param name="Version">The version it started on and continues with (rule 13.1).</param>
/// <param name="Number">The how-manieth run of this program for this person, from 1.</param>
/// <param name="StartedAt">The moment of the start.</param>
/// <param name="Occasion">The occasion that started it, or null.</param>
/// <param name="StepIndex">Index of the step whose touch is <paramref name="Touch"/>.</param>
/// <param name="PreviousAt">When the step before settled; the start for the first.</param>
/// <param name="Touch">The touch that has not settled.</param>
/// <param name="StopAfterHanding">A stop that came while the touch was being handed over; it ends the run afterwards.</param>
public sealed record RunState(
    Guid Id, Guid ProgramId, int Version, int Number, Instant StartedAt, OccasionRef? Occasion, int StepIndex, Instant PreviousAt, TouchState Touch, string? StopAfterHanding = null);

/// <summary>What is remembered of a program's ended runs for one person.</summary>
public sealed record PastRuns(int Started, Instant? LastEnded);

/// <summary>A call that stands on the day sheet.</summary>
public sealed record OpenTask(Guid TouchId, Guid RunId, Guid ProgramId, string StepId);

/// <summary>
/// Everything the engine remembers of one person between two moments: immutable, small enough to load whole. Settled
/// history is not in it.
/// </summary>
public sealed record PersonState
{
    /// <summary>Somebody for whom nothing has ever run.</summary>
    public static PersonState Empty { get; } = new();

    public ImmutableList<RunState> Runs { get; init; } = [];

    public ImmutableList<OpenTask> OpenTasks { get; init; } = [];

    public ImmutableDictionary<Guid, PastRuns> Been { get; init; } = ImmutableDictionary<Guid, PastRuns>.Empty;

    /// <summary>Keys of occasions that have had their run: <c>program/occasion/year</c> (rule 4.2).</summary>
    public ImmutableHashSet<string> Occasions { get; init; } = [];

    public ImmutableDictionary<Guid, TouchMark> Marks { get; init; } = ImmutableDictionary<Guid, TouchMark>.Empty;

    /// <summary>The next moment at which something is to be judged, or null. Held touches and paused programs do not count.</summary>
    public Instant? NextDue(ProgramShelf shelf)
    {
        Instant? next = null;
        foreach (var run in Runs)
        {
            if (IsJudged(run, shelf) && (next is null || run.Touch.Due < next))
            {
                next = run.Touch.Due;
            }
        }

        return next;
    }

    internal bool IsJudged(RunState run, ProgramShelf shelf) =>
        run.Touch.Phase is TouchPhase.Planned or TouchPhase.Blocked &&
        Marks.GetValueOrDefault(run.Touch.Id, TouchMark.Dropped) != TouchMark.Held &&
        !shelf.IsPaused(run.ProgramId);
}
