using Germinal.Core.People;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Core.Engine;

/// <summary>A touch as a rehearsal saw it.</summary>
/// <param name="TouchId">Its id, the same that the live run will give it.</param>
/// <param name="RunId">Its run.</param>
/// <param name="Program">The program version.</param>
/// <param name="Step">The step.</param>
/// <param name="Due">Its first due moment.</param>
/// <param name="SettledAt">When it settled; null when it had not at the horizon.</param>
/// <param name="Outcome">What became of it; null when it had not settled.</param>
/// <param name="Reason">The reason of an outcome that has one.</param>
public sealed record RehearsedTouch(Guid TouchId, Guid RunId, ProgramVersion Program, Step Step, Instant Due, Instant? SettledAt, Outcome? Outcome, string? Reason);

/// <summary>
/// The engine on a virtual clock for one person (rule 12.1): nothing is sent or saved, nobody reacts, every call is made on its day.
/// </summary>
public static class Rehearsal
{
    /// <summary>Everything that comes for one person from a moment to a horizon, in order of time.</summary>
    /// <param name="engine">The engine with the practice's programs.</param>
    /// <param name="person">The person's facts.</param>
    /// <param name="state">The person's state at <paramref name="from"/>.</param>
    /// <param name="from">The moment to begin at.</param>
    /// <param name="until">The horizon, itself excluded.</param>
    /// <param name="first">Something that happens at the beginning, such as a start by hand; or null.</param>
    /// <param name="most">The most touches wanted.</param>
    public static IReadOnlyList<RehearsedTouch> Of(TouchEngine engine, PersonFacts person, PersonState state, Instant from, Instant until, Happening? first = null, int most = 200)
    {
        var touches = new List<RehearsedTouch>();
        var planned = new Dictionary<Guid, (TouchPlanned Effect, ProgramVersion Program)>();
        var runs = new Dictionary<Guid, ProgramVersion>();
        foreach (var run in state.Runs)
        {
            var program = engine.Shelf.Find(run.ProgramId, run.Version);
            runs[run.Id] = program;
            planned[run.Touch.Id] = (new TouchPlanned(run.Touch.Id, run.Id, run.Touch.StepId, run.Touch.FirstDue, run.Touch.Due, new PlanReason("", "", "", false)), program);
        }

        var occasions = new Queue<OccasionStart>(engine.Shelf.On
            .SelectMany(p => Occasions.Between(p.Current, engine.Practice, person, from, until))
            .OrderBy(o => o.At));

        void Take(Advance advance)
        {
            state = advance.State;
            foreach (var effect in advance.Effects)
            {
                switch (effect)
                {
                    case RunStarted s:
                        runs[s.RunId] = engine.Shelf.Find(s.ProgramId, s.Version);
                        break;
                    case TouchPlanned p:
                        planned[p.TouchId] = (p, runs[p.RunId]);
                        break;
                    case TouchSettled t when planned.Remove(t.TouchId, out var plan):
                        touches.Add(Made(plan.Program, t.TouchId, t.RunId, t.StepId, plan.Effect.FirstDue, t.At, t.Outcome, t.Reason));
                        break;
                }
            }
        }

        if (first is not null)
        {
            Take(engine.React(person, state, first));
        }

        while (touches.Count < most)
        {
            var due = state.NextDue(engine.Shelf) is { } d ? Instant.Max(d, from) : (Instant?)null;
            if (occasions.TryPeek(out var occasion) && (due is null || occasion.At <= due))
            {
                occasions.Dequeue();
                Take(engine.React(person, state, new OccasionCame(occasion.At, occasion.ProgramId, occasion.Occasion.Name, occasion.Occasion.Date)));
                continue;
            }

            if (due is not { } now || now >= until)
            {
                break;
            }

            Take(engine.Judge(person, state, now));
            foreach (var handed in state.Runs.Where(r => r.Touch.Phase == TouchPhase.Handing).Select(r => r.Touch.Id).ToList())
            {
                Take(engine.Settle(person, state, handed, now, null));
            }

            foreach (var task in state.OpenTasks.Where(t => state.Runs.Any(r => r.Touch.Id == t.TouchId && r.Touch.Phase == TouchPhase.OnSheet)).ToList())
            {
                Take(engine.React(person, state, new CallEnded(now, task.TouchId, "done")));
            }
        }

        touches.AddRange(planned.Values
            .Where(p => p.Effect.FirstDue < until)
            .OrderBy(p => p.Effect.Due)
            .Select(p => Made(p.Program, p.Effect.TouchId, p.Effect.RunId, p.Effect.StepId, p.Effect.FirstDue, null, null, null)));
        return touches;
    }

    private static RehearsedTouch Made(ProgramVersion program, Guid touch, Guid run, string step, Instant due, Instant? settled, Outcome? outcome, string? reason) =>
        new(touch, run, program, program.Definition.Steps.First(s => s.Id == step), due, settled, outcome, reason);
}
