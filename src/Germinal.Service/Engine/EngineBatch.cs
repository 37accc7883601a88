using Germinal.Channels.Letters;
using Germinal.Core.Engine;
using Germinal.Core.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>A batch of locked people with everything the engine needs for them, loaded in a fixed number of queries.</summary>
public sealed record EngineBatch(TouchEngine Engine, IReadOnlyDictionary<Guid, PersonFacts> Facts, IReadOnlyDictionary<Guid, PersonStateRow> States)
{
    /// <summary>Loads facts, states and programs. The states are tracked; their rows are locked by the caller.</summary>
    public static async Task<EngineBatch> LoadAsync(GerminalDb db, IReadOnlyCollection<Guid> people, LiquidLetters letters, ShelfReading shelves, CancellationToken stop)
    {
        var practice = await PracticeReading.LoadAsync(db, stop);
        var shelf = await shelves.LoadAsync(db, stop);
        var facts = await FactsReading.LoadAsync(db, people, stop);
        var states = await db.States.Where(s => people.Contains(s.PersonId)).ToDictionaryAsync(s => s.PersonId, stop);
        return new EngineBatch(new TouchEngine(practice, shelf, letters), facts, states);
    }

    /// <summary>The state of one person.</summary>
    public PersonState StateOf(Guid person) => PersonStateJson.Read(States[person].State);
}
