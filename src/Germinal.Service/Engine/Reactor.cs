using Germinal.Channels.Letters;
using Germinal.Core.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>Takes in new events: claims their people, asks the core, stores state and effects in one transaction.</summary>
public sealed class Reactor(IDbContextFactory<GerminalDb> databases, LiquidLetters letters, ShelfReading shelves)
{
    private const int PeopleAtOnce = 500;

    /// <summary>Takes in one batch of events of a practice that have come by <paramref name="now"/>.</summary>
    /// <returns>False when there was nothing to do.</returns>
    public async Task<bool> ReactAsync(Guid practiceId, Instant now, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        var candidates = await db.Database.SqlQuery<Guid>(
            $"""
            SELECT person_id AS "Value" FROM (
              SELECT person_id, min(at) AS first FROM (
                SELECT person_id, at FROM events WHERE handled_at IS NULL AND at <= {now} AND practice_id = {practiceId} ORDER BY at, id LIMIT 5000
              ) w GROUP BY person_id ORDER BY 2 LIMIT {PeopleAtOnce}
            ) c
            """).ToListAsync(stop);
        if (candidates.Count == 0)
        {
            return false;
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var empty = PersonStateJson.Write(PersonState.Empty);
        var ids = candidates.ToArray();
        await db.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO person_states (person_id, practice_id, state, next_due)
            SELECT p.id, p.practice_id, {empty}::jsonb, 'infinity' FROM people p WHERE p.id = ANY({ids}) ORDER BY p.id
            ON CONFLICT (person_id) DO NOTHING
            """,
            stop);
        var claimed = await db.Database.SqlQuery<Guid>(
            $"""SELECT person_id AS "Value" FROM person_states WHERE person_id = ANY({ids}) FOR UPDATE SKIP LOCKED""").ToListAsync(stop);
        if (claimed.Count == 0)
        {
            return false;
        }

        var batch = await EngineBatch.LoadAsync(db, claimed, letters, shelves, stop);
        var events = await db.Events.Where(e => claimed.Contains(e.PersonId) && e.HandledAt == null && e.At <= now)
            .OrderBy(e => e.At).ThenBy(e => e.Id).ToListAsync(stop);
        var recorder = new Recorder(db, batch.Engine.Shelf);
        foreach (var row in events)
        {
            row.HandledAt = now;
            if (!EventKinds.IsForReadingOnly(row.Kind) && EventKinds.ToHappening(row, batch.Facts[row.PersonId], batch.Engine.Practice) is { } happening)
            {
                recorder.Take(batch.States[row.PersonId], batch.Engine.React(batch.Facts[row.PersonId], batch.StateOf(row.PersonId), happening));
            }
        }

        await recorder.WriteAsync(Instant.MinValue, stop);
        await transaction.CommitAsync(stop);
        return true;
    }
}
