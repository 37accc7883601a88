using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Engine;

/// <summary>
/// A batch of locked people with everything the engine needs for them, loaded in a fixed number of queries. What the engine
/// makes of them is kept, so that the batch shows them as they stand.
/// </summary>
public sealed class EngineBatch
{
    private readonly Dictionary<Guid, PersonFacts> facts;
    private readonly Dictionary<Guid, PersonStateRow> states;
    private readonly Dictionary<Guid, PersonState> standing = [];

    private EngineBatch(TouchEngine engine, PracticeSettings settings, Dictionary<Guid, PersonFacts> facts, Dictionary<Guid, PersonStateRow> states) =>
        (Engine, Settings, this.facts, this.states) = (engine, settings, facts, states);

    /// <summary>The practice's engine.</summary>
    public TouchEngine Engine { get; }

    /// <summary>The settings it was made of.</summary>
    public PracticeSettings Settings { get; }

    /// <summary>Everybody's facts, with the changes programs have made.</summary>
    public IReadOnlyDictionary<Guid, PersonFacts> Facts => facts;

    /// <summary>The rows of their states. They are locked by the caller; what becomes of them a <see cref="Recorder"/> writes.</summary>
    public IReadOnlyDictionary<Guid, PersonStateRow> States => states;

    /// <summary>The database's id of the transaction that wrote the states as they stand here; null before they are written.</summary>
    public string? WrittenBy { get; private set; }

    /// <summary>Loads facts and states; the engine is kept as long as it is good.</summary>
    public static async Task<EngineBatch> LoadAsync(GerminalDb db, IReadOnlyCollection<Guid> people, Engines engines, CancellationToken stop)
    {
        var (engine, settings) = await engines.OfAsync(db, stop);
        return await LoadAsync(db, people, engine, settings, stop);
    }

    /// <summary>As above with an engine that is known already: the outcome of a touch is taken in by the engine that decided it.</summary>
    public static async Task<EngineBatch> LoadAsync(
        GerminalDb db,
        IReadOnlyCollection<Guid> people,
        TouchEngine engine,
        PracticeSettings settings,
        CancellationToken stop
    )
    {
        if (people.Count == 0)
        {
            return new EngineBatch(engine, settings, [], []);
        }

        var known = await FactsReading.LoadAsync(db, people, stop, engine);
        var rows = await db.States.AsNoTracking().Where(s => people.Contains(s.PersonId)).ToDictionaryAsync(s => s.PersonId, stop);
        return new EngineBatch(engine, settings, known, rows);
    }

    /// <summary>The state of one person.</summary>
    public PersonState StateOf(Guid person)
    {
        if (!standing.TryGetValue(person, out var state))
        {
            standing[person] = state = PersonStateJson.Read(states[person].State);
        }

        return state;
    }

    /// <summary>Takes in what the engine made of a person.</summary>
    public void Keep(Guid person, Advance advance) => (standing[person], facts[person]) = (advance.State, advance.Person);

    /// <summary>Notes the transaction that has written everybody's states, before it is committed.</summary>
    public async Task NoteWriterAsync(GerminalDb db, CancellationToken stop) =>
        WrittenBy = (await db.Database.SqlQuery<string>($"""SELECT (pg_current_xact_id()::xid)::text AS "Value" """).ToListAsync(stop)).Single();

    /// <summary>
    /// Locks people of this batch again and loads whoever has been touched since it was written: another transaction has
    /// written their state, or something has come to them that is not taken in yet. Everybody else stands as they stood.
    /// </summary>
    /// <returns>The people as they stand now, and who of them is unchanged.</returns>
    public async Task<(EngineBatch Batch, IReadOnlySet<Guid> Unchanged)> LockAgainAsync(GerminalDb db, IEnumerable<Guid> people, CancellationToken stop)
    {
        var ids = people.Distinct().Order().ToArray();

        // NOT IN: what waits is looked up once for the batch, not once for each of them.
        var unchanged = (
            await db
                .Database.SqlQuery<Guid>(
                    $"""
                    SELECT s.person_id AS "Value"
                    FROM (SELECT person_id, xmin FROM person_states WHERE person_id = ANY({ids}) ORDER BY person_id FOR UPDATE) s
                    WHERE s.xmin::text = {WrittenBy
                        ?? ""} AND s.person_id NOT IN (SELECT e.person_id FROM events e WHERE e.handled_at IS NULL AND e.person_id = ANY({ids}))
                    """
                )
                .ToListAsync(stop)
        ).ToHashSet();
        var again = await LoadAsync(db, [.. ids.Where(id => !unchanged.Contains(id))], Engine, Settings, stop);
        foreach (var id in unchanged)
        {
            (again.facts[id], again.states[id], again.standing[id]) = (facts[id], states[id], StateOf(id));
        }

        return (again, unchanged);
    }
}
