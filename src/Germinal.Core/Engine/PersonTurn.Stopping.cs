using System.Collections.Immutable;
using Germinal.Core.People;
using Germinal.Core.Programs;

namespace Germinal.Core.Engine;

/// <summary>Section 6: stopping.</summary>
internal sealed partial class PersonTurn
{
    private void StopRunsOn(Happening happening)
    {
        foreach (var run in state.Runs)
        {
            if (DefinitionOf(run).StopsWhen.Any(stop => Matches(stop, happening)))
            {
                StopRun(run, ReasonOf(happening));
            }
        }
    }

    private static bool Matches(Stop stop, Happening happening) => (stop, happening) switch
    {
        (StopOnReply s, Replied r) => s.Channel is null || s.Channel == r.Channel,
        (StopOnStage s, EnteredStage e) => Same(s.Stage, e.Stage),
        (StopOnTag s, TagPutOn t) => Same(s.Tag, t.Tag),
        _ => false,
    };

    private static string ReasonOf(Happening happening) => happening switch
    {
        Replied => "replied",
        EnteredStage => "stage-entered",
        _ => "tag-added",
    };

    /// <summary>Rule 6.2: everything stops, and all open tasks of the person are withdrawn whatever their program says.</summary>
    private void LeaveForGood(string reason)
    {
        foreach (var run in state.Runs)
        {
            StopRun(run, reason);
        }

        foreach (var task in state.OpenTasks)
        {
            CloseTask(task.TouchId, Outcome.Cancelled, reason);
        }
    }

    /// <summary>Rule 6.3: a run none of whose remaining steps could still reach the person stops at once.</summary>
    private void StopWhereNothingIsLeft()
    {
        foreach (var run in state.Runs)
        {
            var definition = DefinitionOf(run);
            var channels = definition.Steps.Skip(run.StepIndex).Where(s => s.Channel is not null).ToList();
            if (channels.Count > 0 && !channels.Any(s => CouldReach(definition, s)))
            {
                StopRun(run, "nothing-left-to-send");
            }
        }
    }

    private bool CouldReach(ProgramDefinition definition, Step step) =>
        step.Channel is not (Channel.Email or Channel.Text) || ReadConsent(definition, step).Verdict != ConsentVerdict.Withdrawn;

    /// <summary>Rule 6.4: the planned touch is cancelled with the stop's reason; open tasks are withdrawn unless kept.</summary>
    private void StopRun(RunState run, string reason)
    {
        if (run.Touch.Phase == TouchPhase.Handing)
        {
            // It is on its way out of the door: what became of it is recorded first, then the run ends.
            Replace(run with { StopAfterHanding = run.StopAfterHanding ?? reason });
            return;
        }

        if (run.Touch.Phase != TouchPhase.OnSheet)
        {
            effects.Add(new TouchSettled(run.Touch.Id, run.Id, run.Touch.StepId, now, Outcome.Cancelled, reason, []));
        }

        EndStopped(run, reason);
    }

    private void EndStopped(RunState run, string reason)
    {
        EndRun(run, reason);
        if (!DefinitionOf(run).KeepTasks)
        {
            foreach (var task in state.OpenTasks.Where(t => t.RunId == run.Id).ToList())
            {
                CloseTask(task.TouchId, Outcome.Cancelled, reason);
            }
        }
    }

    private void EndRun(RunState run, string? reason)
    {
        var past = state.Been.GetValueOrDefault(run.ProgramId, new PastRuns(run.Number, null));
        state = state with
        {
            Runs = state.Runs.RemoveAll(r => r.Id == run.Id),
            Been = state.Been.SetItem(run.ProgramId, past with { LastEnded = now }),
            Marks = state.Marks.Remove(run.Touch.Id),
        };
        effects.Add(new RunEnded(run.Id, now, reason));
    }

    private void CloseTask(Guid touchId, Outcome outcome, string? reason)
    {
        if (state.OpenTasks.Find(t => t.TouchId == touchId) is not { } task)
        {
            return;
        }

        state = state with { OpenTasks = state.OpenTasks.Remove(task) };
        effects.Add(new TaskClosed(touchId, now, outcome, reason));
        if (state.Runs.Find(r => r.Touch.Id == touchId && r.Touch.Phase == TouchPhase.OnSheet) is { } waiting)
        {
            GoOn(waiting);
        }
    }
}
