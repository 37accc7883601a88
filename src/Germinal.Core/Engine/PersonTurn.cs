using System.Runtime.InteropServices;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Rules;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// The engine at work on one person: collects effects while the state changes. The rules stand in the files beside this
/// one: starting (5), stopping (6), planning (2, 3), forking (7), deciding (8), pacing (9) and versions (13).
/// </summary>
internal sealed partial class PersonTurn
{
    private readonly TouchEngine engine;
    private readonly ICounters? counters;
    private readonly List<Going> runs;
    private readonly List<OpenTask> openTasks;
    private readonly List<SentTouch> sent;
    private readonly Judging judging = new();
    private readonly Func<Going, Instant?> dueOf;
    private PersonFacts person;
    private PersonState state;
    private Instant now;
    private AskOrder? lastAsk;
    private Instant? lastTouch;

    public PersonTurn(TouchEngine engine, PersonFacts person, PersonState state, Instant now, ICounters? counters)
    {
        this.engine = engine;
        this.person = person;
        this.state = state;
        this.now = now;
        this.counters = counters;
        runs = new List<Going>(state.Runs.Length + 4);
        foreach (var run in state.Runs)
        {
            runs.Add(new Going(run, engine.Shelf.Find(run.ProgramId, run.Version)));
        }

        openTasks = [.. state.OpenTasks];
        sent = [.. state.Sent];
        lastTouch = state.LastTouch;
        dueOf = DueOf;
    }

    /// <summary>What is to be done, in order; whoever carries it out may empty it between two moments.</summary>
    public List<Effect> Effects { get; } = [];

    /// <summary>The facts, with the program's own changes.</summary>
    public PersonFacts Person
    {
        get => person;
        set => person = value;
    }

    /// <summary>The state as it stands.</summary>
    public PersonState State => state with { Runs = [.. runs.Select(r => r.Saved())], OpenTasks = [.. openTasks], Sent = [.. sent], LastTouch = lastTouch };

    /// <summary>What is remembered beside runs, tasks and what was sent, as it stands.</summary>
    public PersonState Remembers => state;

    /// <summary>The unfinished runs as they stand.</summary>
    public IReadOnlyList<Going> Runs => runs;

    /// <summary>What stands on the day sheet.</summary>
    public IReadOnlyList<OpenTask> OpenTasks => openTasks;

    /// <summary>True in a rehearsal: nobody has to be asked whether a message went, and what waits is told to nobody.</summary>
    public bool Rehearses { get; init; }

    /// <summary>Where touches that settle in a rehearsal go, in the place of effects; null where nobody looks at them.</summary>
    public List<RehearsedTouch>? Rehearsed { get; init; }

    /// <summary>Whether anybody asks afterwards what touches were planned by and judged by.</summary>
    private bool KeepsWhy => !Rehearses || Rehearsed is not null;

    private Practice Practice => engine.Practice;

    private RuleMoment RuleNow => Practice.RulesAt(now, Remembered);

    public Advance Result() => new(State, person, Effects);

    /// <summary>The next moment at which a touch is to be judged, or null.</summary>
    public Instant? NextDue() => state.NextDue(CollectionsMarshal.AsSpan(runs), engine.Shelf, allRead: Rehearses);

    /// <summary>Moves on to a later moment.</summary>
    public void MoveTo(Instant moment)
    {
        now = moment;
        lastAsk = null;
    }

    /// <summary>Takes in one event: its own change to the state, then stops, then starts (rule 5.1), then what waits for answers.</summary>
    public void React(Happening happening)
    {
        WakeAll();
        TakeIn(happening);
        StopRunsOn(happening);
        StartProgramsOn(happening);
        StartByNewMatches();
        if (((happening as TaskEnded)?.TouchId ?? (happening as TaskMissed)?.TouchId) is { } closed)
        {
            GoOnAfterTask(closed);
        }

        AnswerForks();
        JudgeBlockedAgain();
    }

