using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>Section 6: stopping.</summary>
internal sealed partial class PersonTurn
{
    private void StopRunsOn(Happening happening)
    {
        foreach (var run in runs.ToArray())
        {
            foreach (var stop in run.Definition.StopsWhen)
            {
                if (ReasonOf(stop, happening, run) is { } reason)
                {
                    StopRun(run, reason.Word());
                    break;
                }
            }
        }
    }

    /// <summary>The stop's reason where it answers to the event (rule 6.1), else null.</summary>
    private Reason? ReasonOf(Stop stop, Happening happening, Going run) =>
        (stop, happening) switch
        {
            (StopOnReply s, Replied r) when s.Channel is null || s.Channel == r.Channel => Reason.Replied,
            (StopOnForm s, Inquired i) when Same(s.Form, i.Form ?? "") => Reason.FormSent,
            (StopOnInquiry, Inquired) => Reason.Inquired,
            (StopOnStage s, EnteredStage e) when Same(s.Stage, e.Stage) => Reason.StageEntered,
            (StopOnStageLeft s, EnteredStage e) when Same(s.Stage, e.Left ?? "") => Reason.StageLeft,
            (StopOnWon, Won) => Reason.OpportunityWon,
            (StopOnLost, Lost) => Reason.OpportunityLost,
            (StopOnTag s, TagPutOn t) when Same(s.Tag, t.Tag) => Reason.TagAdded,
            (StopOnListLeft s, LeftList l) when Same(s.List, l.List) => Reason.ListLeft,
            (StopOnLink s, FollowedLink f) when s.Link is null || Same(s.Link, f.Link) => Reason.LinkFollowed,
            (StopOnCall s, TaskEnded t) when IsCall(t.TouchId) && Same(s.Outcome, t.Outcome ?? "") => Reason.CallEnded,
            (StopOnAppointment s, AppointmentMade { Moved: false } a) when s.Type is null || Same(s.Type, a.Type ?? "") => Reason.AppointmentBooked,
            (StopOnDate s, StopDateCame c) when c.ProgramId == run.ProgramId && HasBegun(s.Date, run.Definition) => Reason.On,
            _ => null,
        };

    /// <summary>True once the date of a program's stop has begun on its clock; from then on nothing starts either.</summary>
    private bool StopDateBegan(ProgramDefinition program)
    {
        foreach (var stop in program.StopsWhen)
        {
            if (stop is StopOnDate on && HasBegun(on.Date, program))
            {
                return true;
            }
        }

        return false;
    }

    private bool HasBegun(LocalDate date, ProgramDefinition program) => LocalClock.At(date.AtMidnight(), Practice.ClockOf(program, person)) <= now;

    /// <summary>Rule 6.2: everything stops, and all open tasks of the person are withdrawn whatever their program says.</summary>
    private void LeaveForGood(string reason)
    {
        foreach (var run in runs.ToArray())
        {
            StopRun(run, reason);
        }

        foreach (var task in openTasks.ToArray())
        {
            CloseTask(task, Outcome.Cancelled, reason);
        }

        state = state with { Waiting = [] };
    }

    /// <summary>
    /// Rule 6.3: a run none of whose steps that have not settled, in any passage, could still reach the person stops at once.
    /// </summary>
    private void StopWhereNothingIsLeft()
    {
        foreach (var run in runs.ToArray())
        {
            var definition = run.Definition;
            if (!run.Program.Flow.From(run.StepIndex).Any(s => CouldReach(definition, s)))
            {
                StopRun(run, Reason.NothingLeftToSend.Word());
            }
        }
    }

    private bool CouldReach(ProgramDefinition definition, Step step) =>
        step is TaskStep || step.To is not null || (step.Channel is { } channel && ReadConsent(definition, step, channel).Verdict != ConsentVerdict.Withdrawn);

    /// <summary>Rule 6.4: the planned touch is cancelled with the stop's reason; open tasks are withdrawn unless kept.</summary>
    private void StopRun(Going run, string reason)
    {
        if (run.Phase == TouchPhase.Handing)
        {
            // It is on its way out of the door: what became of it is recorded first, then the run ends.
            run.StopAfterHanding ??= reason;
            return;
        }

        if (run.Phase is TouchPhase.Planned or TouchPhase.Blocked)
        {
            Settled(run, Outcome.Cancelled, reason, Trail.None);
        }

        EndStopped(run, reason);
    }

    /// <summary>Stops a run that nobody has noticed yet, and forgets that it was.</summary>
    private void TakeBackStart(Going run)
    {
        var onItsWay = run.Phase == TouchPhase.Handing;
        var past = state.Been.GetValueOrDefault(run.ProgramId);
        StopRun(run, (onItsWay ? Reason.ByHand : Reason.TakenBack).Word());
        if (!onItsWay && past is not null)
        {
            state = state with { Been = state.Been.SetItem(run.ProgramId, past with { TakenBack = past.TakenBack + 1 }) };
        }
    }

    private void EndStopped(Going run, string reason)
    {
        EndRun(run, reason);
        if (!run.Definition.KeepTasks)
        {
            foreach (var task in openTasks.FindAll(t => t.RunId == run.Id))
            {
                CloseTask(task, Outcome.Cancelled, reason);
            }
        }
    }

    /// <summary>Takes a run off; one that finished may start others (rule 5.1, program finished).</summary>
    private void EndRun(Going run, string? reason)
    {
        var past = state.Been.GetValueOrDefault(run.ProgramId, new PastRuns(run.Number, null));
        runs.Remove(run);
        state = state with { Been = state.Been.SetItem(run.ProgramId, past with { LastEnded = now }) };
        if (!state.Marks.IsEmpty)
        {
            state = state with { Marks = state.Marks.Remove(run.TouchId) };
        }

        Effects.Add(new RunEnded(run.Id, now, reason));
        if (reason is null)
        {
            Did(DeedKind.Finished, run.Definition.Name);
            StartProgramsOn(new FinishedProgram(now, run.Definition.Name));
        }
    }
}
