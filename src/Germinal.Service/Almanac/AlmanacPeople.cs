using Germinal.Core.Engine;
using Germinal.Service.Broadcasts;
using Germinal.Service.Engine;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Almanac;

/// <summary>
/// Reads those for whom something comes, as the engine has to know them for a rehearsal. It knows from one look to the next whom it has read as
/// they are: only those that have changed since are read again.
/// </summary>
/// <remarks>
/// Who has changed is seen by the versions of their own row and of what the engine remembers of them: whatever happens to somebody is
/// taken in by the engine, which writes that anew. What stands elsewhere and is no event (a household's address, another's name) is seen
/// when everybody is read again, which happens with each change of the practice's programs and settings, and each quarter of an hour.
/// </remarks>
internal sealed class AlmanacPeople
{
    /// <summary>The most people it goes through.</summary>
    public const int Most = 20_000;

    private readonly Dictionary<Guid, Stamped> known = [];

    private sealed record Stamped(Guid Id, long Person, long Remembered);

    /// <summary>Forgets everybody, so that they are read again.</summary>
    public void Forget() => known.Clear();

    /// <summary>Reads those that are new or have changed.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="engine">The practice's engine.</param>
    /// <param name="until">The horizon: who has nothing before it is left out.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>Those that were read, and the ids of those that have nothing any more.</returns>
    public async Task<(IReadOnlyList<Actor> Read, IReadOnlyList<Guid> Gone)> RefreshAsync(GerminalDb db, TouchEngine engine, Instant until, CancellationToken stop)
    {
        // What is held or paused is due at no moment, and comes all the same.
        var (planned, blocked) = (TouchStatus.Planned.Word(), TouchStatus.Blocked.Word());
        var broadcasts = await BroadcastAudience.ComingAsync(db, engine, stop);
        var recipients = broadcasts.Keys.ToArray();
        var stamps = await db
            .Database.SqlQuery<Stamped>(
                $"""
                SELECT p.id, p.xmin::text::bigint AS person, s.xmin::text::bigint AS remembered
                FROM person_states s JOIN people p ON p.id = s.person_id
                WHERE s.practice_id = {db.PracticeId} AND NOT p.archived AND (s.next_due < {until} OR s.next_alarm < {until}
                    OR s.person_id = ANY({recipients})
                    OR s.person_id IN (SELECT t.person_id FROM touches t WHERE t.practice_id = {db.PracticeId} AND t.status IN ({planned}, {blocked})))
                ORDER BY least(s.next_due, s.next_alarm), p.id
                LIMIT {Most}
                """
            )
            .ToListAsync(stop);
        var there = stamps.Select(s => s.Id).ToHashSet();
        var gone = known.Keys.Where(k => !there.Contains(k)).ToList();
        gone.ForEach(id => known.Remove(id));
        var changed = stamps.Where(s => known.GetValueOrDefault(s.Id) != s).ToDictionary(s => s.Id);
        var read = await ActorReading.ReadAsync(db, engine, changed.Keys, person => broadcasts.GetValueOrDefault(person, []), stop).ToListAsync(stop);
        read.ForEach(actor => known[actor.Person.Id] = changed[actor.Person.Id]);
        return (read, gone);
    }
}
