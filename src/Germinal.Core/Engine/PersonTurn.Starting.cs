using System.Collections.Immutable;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Rules;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>Section 5: starting.</summary>
internal sealed partial class PersonTurn
{
    /// <summary>More starts than this of one person at one moment can only be programs that start each other without end.</summary>
    private const int MostStartsAtOnce = 100;

    private void StartProgramsOn(Happening happening)
    {
        if (
            happening
            is FactsChanged
                or ConsentOverruled
                or TouchMarked
                or TouchMovedTo
                or TaskEnded
                or ConsentGiven
                or Opened
                or Bounced
                or NewDay
                or TagTakenOff
                or LeftList
                or FieldSet
                or GivenToOwner
        )
        {
            return;
        }

        foreach (var program in Rehearses ? engine.Shelf.OnOnceResumed : engine.Shelf.On)
        {
            if (program.Since > now && engine.Shelf.IsPaused(program.Current.ProgramId))
            {
                continue;
            }

            if (CauseOf(happening, program) is { } cause)
            {
                Start(program.Current, cause, OccasionOf(happening), loops: false);
            }
        }

        if (happening is StartedByHand byHand && engine.Shelf.On.All(p => p.Current.ProgramId != byHand.ProgramId))
        {
            // Who a broadcast is for was fixed when it began (rule 15.1): held since, it starts for them and waits.
            if (byHand.ByBroadcast && engine.Shelf.Paused.FirstOrDefault(p => p.ProgramId == byHand.ProgramId) is { } held)
            {
                Start(held, byHand.Cause, null, loops: false);
                return;
            }

            Effects.Add(new StartRefused(byHand.ProgramId, now, Reason.ProgramOff.Word(), byHand.Cause));
        }
    }

    /// <summary>
    /// Rule 5.1, segment joined: whoever did not match when last looked at and does now has begun to. Looked at after every event, and
    /// when a new date begins.
    /// </summary>
    private void StartByNewMatches()
    {
        foreach (var watched in engine.Watch.Watched)
        {
            var matches = Segments.Has(watched.Trigger.Asked, person, RuleNow);
            if (matches == state.Matching.Contains(watched.Key))
            {
                continue;
            }

            state = state with { Matching = matches ? state.Matching.Add(watched.Key) : state.Matching.Remove(watched.Key) };
            if (matches && IsOnNow(watched.Program.ProgramId))
            {
                Start(watched.Program, new StartCause(CauseKind.Segment, watched.Name), null, loops: false);
            }
        }
    }

    /// <summary>True for a program that is on at this moment; in a rehearsal also for one whose pause has ended by then.</summary>
    private bool IsOnNow(Guid programId) =>
        (Rehearses ? engine.Shelf.OnOnceResumed : engine.Shelf.On).Any(p =>
            p.Current.ProgramId == programId && (p.Since <= now || !engine.Shelf.IsPaused(programId))
        );

    /// <summary>Takes whoever matches now for somebody who has matched before: a program that is switched on waits for others (rule 5.4).</summary>
    public void TakeMatchesAsKnown(Func<WatchedSegment, bool> which)
    {
        foreach (var watched in engine.Watch.Watched)
        {
            if (which(watched) && Segments.Has(watched.Trigger.Asked, person, RuleNow))
            {
                state = state with { Matching = state.Matching.Add(watched.Key) };
            }
        }
    }

    private OccasionRef? OccasionOf(Happening happening) =>
        happening switch
        {
            OccasionCame o => new OccasionRef(o.Name, o.Date),
            AppointmentCame a when state.Appointments.FirstOrDefault(x => x.Key == a.Key) is { } appointment => new OccasionRef(
                appointment.Key,
                appointment.Moment.InZone(Practice.Zone).Date,
                appointment.Moment
            ),
            _ => null,
        };

