using System.Collections.Immutable;
using Germinal.Core.Programs;
using Germinal.Core.Time;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Engine;

/// <summary>Section 3: when a step falls due, and what comes after it.</summary>
internal sealed partial class PersonTurn
{
    private static readonly Offset GivenUpAfter = Offset.Parse("P7D");
    private static readonly Offset OccasionLateLimit = Offset.Parse("P1D");

    /// <summary>Plans the step at an index at this moment (rule 3.1); steps that are skipped while planned settle here.</summary>
    private void PlanFrom(RunState run, int index)
    {
        var definition = DefinitionOf(run);
        for (; index < definition.Steps.Count; index++)
        {
            var step = definition.Steps[index];
            var touchId = StableId.Of(run.Id, $"touch/{step.Id}");
            var place = StepPlacement.Place(definition, step.When, run.StartedAt, run.PreviousAt, run.Occasion, person, Practice.LeapDay, ClockOf(definition), now);
            if (place.Placed is not { } placed)
            {
                effects.Add(new TouchPlanned(touchId, run.Id, step.Id, now, now, ReasonFor(step.When, "", false)));
                effects.Add(new TouchSettled(touchId, run.Id, step.Id, now, Outcome.Skipped, place.SkipReason, []));
                run = run with { PreviousAt = now };
                continue;
            }

            var due = OpeningsFor(definition, step).Apply(placed, now);
            var firstDue = due ?? Instant.Max(placed.Moment, now);
            var touch = new TouchState(touchId, step.Id, firstDue, firstDue, TouchPhase.Planned);
            var moved = due is { } d && d != Instant.Max(placed.Moment, now);
            effects.Add(new TouchPlanned(touchId, run.Id, step.Id, firstDue, firstDue, ReasonFor(step.When, place.Base, moved)));
            run = run with { StepIndex = index, Touch = touch };
            Replace(run);
            if (state.Marks.GetValueOrDefault(touchId, TouchMark.Held) == TouchMark.Dropped)
            {
                SettleAndGoOn(run, Outcome.Cancelled, "dropped", []);
            }
            else if (due is null)
            {
                Block(run, "window-never-opens", []);
            }

            return;
        }

        // Rule 3.4: the last step has settled; open tasks stay on the day sheet.
        EndRun(run, null);
    }

    private static PlanReason ReasonFor(When when, string since, bool moved) => when switch
    {
        FromStart f => new PlanReason("start", f.Offset.Text, since, moved),
        FromPrevious f => new PlanReason("previous", f.Offset.Text, since, moved),
        FromOccasion f => new PlanReason("occasion", f.Offset.Text, since, moved),
        OnDate d => new PlanReason("on", LocalDatePattern.Iso.Format(d.Date), since, moved),
        OnYearly y => new PlanReason("yearly", y.Date.ToString(), since, moved),
        FromKeyDate k => new PlanReason("key-date", k.Offset.Text, $"{k.Date} {since}", moved),
        _ => throw new ArgumentOutOfRangeException(nameof(when)),
    };

    /// <summary>Records what became of the touch and plans the next step at this moment.</summary>
    private void SettleAndGoOn(RunState run, Outcome outcome, string? reason, IReadOnlyList<Check> checks)
    {
        effects.Add(new TouchSettled(run.Touch.Id, run.Id, run.Touch.StepId, now, outcome, reason, checks));
        GoOn(run);
    }

    private void GoOn(RunState run)
    {
        state = state with { Marks = state.Marks.Remove(run.Touch.Id) };
        run = run with { PreviousAt = now };
        if (run.StopAfterHanding is { } reason)
        {
            EndStopped(run, reason);
            return;
        }

        PlanFrom(run, run.StepIndex + 1);
    }

    /// <summary>Section 8, <i>blocked</i>: kept for mending, given up after a week or the late limit if that is shorter.</summary>
    private void Block(RunState run, string reason, IReadOnlyList<Check> checks)
    {
        var clock = ClockOf(DefinitionOf(run));
        var givenUp = GivenUpAfter.AddTo(now, clock);
        if (LateLimitOf(run) is { } limit)
        {
            givenUp = Instant.Min(givenUp, Instant.Max(now, limit.AddTo(run.Touch.FirstDue, clock)));
        }

        // One nanosecond of grace keeps “given up” strictly after “blocked”, so that it can be seen and mended.
        givenUp = Instant.Max(givenUp, now.PlusNanoseconds(100));
        Replace(run with { Touch = run.Touch with { Phase = TouchPhase.Blocked, Due = givenUp } });
        effects.Add(new TouchBlocked(run.Touch.Id, now, givenUp, reason, checks));
    }

    /// <summary>Rule 3.3: the step's own limit; for runs started by an occasion a day; else none.</summary>
    private Offset? LateLimitOf(RunState run) =>
        DefinitionOf(run).Steps[run.StepIndex].LateLimit ?? (run.Occasion is null ? null : OccasionLateLimit);
}
