using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>Calls, notes and tasks on the day sheet (rule 3.1).</summary>
internal sealed partial class PersonTurn
{
    private void PutOnSheet(Going run, TaskStep step, Trail trail)
    {
        openTasks.Add(new OpenTask(run.Id, run.ProgramId, step.Id, MissedAt(step, run.Definition), run.Readers.Length));
        Settled(run, Outcome.Open, null, trail);
        SeeSent(run);
        if (step.Channel is { } channel)
        {
            CountAsSent(run, step, channel);
        }

        if (step.Holds)
        {
            run.Phase = TouchPhase.OnSheet;
        }
        else
        {
            GoOn(run);
        }
    }

    /// <summary>A task was done or dropped; whether the run goes on is seen to after what its end stops and starts.</summary>
    private void EndTask(TaskEnded ended)
    {
        PutOnSheetEarly(ended.TouchId);
        if (openTasks.Find(t => t.TouchId == ended.TouchId) is not { } task)
        {
            return;
        }

        if (ended.Outcome is { } outcome)
        {
            if (IsCall(ended.TouchId))
            {
                lastTouch = now;
                See(task.ProgramId, task.StepId, "call", outcome);
            }
        }

        endedCall = IsCall(ended.TouchId) ? ended.TouchId : null;
        CloseTask(task, ended.Outcome is null ? Outcome.Cancelled : Outcome.Done, ended.Outcome ?? Reason.Dropped.Word(), ended.Remark);
    }

    /// <summary>Rule 3.8: when a task that comes onto the sheet now is closed as missed; null where its step says nothing.</summary>
    private Instant? MissedAt(TaskStep step, ProgramDefinition program) => step.MissedAfter?.AddTo(now, Practice.ClockOf(program, person));

    private void Miss(Guid touchId)
    {
        if (openTasks.Find(t => t.TouchId == touchId) is { } task)
        {
            CloseTask(task, Outcome.Skipped, Reason.Missed.Word());
        }
    }

    /// <summary>Done by mistake: the task stands on the sheet again. A run that went on because of it has gone on.</summary>
    private void PutBack(TaskReopened again)
    {
        var of = engine.Shelf.Versions.Where(v => v.ProgramId == again.ProgramId).OrderByDescending(v => v.Version);
        var version = of.FirstOrDefault(v => v.Definition.StepOf(again.StepId) is TaskStep);
        var missed = version is null ? null : MissedAt((TaskStep)version.Definition.StepOf(again.StepId)!, version.Definition);
        var task = new OpenTask(again.RunId, again.ProgramId, again.StepId, missed, again.Nth);
        if (!openTasks.Exists(t => t.TouchId == task.TouchId))
        {
            openTasks.Add(task);
            Effects.Add(new TaskPutBack(task.RunId, task.StepId) { Nth = task.Nth });
        }
    }

    /// <summary>The call whose end is being taken in: its stop (6.1) asks what kind of task it was.</summary>
    private Guid? endedCall;

    private bool IsCall(Guid touchId) =>
        endedCall == touchId
        || (
            openTasks.Find(t => t.TouchId == touchId) is { } task
            && engine.Shelf.Versions.Any(v =>
                v.ProgramId == task.ProgramId && v.Flow.IndexOf(task.StepId) is >= 0 and var at && v.Flow.Steps[at].Step is CallStep
            )
        );

    /// <summary>True while a run waits for a task on the day sheet.</summary>
    public bool HoldsOnSheet => runs.Exists(static r => r.Phase == TouchPhase.OnSheet);

    /// <summary>The task of a step: the oldest on the day sheet, else one planned that is done early; null when there is none.</summary>
    public Guid? TaskOf(Guid programId, string stepId)
    {
        foreach (var task in openTasks)
        {
            if (task.ProgramId == programId && task.StepId == stepId)
            {
                return task.TouchId;
            }
        }

        return runs.Find(r => r.ProgramId == programId && r.Phase == TouchPhase.Planned && r.StepId == stepId)?.TouchId;
    }

    /// <summary>A run that waited for a task goes on.</summary>
    public void GoOnAfterTask(Guid touchId)
    {
        endedCall = null;
        if (runs.Find(r => r.Phase == TouchPhase.OnSheet && r.TouchId == touchId) is { } waiting)
        {
            GoOn(waiting);
        }
    }

    /// <summary>A task done before its hour of the day: it goes onto the sheet at this moment, by the member's own act.</summary>
    private void PutOnSheetEarly(Guid touchId)
    {
        if (runs.Find(r => r.Phase == TouchPhase.Planned && r.TouchId == touchId) is { } run && run.Step is TaskStep task)
        {
            PutOnSheet(run, task, Trail.None);
        }
    }

    private void CloseTask(OpenTask task, Outcome outcome, string? reason, string? remark = null)
    {
        openTasks.Remove(task);
        Effects.Add(new TaskClosed(task.RunId, task.StepId, now, outcome, reason, remark) { Nth = task.Nth });
    }
}
