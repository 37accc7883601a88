using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>Section 3: when a step falls due, and what comes after it.</summary>
internal sealed partial class PersonTurn
{
    private static readonly Offset GivenUpAfter = Offset.Parse("P7D");
    private static readonly Offset OccasionLateLimit = Offset.Parse("P1D");

    /// <summary>Plans the step at a place of the flow at this moment (rule 3.1); steps that are skipped while planned settle here.</summary>
    private void PlanFrom(RunState run, int index)
    {
        var flow = VersionOf(run).Flow;
        while (index >= 0)
        {
            if (Plan(run, index, now))
            {
                return;
            }

            index = flow.Steps[index].Next;
        }

        // Rule 3.4: the last step has settled; open tasks stay on the day sheet.
        EndRun(run, null);
    }

    /// <summary>Plans one step, counting from when the one before settled; false when it is skipped at once.</summary>
    private bool Plan(RunState run, int index, Instant previousAt)
    {
        var version = VersionOf(run);
        var definition = version.Definition;
        var step = version.Flow.Steps[index].Step;
        var place = StepPlacement.Place(definition, step.When, run.StartedAt, previousAt, run.Occasion, person, Practice.LeapDay, ClockOf(definition), now);
        if (place.Placed is not { } placed)
        {
            var skipped = new TouchPlanned(run.Id, step.Id, now, now, step.When, null, null, false);
            Effects.Add(skipped);
            run = run with { StepIndex = index, Touch = new TouchState(step.Id, now, now, TouchPhase.Planned) { Planned = skipped } };
            Settled(run, Outcome.Skipped, place.SkipReason, Trail.Empty);
            return false;
        }

        var wanted = Instant.Max(placed.Moment, now);
        var due = OpeningsFor(definition, step).Apply(placed, now);
        var firstDue = due ?? wanted;
        var planned = new TouchPlanned(run.Id, step.Id, firstDue, firstDue, step.When, place.Since, place.SinceDate, due is { } d && d != wanted);
        Effects.Add(planned);
        run = run with { StepIndex = index, PreviousAt = previousAt, Touch = new TouchState(step.Id, firstDue, firstDue, TouchPhase.Planned) { Planned = planned } };
        Replace(run);
        if (!state.Marks.IsEmpty && state.Marks.GetValueOrDefault(run.TouchId, TouchMark.Held) == TouchMark.Dropped)
        {
            SettleAndGoOn(run, Outcome.Cancelled, "dropped", Trail.Empty);
        }
        else if (due is null)
        {
            JudgeWithoutWindow(run);
        }

        return true;
    }

    /// <summary>Records what became of the touch and plans the next step at this moment.</summary>
    private void SettleAndGoOn(RunState run, Outcome outcome, string? reason, Trail trail)
    {
        Settled(run, outcome, reason, trail);
        GoOn(run);
    }

    private void GoOn(RunState run) => GoOn(run, VersionOf(run).Flow.Steps[run.StepIndex].Next);

    /// <summary>Goes on at a place of the flow, after the touch has settled at this moment.</summary>
    private void GoOn(RunState run, int next)
    {
        if (!state.Marks.IsEmpty)
        {
            state = state with { Marks = state.Marks.Remove(run.TouchId) };
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

        PlanFrom(run, next);
    }

    /// <summary>Section 8, <i>blocked</i>: kept for mending, given up after a week or the late limit if that is shorter.</summary>
    private void Block(RunState run, string reason, Trail trail)
    {
        var clock = ClockOf(DefinitionOf(run));
        var givenUp = GivenUpAfter.AddTo(now, clock);
        if (LateLimitOf(run) is { } limit)
        {
            givenUp = Instant.Min(givenUp, Instant.Max(now, limit.AddTo(run.Touch.FirstDue, clock)));
        }

        // A tick of grace keeps “given up” strictly after “blocked”, so that it can be seen and mended.
        givenUp = Instant.Max(givenUp, now.PlusTicks(1));
        Replace(run with { Touch = run.Touch with { Phase = TouchPhase.Blocked, Due = givenUp, Waiting = reason } });
        Effects.Add(new TouchBlocked(run.Id, run.Touch.StepId, now, givenUp, reason, trail));
    }

    /// <summary>Rule 3.3: the step's own limit; for runs started by an occasion a day; else none.</summary>
    private Offset? LateLimitOf(RunState run) => StepOf(run).LateLimit ?? (run.Occasion is null ? null : OccasionLateLimit);
}
