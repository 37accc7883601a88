using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>Section 3: from one step to the next.</summary>
internal sealed partial class PersonTurn
{
    /// <summary>Plans the step at a place of the flow at this moment (rule 3.1); steps that are skipped while planned settle here.</summary>
    private void PlanFrom(Going run, int index)
    {
        while (index >= 0)
        {
            if (PlanAt(run, index, now))
            {
                return;
            }

            index = run.Program.Flow.Steps[index].Next;
        }

        // Rule 3.4: the last step has settled; open tasks stay on the day sheet.
        EndRun(run, null);
    }

    /// <summary>Plans one step, counting from when the one before settled; false when it is skipped at once.</summary>
    private bool PlanAt(Going run, int index, Instant previousAt)
    {
        index = WayFor(run, index);
        var step = run.Program.Flow.Steps[index].Step;
        var plan = Planning.Of(Practice, person, run, step, previousAt, now);
        (run.StepIndex, run.StepId, run.Readers, run.Reader) = (index, step.Id, [], null);
        if (KeepsWhy)
        {
            run.Planned = new TouchPlanned(run.Id, step.Id, plan.FirstDue, plan.FirstDue, step.When, plan.Since, plan.SinceDate, plan.Moved);
            Tell(run, run.Planned);
        }

        (run.FirstDue, run.Due, run.Phase, run.Waiting) = (plan.FirstDue, plan.FirstDue, TouchPhase.Planned, null);
        run.Sleeps = false;
        if (plan.Skipped is { } reason)
        {
            Settled(run, Outcome.Skipped, reason.Word(), Trail.None);
            return false;
        }

        run.PreviousAt = previousAt;
        if (!state.Moves.IsEmpty && plan.Opens && state.Moves.TryGetValue(run.TouchId, out var day))
        {
            run.Due = DueAsMoved(run);
            Effects.Add(new TouchDayChanged(run.TouchId, day, run.Due));
        }

        if (!state.Marks.IsEmpty && state.Marks.GetValueOrDefault(run.TouchId, TouchMark.Held) == TouchMark.Dropped)
        {
            SettleAndGoOn(run, Outcome.Cancelled, Reason.Dropped.Word(), Trail.None);
        }
        else if (!plan.Opens)
        {
            JudgeWithoutWindow(run);
        }

        return true;
    }

    /// <summary>Records what became of the touch and plans the next step at this moment.</summary>
    private void SettleAndGoOn(Going run, Outcome outcome, string? reason, Trail trail)
    {
        Settled(run, outcome, reason, trail);
        GoOn(run);
    }

    private void GoOn(Going run) => GoOn(run, run.Place.Next);

    /// <summary>Goes on at a place of the flow, after the touch has settled at this moment.</summary>
    private void GoOn(Going run, int next)
    {
        if (!state.Marks.IsEmpty)
        {
            state = state with { Marks = state.Marks.Remove(run.TouchId) };
        }

        if (!state.Moves.IsEmpty)
        {
            state = state with { Moves = state.Moves.Remove(run.TouchId) };
        }

        if (!state.Overruled.IsEmpty)
        {
            state = state with { Overruled = state.Overruled.Remove(run.TouchId) };
        }

        if (run.StopAfterHanding is { } reason)
        {
            EndStopped(run, reason);
            return;
        }

        if (!PlanNextReader(run))
        {
            PlanFrom(run, next);
        }
    }

    /// <summary>
    /// Rule 3.6: whoever else reads the step has theirs right after; false where everybody has. It was first due when the step was, and
    /// what becomes of it is judged by itself.
    /// </summary>
    private bool PlanNextReader(Going run)
    {
        if (run.Reader is not { } had)
        {
            return false;
        }

        (run.Readers, run.Reader) = (run.Readers.Add(had), null);
        if (run.Step.To is not ToRelated || Readers.Next(Practice, person, run) is not { } next)
        {
            return false;
        }

        (run.Reader, run.Due, run.Phase, run.Waiting) = (next.Id, now, TouchPhase.Planned, null);
        if (KeepsWhy)
        {
            var plan = Planning.Of(Practice, person, run, run.Step, run.PreviousAt, now);
            run.Planned = new TouchPlanned(run.Id, run.StepId, run.FirstDue, now, run.Step.When, plan.Since, plan.SinceDate, false);
            Tell(run, run.Planned);
        }

        return true;
    }
}