    private static StartCause? CauseOf(Happening happening, ProgramOn program)
    {
        var triggers = program.Current.Definition.StartsWhen;
        var id = program.Current.ProgramId;
        return happening switch
        {
            StartedByHand h => h.ProgramId == id ? h.Cause : null,
            OccasionCame o => o.ProgramId == id ? new StartCause(CauseKind.Occasion, o.Name) : null,
            AppointmentCame a => a.ProgramId == id ? new StartCause(CauseKind.Appointment, a.Key) : null,
            StoodInStage s => s.ProgramId == id ? new StartCause(CauseKind.StageAge, s.Stage) : null,
            InquiryStoodUnanswered u => u.ProgramId == id ? new StartCause(CauseKind.Unanswered, "") : null,
            TagPutOn t => triggers.Any(x => x is TagAdded a && Same(a.Tag, t.Tag)) ? new StartCause(CauseKind.Tag, t.Tag) : null,
            JoinedList l => triggers.Any(x => x is ListJoined a && Same(a.List, l.List)) ? new StartCause(CauseKind.List, l.List) : null,
            EnteredStage s => triggers.Any(x => x is StageEntered a && Same(a.Stage, s.Stage)) ? new StartCause(CauseKind.Stage, s.Stage) : null,
            Inquired i => triggers.Any(x => x is InquiryReceived a && (a.Form is null || Same(a.Form, i.Form ?? "")))
                ? new StartCause(CauseKind.Inquiry, i.Form ?? "")
                : null,
            Won => triggers.Any(x => x is OpportunityWon) ? new StartCause(CauseKind.Won, "") : null,
            Lost l => triggers.Any(x => x is OpportunityLost a && (a.Reason is null || Same(a.Reason, l.Reason ?? "")))
                ? new StartCause(CauseKind.Lost, l.Reason ?? "")
                : null,
            FollowedLink f => triggers.Any(x => x is LinkFollowed a && Same(a.Link, f.Link)) ? new StartCause(CauseKind.Link, f.Link) : null,
            TextedWord w => triggers.Any(x => x is TextKeyword a && Same(a.Word, w.Word)) ? new StartCause(CauseKind.Keyword, w.Word) : null,
            FinishedProgram f => triggers.Any(x => x is ProgramFinished a && Same(a.Program, f.Program))
                ? new StartCause(CauseKind.Finished, f.Program)
                : null,
            Added n => triggers.Any(x => x is PersonAdded a && (a.Source is null || Same(a.Source, n.Source ?? "")))
                ? new StartCause(CauseKind.Added, n.Source ?? "")
                : null,
            _ => null,
        };
    }

    private static bool Same(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);

    /// <summary>Rules 5.3 and 5.5. <paramref name="loops"/> lets a loop through whatever the program's <c>again</c> says (rule 3.5).</summary>
    private void Start(ProgramVersion program, StartCause cause, OccasionRef? occasion, bool loops)
    {
        if (occasion is not null)
        {
            // Rule 4.2: one run per occasion year, whatever happens; so the key is used up even by a refused start.
            var key = Occasions.Key(program.ProgramId, occasion);
            if (state.Occasions.Contains(key))
            {
                return;
            }

            state = state with { Occasions = state.Occasions.Add(key) };
        }

        if (!TryBegin(program, cause, occasion, loops, now))
        {
            state = state with { Waiting = state.Waiting.Add(new WaitingStart(program.ProgramId, now, cause, occasion)) };
            Effects.Add(new StartWaits(program.ProgramId, now, cause));
        }
    }

    /// <summary>Begins a run or refuses it; false when it has to wait for its turn.</summary>
    private bool TryBegin(ProgramVersion program, StartCause cause, OccasionRef? occasion, bool loops, Instant came)
    {
        var past = state.Been.GetValueOrDefault(program.ProgramId, new PastRuns(0, null));
        if (Refusal(program, occasion, past, loops) is { } reason)
        {
            Effects.Add(new StartRefused(program.ProgramId, now, reason.Word(), cause));
            return true;
        }

        if (!loops && program.Definition.StartLimit is { } limit)
        {
            var counter = Counter.OfStarts(program.ProgramId, now.InZone(Practice.Zone).Date, limit);
            if (!Ask(counter, came, program.Definition, -1, takes: true))
            {
                return false;
            }
        }

        var number = past.Started + 1;
        var runId = RunState.IdOf(person.Id, program.ProgramId, number);
        state = state with { Been = state.Been.SetItem(program.ProgramId, past with { Started = number }) };
        Did(DeedKind.Started, program.Definition.Name);
        Effects.Add(new RunStarted(runId, program.ProgramId, program.Version, number, now, cause));
        var run = new Going(runId, program, number, now, occasion) { LivesThroughPause = Rehearses && engine.Shelf.PauseEnd(program.ProgramId) is not null };
        runs.Add(run);
        PlanFrom(run, program.Flow.Steps.Count > 0 ? 0 : -1);
        return true;
    }

