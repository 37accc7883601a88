using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>
/// Taking back what a member has just done to a person: a stop, a drop, a pause, a no. It is possible for as long as nothing has
/// built on it: their memory then becomes the one from before, and what is stored of runs, touches and tasks follows it.
/// </summary>
public static class TakingBack
{
    /// <summary>
    /// True where nothing came of what happened but changes to runs, touches and tasks of the person that can be turned round: no
    /// program was started or refused, no fact changed, nobody told, nothing handed over.
    /// </summary>
    /// <param name="effects">What the engine wanted done.</param>
    public static bool IsPossible(IReadOnlyList<Effect> effects) =>
        effects.All(static e => e is RunEnded or TouchSettled or TouchPlanned or TaskClosed or TouchHoldChanged or RunPaused);

    /// <summary>True where a person still stands exactly as something left them.</summary>
    /// <param name="standing">Their memory now.</param>
    /// <param name="left">Their memory right after it.</param>
    public static bool NothingBuiltOn(PersonState standing, PersonState left) => PersonStateJson.Write(standing) == PersonStateJson.Write(left);

    /// <summary>What is to be done so that runs, touches and tasks stand again as they did.</summary>
    /// <param name="before">Their memory before it happened.</param>
    /// <param name="after">Their memory right after it.</param>
    /// <param name="at">This moment.</param>
    public static IReadOnlyList<Effect> Effects(PersonState before, PersonState after, Instant at)
    {
        var effects = new List<Effect>();
        foreach (var run in before.Runs)
        {
            var now = after.Runs.FirstOrDefault(r => r.Id == run.Id);
            if (now is not null && now.TouchId != run.TouchId)
            {
                effects.Add(new TouchUnplanned(run.Id, now.Touch.StepId) { Nth = now.Readers.Length });
            }

            if (now is null || now.TouchId != run.TouchId || now.Touch != run.Touch)
            {
                effects.Add(new RunGoesOn(run));
            }

            if (now is not null && (now.PausedAt, now.PausedUntil) != (run.PausedAt, run.PausedUntil))
            {
                effects.Add(new RunPaused(run.Id, run.PausedAt ?? at, run.PausedAt is not null, run.PausedUntil));
            }
        }

        foreach (var task in before.OpenTasks.Where(t => !after.OpenTasks.Contains(t)))
        {
            effects.Add(new TaskPutBack(task.RunId, task.StepId) { Nth = task.Nth });
        }

        return effects;
    }
}
