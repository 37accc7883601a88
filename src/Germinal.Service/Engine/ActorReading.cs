using System.Runtime.CompilerServices;
using Germinal.Core.Engine;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Engine;

/// <summary>People as the engine takes them up, facts and what it remembers of them, read many at a time.</summary>
public static class ActorReading
{
    /// <summary>How many are read in one round trip.</summary>
    private const int AtOnce = 1000;

    /// <summary>Reads people; whoever is unknown is left out.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="engine">The engine whose programs say which facts are asked for.</param>
    /// <param name="people">Who.</param>
    /// <param name="events">What happens to each, in the order of time; null for nothing.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>In the order asked for.</returns>
    public static async IAsyncEnumerable<Actor> ReadAsync(
        GerminalDb db,
        TouchEngine engine,
        IEnumerable<Guid> people,
        Func<Guid, IReadOnlyList<Happening>>? events,
        [EnumeratorCancellation] CancellationToken stop
    )
    {
        foreach (var chunk in people.Chunk(AtOnce))
        {
            var facts = await FactsReading.LoadAsync(db, chunk, stop, engine);
            var states = await db.States.AsNoTracking().Where(s => chunk.Contains(s.PersonId)).ToDictionaryAsync(s => s.PersonId, s => s.State, stop);
            foreach (var person in chunk.Where(facts.ContainsKey))
            {
                yield return new Actor(facts[person], states.TryGetValue(person, out var state) ? PersonStateJson.Read(state) : PersonState.Empty, events?.Invoke(person) ?? []);
            }
        }
    }
}