    /// <summary>The event's own change to what the engine remembers.</summary>
    private void TakeIn(Happening happening)
    {
        switch (happening)
        {
            case TaskMissed missed:
                Miss(missed.TouchId);
                break;
            case MayBeContacted when person.DoNotContact:
                person = person with { DoNotContact = false, DoNotContactUntil = null };
                Effects.Add(new ContactAllowed(now));
                break;
            case LeftForGood left:
                LeaveForGood(left.Reason);
                break;
            case ConsentGiven { In: false }:
                StopWhereNothingIsLeft();
                break;
            case TaskEnded ended:
                EndTask(ended);
                break;
            case TaskReopened again:
                PutBack(again);
                break;
            case TouchMarked marked:
                Mark(marked.TouchId, marked.Mark);
                break;
            case TouchMovedTo moved:
                MoveTouch(moved.TouchId, moved.To);
                break;
            case ConsentOverruled overruled:
                state = state with { Overruled = state.Overruled.SetItem(overruled.TouchId, $"{overruled.By}: {overruled.Reason}") };
                break;
            case RunStoppedByHand byHand when Find(byHand.RunId) is { } run:
                StopRun(run, Reason.ByHand.Word());
                break;
            case StartTakenBack back when Find(back.RunId) is { } run:
                TakeBackStart(run);
                break;
            case ProgramStoppedByHand byHand:
                foreach (var run in RunsOf(byHand.ProgramId))
                {
                    StopRun(run, Reason.ByHand.Word());
                }

                break;
            case ProgramPaused paused:
                Pause(paused.ProgramId, now, paused.Until);
                break;
            case ProgramResumed resumed:
                Pause(resumed.ProgramId, null);
                break;
            case Inquired inquired:
                state = state with { Inquiries = state.Inquiries.Add(now) };
                SeeForRun("form", inquired.Form ?? "");
                break;
            case InquiriesAnswered:
                state = state with { Inquiries = [] };
                break;
            case AppointmentMade made:
                MakeAppointment(made);
                break;
            case AppointmentCancelled cancelled:
                CancelAppointment(cancelled);
                break;
            case Replied replied:
                state = state with { LastReply = now };
                See(replied.ProgramId, replied.StepId, "replied");
                SeeForRun("replied");
                break;
            case Opened opened:
                Did(DeedKind.Opened, $"{engine.Shelf.NameOf(opened.ProgramId)}/{opened.StepId}");
                See(opened.ProgramId, opened.StepId, "opened");
                break;
            case FollowedLink link:
                See(link.ProgramId, link.StepId, "link", link.Link);
                break;
            case Bounced bounced:
                See(bounced.ProgramId, bounced.StepId, "bounced");
                break;
            case MovedToVersion moved:
                MoveToVersion(moved);
                break;
            case NewDay day:
                StartThoseThatWait(day.ProgramId);
                break;
        }
    }

    /// <summary>Notes something rules can ask about by when it was last, where any rule does.</summary>
    private void Did(DeedKind kind, string name)
    {
        if (engine.AsksDeeds)
        {
            person = person.Having(kind, name, now);
        }
    }

    private Going? Find(Guid runId) => runs.Find(r => r.Id == runId);

    private List<Going> RunsOf(Guid programId) => runs.FindAll(r => r.ProgramId == programId);

    /// <summary>A rehearsal counts on every message being read in time.</summary>
    private bool IsJudged(Going run) => state.IsJudged(run, engine.Shelf, allRead: Rehearses);

    /// <summary>
    /// When a run's touch is judged next, beside the one that is being judged; one that sleeps as if it did not. Null where it
    /// is not judged as things stand.
    /// </summary>
    private Instant? DueOf(Going run)
    {
        if (!IsJudged(run))
        {
            return null;
        }

        if (!run.Sleeps)
        {
            return run.Due;
        }

        // At this very moment what comes before the touch in question has been judged already, and waits for another date.
        var next = Sleeping.NextOf(run, Practice, person, now);
        return next == now && Before(run, judging.Run) ? Sleeping.NextOf(run, Practice, person, now.PlusTicks(1)) : next;
    }

    /// <summary>Something happened: what slept is judged date by date again.</summary>
    private void WakeAll()
    {
        foreach (var run in runs)
        {
            if (run.Sleeps)
            {
                (run.Due, run.Sleeps) = (Sleeping.NextOf(run, Practice, person, now), false);
            }
        }
    }

    /// <summary>Notes an effect on a run's touch, under the touch's own id and with whoever reads it.</summary>
    private void Tell(Going run, TouchEffect effect) =>
        Effects.Add(run.Step.To is null ? effect : effect with { Nth = run.Readers.Length, Reader = run.Reader });