    /// <summary>Rule 5.5: at the beginning of a date those that wait ask again, first come first served.</summary>
    private void StartThoseThatWait(Guid? only)
    {
        var waiting = state.Waiting;
        state = state with { Waiting = [.. waiting.Where(w => only is { } id && w.ProgramId != id)] };
        foreach (var start in waiting.Where(w => only is null || w.ProgramId == only))
        {
            var program = engine.Shelf.On.FirstOrDefault(p => p.Current.ProgramId == start.ProgramId);
            if (program is null)
            {
                Effects.Add(new StartRefused(start.ProgramId, now, Reason.ProgramOff.Word(), start.Cause));
            }
            else if (!TryBegin(program.Current, start.Cause, start.Occasion, loops: false, start.Came))
            {
                state = state with { Waiting = state.Waiting.Add(start) };
            }
        }
    }

    private Reason? Refusal(ProgramVersion program, OccasionRef? occasion, PastRuns past, bool loops)
    {
        if (person.Died || person.Archived || person.DoNotContact)
        {
            return Reason.DoNotContact;
        }

        var definition = program.Definition;
        if (StopDateBegan(definition))
        {
            return Reason.ProgramOff;
        }

        if (definition.OnlyIf is { } rule && !RuleJudge.Holds(rule, person, RuleNow))
        {
            return Reason.NotFor;
        }

        // Counted in the state: however often the engine is asked at this moment, the end is the same.
        state = state with
        {
            Starts = new StartsAtOnce(now, state.Starts is { } starts && starts.At == now ? starts.Count + 1 : 1),
        };
        if (state.Starts.Count > MostStartsAtOnce)
        {
            return Reason.TooSoon;
        }

        // Rule 5.3: an occasion keys its run by itself. Rule 3.5: a loop starts anew whatever `again` says, and it, too, makes no
        // second unfinished run.
        return (
                occasion is null
                    ? IsRunning(program)
                        ? Reason.AlreadyRunning
                        : loops
                            ? null
                            : AgainRefuses(program, past)
                    : null
            ) ?? (Shares.IsHeldOut(program, person.Id) ? Reason.HeldOut : null);
    }

    private bool IsRunning(ProgramVersion program) =>
        runs.Exists(r => r.ProgramId == program.ProgramId) || state.Waiting.Any(w => w.ProgramId == program.ProgramId);

    private Reason? AgainRefuses(ProgramVersion program, PastRuns past)
    {
        var again = program.Definition.Again;
        if (past.Counted == 0 || again.Kind == AgainKind.EachTime)
        {
            return null;
        }

        if (again.Kind == AgainKind.Never)
        {
            return Reason.AlreadyBeen;
        }

        return again.Gap is { } gap && past.LastEnded is { } ended && now < gap.AddTo(ended, Practice.Zone) ? Reason.TooSoon : null;
    }

    /// <summary>Asks a shared count; without one (a single person looked at alone) there is room.</summary>
    private bool Ask(Counter counter, Instant firstDue, ProgramDefinition program, int step, bool takes, Guid touch = default)
    {
        if (counters is null)
        {
            return true;
        }

        var order = new AskOrder(now, firstDue, program.Priority, person.Handle, program.Name, step) { Touch = touch };
        if (lastAsk is { } last && order <= last)
        {
            order = last with { Sequence = last.Sequence + 1, Touch = touch };
        }

        lastAsk = order;
        return counters.Ask(counter, order, takes);
    }
}
