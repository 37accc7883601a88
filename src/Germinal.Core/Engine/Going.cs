using System.Collections.Immutable;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>Where the current touch of a run stands, asked alike of a saved run and of one that is being worked on.</summary>
internal interface IOnItsWay
{
    Guid ProgramId { get; }

    Guid TouchId { get; }

    /// <summary>The moment the touch is judged next.</summary>
    Instant Due { get; }

    TouchPhase Phase { get; }

    /// <summary>True while the run, or its whole program, is frozen (rule 13.2).</summary>
    bool IsPausedOn(ProgramShelf shelf);

    /// <summary>True of a message whose program lets it go only once somebody has read it.</summary>
    bool WaitsToBeRead(ProgramShelf shelf);

    /// <summary>True of a commercial letter while the practice's commercial mail stands still.</summary>
    bool StandsStill(ProgramShelf shelf);
}

/// <summary>
/// A run while a turn works on it: the turn's own copy of what is saved, with the program at hand. It lives as long as the
/// turn; what leaves the turn is <see cref="Saved"/>, which never changes.
/// </summary>
internal sealed class Going : IOnItsWay
{
    /// <summary>A run that begins now; its first step is yet to be planned.</summary>
    public Going(Guid id, ProgramVersion program, int number, Instant now, OccasionRef? occasion)
    {
        Id = id;
        Program = program;
        Number = number;
        StartedAt = now;
        Occasion = occasion;
        PreviousAt = now;
        FirstDue = now;
        Due = now;
        StepId = "";
    }

    /// <summary>A run as it was saved.</summary>
    public Going(RunState saved, ProgramVersion program)
    {
        Id = saved.Id;
        Program = program;
        Number = saved.Number;
        StartedAt = saved.StartedAt;
        Occasion = saved.Occasion;
        StepIndex = saved.StepIndex;
        PreviousAt = saved.PreviousAt;
        StepId = saved.Touch.StepId;
        FirstDue = saved.Touch.FirstDue;
        Due = saved.Touch.Due;
        Phase = saved.Touch.Phase;
        Waiting = saved.Touch.Waiting;
        StopAfterHanding = saved.StopAfterHanding;
        PausedAt = saved.PausedAt;
        PausedUntil = saved.PausedUntil;
        Seen = saved.Seen;
        Readers = saved.Readers;
        Reader = saved.Reader;
    }

    public Guid Id { get; }

    /// <summary>The how-manieth run of the program for the person, from 1.</summary>
    public int Number { get; }

    public Instant StartedAt { get; }

    public ProgramVersion Program { get; set; }

    public OccasionRef? Occasion { get; set; }

    /// <summary>Place of the current step in the program's flow.</summary>
    public int StepIndex { get; set; }

    /// <summary>When the step before settled; the start for the first.</summary>
    public Instant PreviousAt { get; set; }

    /// <summary>The step of the current touch; empty before the first is planned.</summary>
    public string StepId { get; set; }

    public Instant FirstDue { get; set; }

    /// <inheritdoc/>
    public Instant Due { get; set; }

    /// <inheritdoc/>
    public TouchPhase Phase { get; set; }

    /// <summary>Why the touch waits or is blocked; null for one that has not been judged.</summary>
    public string? Waiting { get; set; }

    /// <summary>A stop that came while the touch was being handed over.</summary>
    public string? StopAfterHanding { get; set; }

    public Instant? PausedAt { get; set; }

    /// <summary>When it goes on by itself; null for a pause without an end.</summary>
    public Instant? PausedUntil { get; set; }

    public ImmutableArray<Seen> Seen { get; set; } = [];

    /// <summary>Who has had theirs of the current step (rule 3.6).</summary>
    public ImmutableArray<Guid> Readers { get; set; } = [];

    /// <summary>Who reads the current touch, once it was judged; null for the person.</summary>
    public Guid? Reader { get; set; }

    /// <summary>True while a touch that pace holds back is passed over (<see cref="Sleeping"/>).</summary>
    public bool Sleeps { get; set; }

    /// <summary>How the current touch was planned, where that was in this turn.</summary>
    public TouchPlanned? Planned { get; set; }

    public Guid ProgramId => Program.ProgramId;

    public ProgramDefinition Definition => Program.Definition;

    public FlowStep Place => Program.Flow.Steps[StepIndex];

    public Step Step => Place.Step;

    /// <inheritdoc/>
    public Guid TouchId => TouchState.IdOf(Id, StepId, Readers.Length);

    /// <inheritdoc/>
    public bool IsPausedOn(ProgramShelf shelf) => PausedAt is not null || (!LivesThroughPause && shelf.IsPaused(ProgramId));

    /// <inheritdoc/>
    public bool WaitsToBeRead(ProgramShelf shelf) => Definition.WaitsToBeRead && Step.IsMessage;

    /// <inheritdoc/>
    public bool StandsStill(ProgramShelf shelf) => shelf.CommercialMailStands && Definition.IsCommercialMail(Step);

    /// <summary>True in a rehearsal where the pause of the whole program has an end: only a pause of the run's own counts.</summary>
    public bool LivesThroughPause { get; set; }

    /// <summary>In a rehearsal, the pause of the whole program ends when it says: the run has it as its own.</summary>
    public void TakeOver(Instant pauseEnd, Instant now)
    {
        LivesThroughPause = true;
        if (PausedAt is null || PausedUntil < pauseEnd)
        {
            (PausedAt, PausedUntil) = (PausedAt ?? now, pauseEnd);
        }
    }

    /// <summary>What is saved of it.</summary>
    public RunState Saved() =>
        new(
            Id,
            ProgramId,
            Program.Version,
            Number,
            StartedAt,
            Occasion,
            StepIndex,
            PreviousAt,
            new TouchState(StepId, FirstDue, Due, Phase, Waiting),
            StopAfterHanding,
            PausedAt,
            PausedUntil
        )
        {
            Seen = Seen,
            Readers = Readers,
            Reader = Reader,
        };
}
