using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>What became of two people that are one: the memory of both in the one that is kept, and what is to be done.</summary>
/// <param name="Kept">The one that is kept.</param>
/// <param name="Effects">Runs that stopped, because the one kept is in the same program.</param>
/// <param name="Stopped">Those runs as they stood, so that the merge can be taken back.</param>
public sealed record Joined(PersonState Kept, IReadOnlyList<Effect> Effects, IReadOnlyList<RunState> Stopped);

/// <summary>Rule 6.2: two people that are one, and taking that back.</summary>
public static class Merging
{
    /// <summary>
    /// The memory of both as one. Where both are in a program, the run of the one that goes stops; a message of it that is on
    /// its way is recorded first.
    /// </summary>
    /// <param name="kept">The memory of the one that is kept.</param>
    /// <param name="merged">The memory of the other, of whom nothing is left to remember afterwards.</param>
    /// <param name="at">When they were merged.</param>
    public static Joined Join(PersonState kept, PersonState merged, Instant at)
    {
        var effects = new List<Effect>();
        var stopped = new List<RunState>();
        var runs = kept.Runs.ToBuilder();
        foreach (var run in merged.Runs)
        {
            if (run.Occasion is not null || !kept.Runs.Any(k => k.ProgramId == run.ProgramId && k.Occasion is null))
            {
                runs.Add(run);
            }
            else if (run.Touch.Phase == TouchPhase.Handing)
            {
                runs.Add(run with { StopAfterHanding = run.StopAfterHanding ?? Reason.Merged.Word() });
            }
            else
            {
                Stop(run);
            }
        }

        return new Joined(
            kept with
            {
                Runs = runs.ToImmutable(),
                OpenTasks = [.. kept.OpenTasks, .. merged.OpenTasks],
                Been = merged.Been.Aggregate(
                    kept.Been,
                    (been, program) => been.SetItem(program.Key, Sum(been.GetValueOrDefault(program.Key, new PastRuns(0, null)), program.Value))
                ),
                Occasions = kept.Occasions.Union(merged.Occasions),
                Marks = kept.Marks.AddRange(merged.Marks),
                Overruled = kept.Overruled.AddRange(merged.Overruled),
                Sent = [.. kept.Sent.Concat(merged.Sent).OrderBy(s => s.At)],
                Appointments = [.. kept.Appointments, .. merged.Appointments],
                Inquiries = [.. kept.Inquiries.Concat(merged.Inquiries).Order()],
                Waiting = [.. kept.Waiting, .. merged.Waiting],
                Matching = kept.Matching.Union(merged.Matching),
                LastTouch = Later(kept.LastTouch, merged.LastTouch),
                LastReply = Later(kept.LastReply, merged.LastReply),
            },
            effects,
            stopped
        );

        void Stop(RunState run)
        {
            stopped.Add(run);
            if (run.Touch.Phase is TouchPhase.Planned or TouchPhase.Blocked)
            {
                effects.Add(new TouchSettled(run.Id, run.Touch.StepId, at, Outcome.Cancelled, Reason.Merged.Word(), Trail.None) { Nth = run.Readers.Length });
            }

            effects.Add(new RunEnded(run.Id, at, Reason.Merged.Word()));
        }
    }

    /// <summary>
    /// Taking a merge back: the memories are those from before, and the runs it stopped go on as they stood.
    /// </summary>
    /// <param name="stopped">What <see cref="Join"/> stopped.</param>
    public static IReadOnlyList<Effect> Part(IEnumerable<RunState> stopped) => [.. stopped.Select(run => new RunGoesOn(run))];

    private static PastRuns Sum(PastRuns a, PastRuns b) => new(a.Started + b.Started, Later(a.LastEnded, b.LastEnded), a.TakenBack + b.TakenBack);

    private static Instant? Later(Instant? a, Instant? b) => a is null || b > a ? b : a;
}
