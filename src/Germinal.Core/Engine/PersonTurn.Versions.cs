namespace Germinal.Core.Engine;

/// <summary>Rule 13.1: those on their way may move to a newer version at the same step.</summary>
internal sealed partial class PersonTurn
{
    private void MoveToVersion(MovedToVersion moved)
    {
        foreach (var run in RunsOf(moved.ProgramId).Where(r => r.Program.Version != moved.Version && r.Phase is TouchPhase.Planned or TouchPhase.Blocked))
        {
            var old = run.Program.Flow;
            var version = engine.Shelf.Find(moved.ProgramId, moved.Version);

            // By step id; where the step was taken out, the next one in the old order that is still there.
            var at = run.StepIndex;
            while (at < old.Steps.Count && version.Flow.IndexOf(old.Steps[at].Step.Id) < 0)
            {
                at++;
            }

            var place = at < old.Steps.Count ? version.Flow.IndexOf(old.Steps[at].Step.Id) : -1;
            if (at != run.StepIndex)
            {
                Settled(run, Outcome.Cancelled, Reason.StepRemoved.Word(), Trail.None);
            }

            run.Program = version;
            if (place < 0)
            {
                EndRun(run, null);
            }
            else if (!PlanAt(run, place, run.PreviousAt))
            {
                PlanFrom(run, version.Flow.Steps[place].Next);
            }
        }
    }
}
