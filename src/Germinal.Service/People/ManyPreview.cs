using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.People;

/// <summary>A program, and for how many people.</summary>
public sealed record ProgramCount(string Program, int Count);

/// <summary>Why a program would not start, in words; for how many, and the first of them.</summary>
public sealed record RefusedPeople(string Program, string Reason, int Count, IReadOnlyList<PersonRef> First);

/// <summary>What an act would do to many, as the engine says; nothing is changed.</summary>
/// <param name="People">How many were picked.</param>
/// <param name="Unchanged">For how many it is nothing new: they have the tag, stand in the stage.</param>
/// <param name="Starts">Programs that would start.</param>
/// <param name="Stops">Programs that would stop.</param>
/// <param name="Refused">Programs that would not start for somebody.</param>
/// <param name="StartLimit">Of a program started by hand, how many start on a day; the rest wait their turn.</param>
public sealed record ActPreview(
    int People,
    int Unchanged,
    IReadOnlyList<ProgramCount> Starts,
    IReadOnlyList<ProgramCount> Stops,
    IReadOnlyList<RefusedPeople> Refused,
    int? StartLimit
);

/// <summary>Looks what an act would do before it is done.</summary>
public sealed class ManyPreview(Engines engines)
{
    private const int Named = 8;

    /// <summary>Asks the engine for each of the people what the act would set off.</summary>
    public async Task<ActPreview> OfAsync(GerminalDb db, ActKind kind, string what, Guid[] people, Instant now, CancellationToken stop)
    {
        var (engine, _) = await engines.OfAsync(db, stop);
        var happening = Acts.HappeningOf(kind, what, now, "");
        var unchanged = 0;
        var starts = new Dictionary<Guid, int>();
        var stops = new Dictionary<Guid, int>();
        var refused = new Dictionary<(Guid Program, string Reason), (int Count, List<PersonRef> First)>();
        await foreach (var (before, state, _) in ActorReading.ReadAsync(db, engine, people, null, stop))
        {
            var happens = happening is EnteredStage entered ? entered with { Left = before.Stage } : happening;
            if (FactUpdates.Apply(before, happens) is not { } person)
            {
                unchanged++;
                continue;
            }

            foreach (var effect in engine.React(person, state, happens).Effects)
            {
                switch (effect)
                {
                    case RunStarted s:
                        starts[s.ProgramId] = starts.GetValueOrDefault(s.ProgramId) + 1;
                        break;
                    case RunEnded { StopReason: not null } e when state.Runs.FirstOrDefault(r => r.Id == e.RunId) is { } run:
                        stops[run.ProgramId] = stops.GetValueOrDefault(run.ProgramId) + 1;
                        break;
                    case StartRefused r:
                        var (count, first) = refused.GetValueOrDefault((r.ProgramId, r.Reason), (0, []));
                        if (first.Count < Named)
                        {
                            first.Add(new PersonRef(before.Id, person.Name));
                        }

                        refused[(r.ProgramId, r.Reason)] = (count + 1, first);
                        break;
                }
            }
        }

        var names = await db.ProgramsAndBroadcasts.AsNoTracking().ToDictionaryAsync(p => p.Id, p => p.Name, stop);
        List<ProgramCount> WithNames(Dictionary<Guid, int> counts) =>
            [.. counts.Select(c => new ProgramCount(names.GetValueOrDefault(c.Key, ""), c.Value)).OrderByDescending(c => c.Count)];
        var limit =
            happening is StartedByHand byHand && engine.Shelf.On.FirstOrDefault(p => p.Current.ProgramId == byHand.ProgramId) is { } on
                ? on.Current.Definition.StartLimit
                : null;
        return new ActPreview(
            people.Length,
            unchanged,
            WithNames(starts),
            WithNames(stops),
            [
                .. refused
                    .OrderByDescending(r => r.Value.Count)
                    .Select(r => new RefusedPeople(names.GetValueOrDefault(r.Key.Program, ""), Why.Reason(r.Key.Reason), r.Value.Count, r.Value.First)),
            ],
            limit
        );
    }
}
