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
    public static async Task<EngineBatch> LoadAsync(GerminalDb db, IReadOnlyCollection<Guid> people, LiquidLetters letters, ShelfReading shelves, CancellationToken stop) =>
        await LoadAsync(db, people, new TouchEngine(await PracticeReading.LoadAsync(db, stop), await shelves.LoadAsync(db, stop), letters), stop);

    /// <summary>As above with an engine that is known already: the outcome of a touch is taken in by the engine that decided it.</summary>
    public static async Task<EngineBatch> LoadAsync(GerminalDb db, IReadOnlyCollection<Guid> people, TouchEngine engine, CancellationToken stop)
    {
        var facts = await FactsReading.LoadAsync(db, people, stop);
        var states = await db.States.Where(s => people.Contains(s.PersonId)).ToDictionaryAsync(s => s.PersonId, stop);
        return new EngineBatch(engine, facts, states);
    }

    /// <summary>The state of one person.</summary>
    public PersonState StateOf(Guid person) => PersonStateJson.Read(States[person].State);
}
