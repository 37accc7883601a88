using Germinal.Core.Engine;
using Germinal.Core.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Engine;

/// <summary>A batch of locked people with everything the engine needs for them, loaded in a fixed number of queries.</summary>
public sealed record EngineBatch(TouchEngine Engine, PracticeSettings Settings, IReadOnlyDictionary<Guid, PersonFacts> Facts, IReadOnlyDictionary<Guid, PersonStateRow> States)
{
    /// <summary>Loads facts and states; the engine is kept as long as it is good. The rows of the states are locked by the caller; what becomes of them a <see cref="Recorder"/> writes.</summary>
    public static async Task<EngineBatch> LoadAsync(GerminalDb db, IReadOnlyCollection<Guid> people, Engines engines, CancellationToken stop)
    {
        var (engine, settings) = await engines.OfAsync(db, stop);
        return await LoadAsync(db, people, engine, settings, stop);
    }

    /// <summary>As above with an engine that is known already: the outcome of a touch is taken in by the engine that decided it.</summary>
    public static async Task<EngineBatch> LoadAsync(GerminalDb db, IReadOnlyCollection<Guid> people, TouchEngine engine, PracticeSettings settings, CancellationToken stop)
    {
        var facts = await FactsReading.LoadAsync(db, people, stop);
        var states = await db.States.AsNoTracking().Where(s => people.Contains(s.PersonId)).ToDictionaryAsync(s => s.PersonId, stop);
        return new EngineBatch(engine, settings, facts, states);
    }

    /// <summary>The state of one person.</summary>
    public PersonState StateOf(Guid person) => PersonStateJson.Read(States[person].State);
}
