using Germinal.Service.Clock;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>
/// What a member does to one person's touches and tasks, taken in at once instead of at the worker's next look: the page that
/// asked shows what has become of it. It is an event like any other, and the same core and recorder deal with it.
/// </summary>
public sealed class ActNow(Reactor reactor)
{
    /// <summary>
    /// Locks a person, looks whether the act is still possible, writes its event and takes it in, all in one transaction. Of ten
    /// that come at one moment the first finds it possible, the others find what the first has made of it.
    /// </summary>
    /// <param name="db">A context of the member's practice, without a transaction.</param>
    /// <param name="person">Whom it is about.</param>
    /// <param name="act">Looks at things as they stand under the lock, and gives back the event; null where there is nothing to be done.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>True where something was done.</returns>
    public async Task<bool> TakeAsync(GerminalDb db, Guid person, Func<Instant, Task<EventRow?>> act, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (!await PersonLock.TakeAsync(db, person, stop))
        {
            return false;
        }

        var now = await PracticeClock.NowAsync(db, stop);
        if (await act(now) is not { } happened)
        {
            return false;
        }

        db.Events.Add(happened);
        await db.SaveChangesAsync(stop);
        if (!await db.States.AnyAsync(s => s.PersonId == person && s.SetAside != null, stop))
        {
            await reactor.TakeInAsync(db, [person], now, stop);
        }

        await transaction.CommitAsync(stop);
        return true;
    }
}

/// <summary>Keeps others from working on a person until the transaction ends; engine, members and recipients take the same lock.</summary>
public static class PersonLock
{
    /// <summary>Locks people in one order, so that two who lock several never wait for each other.</summary>
    /// <returns>False where one of them is not there.</returns>
    public static async Task<bool> TakeAsync(GerminalDb db, Guid[] people, CancellationToken stop)
    {
        var locked = await db
            .Database.SqlQuery<Guid>(
                $"""SELECT person_id AS "Value" FROM person_states WHERE person_id = ANY({people}) AND practice_id = {db.PracticeId} ORDER BY person_id FOR UPDATE"""
            )
            .ToListAsync(stop);
        return locked.Count == people.Distinct().Count();
    }

    /// <summary>Locks one person.</summary>
    public static Task<bool> TakeAsync(GerminalDb db, Guid person, CancellationToken stop) => TakeAsync(db, [person], stop);
}
