using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service;

/// <summary>Does something in a transaction of its own, and tries it again where it met somebody else who changed the same: nothing of it was written then.</summary>
public static class Tries
{
    private const int Most = 4;

    /// <summary>What came of it, committed.</summary>
    /// <param name="db">A context; what it tracks is forgotten before each try.</param>
    /// <param name="act">What is done; it leaves the transaction alone.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<T> AgainAsync<T>(GerminalDb db, Func<GerminalDb, Task<T>> act, CancellationToken stop)
    {
        for (var tried = 1; ; tried++)
        {
            db.ChangeTracker.Clear();
            try
            {
                await using var transaction = await db.Database.BeginTransactionAsync(stop);
                var answer = await act(db);
                await transaction.CommitAsync(stop);
                return answer;
            }
            catch (Exception e) when (tried < Most && MayGoAgain(e))
            {
                // Nothing of it was written.
            }
        }
    }

    /// <summary>Whether something failed only because of somebody else at the same moment.</summary>
    public static bool MayGoAgain(Exception e) => e is DbUpdateConcurrencyException || e.GetBaseException() is System.Data.Common.DbException { IsTransient: true };
}