    /// <summary>Records what became of a run's touch.</summary>
    private void Settled(Going run, Outcome outcome, string? reason, Trail trail)
    {
        if (Rehearses)
        {
            Rehearsed?.Add(new RehearsedTouch(run, now, outcome, reason, trail));
        }
        else
        {
            Tell(run, new TouchSettled(run.Id, run.StepId, now, outcome, reason, trail));
        }
    }

    /// <summary>What rules can ask of what the engine remembers.</summary>
    public RuleMemory Remembered()
    {
        string[] NamesOf(IEnumerable<Guid> ids) => [.. ids.Distinct().Select(engine.Shelf.NameOf).OfType<string>()];
        return new RuleMemory(
            NamesOf(runs.Select(r => r.ProgramId)),
            NamesOf(state.Been.Where(b => b.Value.Counted > 0).Select(b => b.Key)),
            lastTouch,
            state.LastReply,
            state.NextTouch(CollectionsMarshal.AsSpan(runs), engine.Shelf),
            state.Inquiries.IsEmpty ? null : state.Inquiries.Min()
        );
    }

    /// <summary>Whatever happened may have filled a gap: blocked touches are judged again at once.</summary>
    private void JudgeBlockedAgain()
    {
        foreach (var run in runs.FindAll(r => r.Phase == TouchPhase.Blocked))
        {
            if (run.Due <= now)
            {
                continue;
            }

            var touch = judging.Begin(Practice, person, run, now);
            if (touch.Looked(engine) is not null || OpeningsFor(touch).Apply(new Placed(now, true), now) is null)
            {
                continue;
            }

            (run.Phase, run.Due, run.Waiting) = (TouchPhase.Planned, now, null);
            Tell(run, new TouchUnblocked(run.Id, run.StepId, now));
        }
    }

    private void Mark(Guid touchId, TouchMark? mark)
    {
        state = state with { Marks = mark is { } m ? state.Marks.SetItem(touchId, m) : state.Marks.Remove(touchId) };
        var run = runs.Find(r => r.TouchId == touchId);
        if (run is not null && run.Phase is TouchPhase.Planned or TouchPhase.Blocked && mark == TouchMark.Dropped)
        {
            SettleAndGoOn(run, Outcome.Cancelled, Reason.Dropped.Word(), Trail.None);
        }
        else
        {
            Effects.Add(new TouchHoldChanged(touchId, mark == TouchMark.Held));
        }
    }

    private void MoveTouch(Guid touchId, LocalDate? to)
    {
        if (openTasks.Exists(t => t.TouchId == touchId))
        {
            // Only the sheet has to know.
            Effects.Add(new TouchDayChanged(touchId, to, null));
            return;
        }

        state = state with { Moves = to is { } date ? state.Moves.SetItem(touchId, date) : state.Moves.Remove(touchId) };
        if (runs.Find(r => r.TouchId == touchId && r.Phase == TouchPhase.Planned) is { } run)
        {
            (run.Due, run.Waiting, run.Sleeps) = (DueAsMoved(run), null, false);
            Effects.Add(new TouchDayChanged(touchId, to, run.Due));
        }
    }

    /// <summary>When a planned touch is due on the date to which it was moved, through section 2; its own due moment where it was moved nowhere.</summary>
    private Instant DueAsMoved(Going run)
    {
        var clock = Practice.ClockOf(run.Definition, person);
        var wanted = state.Moves.TryGetValue(run.TouchId, out var date) ? LocalClock.At(date + run.FirstDue.InZone(clock).TimeOfDay, clock) : run.FirstDue;
        return Planning.OpeningsOf(Practice, person, run.Definition, run.Step).Apply(new Placed(wanted, false), now) ?? run.FirstDue;
    }

    /// <summary>Rule 13.2 for one person: a paused run is frozen; what fell due meanwhile is judged when it goes on.</summary>
    private void Pause(Guid programId, Instant? since, LocalDate? until = null)
    {
        var end = until is { } date ? LocalClock.At(date.AtMidnight(), Practice.Zone) : (Instant?)null;
        if (end <= now)
        {
            return;
        }

        foreach (var run in RunsOf(programId).Where(r => r.PausedAt is null != since is null || (since is not null && r.PausedUntil != end)))
        {
            run.PausedAt = since is null ? null : run.PausedAt ?? since;
            run.PausedUntil = end;
            Effects.Add(new RunPaused(run.Id, now, since is not null, end));
        }
    }
}
