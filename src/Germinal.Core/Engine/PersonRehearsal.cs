using Germinal.Core.Contact;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// One person on a virtual clock: goes from one moment at which something happens straight to the next. Events come
/// first, then what the calendar brings, then touches.
/// </summary>
internal sealed class PersonRehearsal
{
    private readonly TouchEngine engine;
    private readonly Actor actor;
    private readonly Instant from;
    private readonly Instant until;
    private readonly PersonTurn turn;
    private readonly List<RehearsedTouch> touches = [];
    private readonly Dictionary<Guid, int> onSheet = [];
    private IReadOnlyList<Happening> alarms = [];
    private bool alarmsAreStale = true;
    private Instant clock;
    private int nextEvent;
    private int taken;

    /// <param name="keeps">False where nobody asks for the touches afterwards, only for what is asked of the counters.</param>
    public PersonRehearsal(TouchEngine engine, Actor actor, Instant from, Instant until, ICounters? counters, bool keeps = true)
    {
        this.engine = engine;
        this.actor = actor;
        this.from = from;
        this.until = until;

        // An alarm at the very beginning counts, so the clock begins the smallest step before it.
        clock = from - Duration.Epsilon;
        turn = new PersonTurn(engine, actor.Person, actor.State, from, counters) { Rehearses = true, Rehearsed = keeps ? touches : null };

        // What is switched on where the rehearsal begins waits for those who begin to match from then on.
        if (!engine.Watch.Watched.IsEmpty)
        {
            var fresh = engine.Shelf.On.Where(p => p.Since >= from).Select(p => p.Current.ProgramId).ToHashSet();
            turn.TakeMatchesAsKnown(w => fresh.Contains(w.Program.ProgramId));
        }

        foreach (var run in turn.Runs)
        {
            if (engine.Shelf.PauseEnd(run.ProgramId) is { } end)
            {
                run.TakeOver(end, from);
            }
        }
    }

    /// <summary>The touches that have settled, in the order they did; tasks where they were put on the sheet.</summary>
    public IReadOnlyList<RehearsedTouch> Touches => touches;

    /// <summary>The person as they are at the moment reached.</summary>
    public PersonFacts Person => turn.Person;

    /// <summary>Lives through every moment before the horizon.</summary>
    public void RunToHorizon()
    {
        while (Next() is { } moment)
        {
            AdvanceTo(moment);
        }
    }

    /// <summary>The next moment at which anything happens before the horizon, or null.</summary>
    public Instant? Next()
    {
        if (alarmsAreStale)
        {
            alarms = AlarmsBetween(clock, until);
            alarmsAreStale = false;
        }

        var next = turn.NextDue() is { } due ? Instant.Max(due, from) : Instant.MaxValue;
        if (alarms.Count > 0)
        {
            next = Instant.Min(next, alarms[0].At);
        }

        if (nextEvent < actor.Events.Count)
        {
            next = Instant.Min(next, Instant.Max(actor.Events[nextEvent].At, from));
        }

        return next < until ? next : null;
    }

    /// <summary>Does everything of a moment that <see cref="Next"/> has given.</summary>
    public void AdvanceTo(Instant now)
    {
        turn.MoveTo(now);
        clock = now;
        while (nextEvent < actor.Events.Count && actor.Events[nextEvent].At <= now)
        {
            Happen(actor.Events[nextEvent++]);
            alarmsAreStale = true;
        }

        // An event of this moment comes before what the calendar brings, and may have changed that.
        if (alarmsAreStale && alarms.Count > 0 && alarms[0].At == now)
        {
            alarms = AlarmsBetween(now - Duration.Epsilon, now);
        }

        if (alarms.Count > 0 && alarms[0].At == now)
        {
            foreach (var alarm in alarms)
            {
                Happen(alarm);
            }

            alarmsAreStale = true;
        }

        do
        {
            turn.JudgeDue();
            TakeEffects();
        } while (DoneOnTheirDay());
    }

    /// <summary>What is planned, waits, or is blocked at the horizon.</summary>
    public IEnumerable<RehearsedTouch> Pending()
    {
        foreach (var run in turn.Runs.Where(r => r.Phase is TouchPhase.Planned or TouchPhase.Blocked))
        {
            yield return new RehearsedTouch(run, null, run.Phase == TouchPhase.Blocked ? Outcome.Blocked : null, run.Waiting, Trail.None)
            {
                IsPaused = run.IsPausedOn(engine.Shelf),
                StandsStill = run.StandsStill(engine.Shelf),
            };
        }
    }

    private IReadOnlyList<Happening> AlarmsBetween(Instant after, Instant last) =>
        Alarms.Next(
            engine,
            engine.Shelf.OnOnceResumed,
            turn.Person,
            turn.Remembers,
            turn.Runs.Select(r => r.Program),
            turn.Runs.Where(r => r.PausedUntil is not null).Select(r => (r.ProgramId, r.PausedUntil!.Value)),
            turn.OpenTasks.Where(t => t.MissedAt is not null && IsClosedLater(t.TouchId, t.ProgramId, t.StepId)),
            after,
            last
        );

    private void Happen(Happening happening)
    {
        if (happening is EnteredStage { Left: null } entered)
        {
            happening = entered with { Left = turn.Person.Stage };
        }

        // Here the change to the facts is made too (rule 5.1); what turns out to be no event is passed over.
        if (FactUpdates.Apply(turn.Person, happening) is not { } person)
        {
            return;
        }

        turn.Person = person;
        if (happening is StepTaskEnded ended)
        {
            if (turn.TaskOf(ended.ProgramId, ended.StepId) is not { } touch)
            {
                return;
            }

            happening = new TaskEnded(ended.At, touch, ended.Outcome);
        }

        turn.React(happening);
        TakeEffects();
    }

    /// <summary>Rule 12.1: a task that holds its run is done on its day, unless an event closes it later.</summary>
    private bool DoneOnTheirDay()
    {
        if (!turn.HoldsOnSheet)
        {
            return false;
        }

        var any = false;
        foreach (var run in turn.Runs.Where(r => r.Phase == TouchPhase.OnSheet && !IsClosedLater(r.TouchId, r.ProgramId, r.StepId)).ToList())
        {
            turn.GoOnAfterTask(run.TouchId);
            any = true;
        }

        return any;
    }

    private bool IsClosedLater(Guid touchId, Guid programId, string stepId) =>
        actor
            .Events.Skip(nextEvent)
            .Any(e =>
                e switch
                {
                    TaskEnded t => t.TouchId == touchId,
                    StepTaskEnded t => t.ProgramId == programId && t.StepId == stepId,
                    _ => false,
                }
            );

    private void TakeEffects()
    {
        for (; taken < touches.Count; taken++)
        {
            if (touches[taken] is { Outcome: Outcome.Open } open)
            {
                onSheet[open.TouchId] = taken;
                alarmsAreStale |= open.Step is TaskStep { MissedAfter: not null };
            }
        }

        foreach (var effect in turn.Effects)
        {
            switch (effect)
            {
                case RunStarted s:
                    alarmsAreStale |= engine.Shelf.Find(s.ProgramId, s.Version).Definition.StopsWhen.Any(stop => stop is StopOnDate);
                    break;
                case TaskClosed c when onSheet.Remove(c.TouchId, out var at):
                    touches[at] = touches[at] with { SettledAt = c.At, Outcome = c.Outcome, Reason = c.Reason };
                    break;
                case FactToChange or StartWaits:
                    alarmsAreStale = true;
                    break;
            }
        }

        turn.Effects.Clear();
    }
}
