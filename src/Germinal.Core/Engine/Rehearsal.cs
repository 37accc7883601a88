using System.Collections.Concurrent;
using Germinal.Core.Contact;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>A touch as a rehearsal saw it.</summary>
public sealed record RehearsedTouch
{
    private readonly Going run;

    /// <summary>A run's current touch as it settles, or stands at the horizon.</summary>
    internal RehearsedTouch(Going run, Instant? settledAt, Outcome? outcome, string? reason, Trail trail)
    {
        this.run = run;
        Program = run.Program;
        Place = run.Place;
        Planned = run.Planned;
        Due = run.FirstDue;
        SettledAt = settledAt;
        Outcome = outcome;
        Reason = reason;
        Trail = trail;
        Nth = run.Readers.Length;
        Reader = run.Reader;
    }

    /// <summary>How many readers of its step had theirs before (rule 3.6).</summary>
    public int Nth { get; }

    /// <summary>Who reads it, where that is known and not the person.</summary>
    public Guid? Reader { get; }

    /// <summary>Its id, the same that the live run will give it.</summary>
    public Guid TouchId => TouchState.IdOf(RunId, Step.Id, Nth);

    /// <summary>Its run.</summary>
    public Guid RunId => run.Id;

    /// <summary>The how-manieth run of the program for the person, from 1.</summary>
    public int Run => run.Number;

    /// <summary>The program version.</summary>
    public ProgramVersion Program { get; }

    /// <summary>The step in the program's flow.</summary>
    public FlowStep Place { get; }

    /// <summary>The step.</summary>
    public Step Step => Place.Step;

    /// <summary>How it was planned; null for one that stood planned before the rehearsal began.</summary>
    public TouchPlanned? Planned { get; }

    /// <summary>Its first due moment.</summary>
    public Instant Due { get; }

    /// <summary>When it settled; for a task when it was put on the day sheet, or when it was done or withdrawn. Null when it had not at the horizon.</summary>
    public Instant? SettledAt { get; init; }

    /// <summary>What became of it; null when it had not settled.</summary>
    public Outcome? Outcome { get; init; }

    /// <summary>The reason of an outcome that has one; of a touch that waits or is blocked, why.</summary>
    public string? Reason { get; init; }

    /// <summary>What the decision looked at.</summary>
    public Trail Trail { get; }

    /// <summary>True of one that stands planned at the horizon because its run or its program is paused (rule 13.2).</summary>
    public bool IsPaused { get; init; }

    /// <summary>True of a commercial letter that stands planned because such mail has stopped.</summary>
    public bool StandsStill { get; init; }

    /// <summary>Why it does not go as things stand, to be shown; null where it goes, or is a task that will stand on the sheet.</summary>
    public string? WillNot =>
        IsPaused ? Said("it is paused")
        : StandsStill ? Said("commercial mail has stopped")
        : Outcome is Engine.Outcome.Skipped or Engine.Outcome.Cancelled or Engine.Outcome.Blocked ? Why.Reason(Reason)
        : null;

    /// <summary>When its run began.</summary>
    public Instant BeganAt => run.StartedAt;

    /// <summary>When it stands in the order of time: settled, else due.</summary>
    public Instant At => SettledAt ?? Due;
}

/// <summary>Somebody to rehearse with: the facts, what the engine remembers, and what happens to them in the order of time.</summary>
public sealed record Actor(PersonFacts Person, PersonState State, IReadOnlyList<Happening> Events)
{
    /// <summary>Somebody new to the engine to whom nothing happens.</summary>
    public static Actor New(PersonFacts person) => new(person, PersonState.Empty, []);
}

/// <summary>
/// The engine on a virtual clock (rule 12.1): nothing is sent or saved, and nobody reacts but as the given events say; a
/// task that holds its run is done on its day unless an event closes it.
/// </summary>
public static class Rehearsal
{
    /// <summary>Everything that comes for one person from a moment to a horizon, in order of time, then what is still planned.</summary>
    /// <param name="engine">The engine with the practice's programs.</param>
    /// <param name="person">The person's facts.</param>
    /// <param name="state">The person's state at <paramref name="from"/>.</param>
    /// <param name="from">The moment to begin at.</param>
    /// <param name="until">The horizon, itself excluded.</param>
    /// <param name="first">Something that happens at the beginning, such as a start by hand; or null.</param>
    /// <param name="most">The most settled touches wanted.</param>
    public static IReadOnlyList<RehearsedTouch> Of(
        TouchEngine engine,
        PersonFacts person,
        PersonState state,
        Instant from,
        Instant until,
        Happening? first = null,
        int most = 200
    )
    {
        var one = new PersonRehearsal(engine, new Actor(person, state, first is null ? [] : [first]), from, until, null);
        while (one.Touches.Count < most && one.Next() is { } moment)
        {
            one.AdvanceTo(moment);
        }

        return [.. one.Touches.OrderBy(t => t.At), .. one.Pending().Where(t => t.Due < until).OrderBy(t => t.Due)];
    }

    /// <summary>
    /// Rehearses many people on all cores. Each person's touches go to <paramref name="take"/> as soon as they are known, the
    /// settled ones in the order they settled, then those still planned; nothing of anybody is kept afterwards.
    /// </summary>
    /// <remarks>
    /// Without daily limits and start limits nobody concerns anybody else. With them it is done in two phases: first
    /// <see cref="SharedCounts"/> finds out who gets a place on which date, then everybody runs with those answers.
    /// </remarks>
    /// <param name="engine">The engine with the practice's programs.</param>
    /// <param name="people">Everybody; read more than once where people concern each other, so it may make them as it is asked.</param>
    /// <param name="from">The moment to begin at.</param>
    /// <param name="until">The horizon, itself excluded.</param>
    /// <param name="take">Called once for each person with their place in the list, from several threads at once.</param>
    /// <param name="progress">Told how many people are done, after each of them; null for nobody.</param>
    /// <param name="stop">Stops it; what was handed out stays handed out.</param>
    /// <exception cref="OperationCanceledException">It was stopped.</exception>
    public static void OfMany(
        TouchEngine engine,
        IReadOnlyList<Actor> people,
        Instant from,
        Instant until,
        Action<int, Actor, IReadOnlyList<RehearsedTouch>> take,
        IProgress<int>? progress,
        CancellationToken stop
    )
    {
        var counts = engine.SharesCounts ? SharedCounts.Settle(engine, people, from, until, stop) : null;
        var done = 0;
        OnAllCores(
            people.Count,
            () => counts?.Answers(),
            (i, answers) =>
            {
                var actor = people[i];
                var one = new PersonRehearsal(engine, actor, from, until, answers);
                one.RunToHorizon();
                take(i, actor, [.. one.Touches, .. one.Pending()]);
                progress?.Report(Interlocked.Increment(ref done));
            },
            static _ => { },
            stop
        );
    }

    /// <summary>Goes through people on all cores, some at a time.</summary>
    /// <param name="people">How many there are.</param>
    /// <param name="begin">Makes what the people of one chunk share.</param>
    /// <param name="one">Called for each person by their place.</param>
    /// <param name="end">Called after each chunk.</param>
    /// <param name="stop">Stops between two people.</param>
    internal static void OnAllCores<T>(int people, Func<T> begin, Action<int, T> one, Action<T> end, CancellationToken stop)
    {
        // A partitioner has no empty range.
        if (people == 0)
        {
            return;
        }

        Parallel.ForEach(
            Partitioner.Create(0, people, Math.Clamp(people / 64, 1, 64)),
            new ParallelOptions { CancellationToken = stop },
            chunk =>
            {
                var shared = begin();
                for (var i = chunk.Item1; i < chunk.Item2; i++)
                {
                    stop.ThrowIfCancellationRequested();
                    one(i, shared);
                }

                end(shared);
            }
        );
    }
}
