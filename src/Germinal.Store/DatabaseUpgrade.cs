using Microsoft.EntityFrameworkCore;

namespace Germinal.Store;

/// <summary>The database was changed by a newer program than this one; the message says what to do.</summary>
public sealed class NewerDatabaseException(string migration)
    : Exception($"The database was changed by a newer Germinal ({migration}). Start that one; an older one would not know what it reads.");

/// <summary>Brings the database to the state this program knows.</summary>
public static class DatabaseUpgrade
{
    /// <summary>Makes the changes that were not made yet. Of several processes that start at once one makes them, and the others wait for it.</summary>
    /// <exception cref="NewerDatabaseException">It is further than this program.</exception>
    public static async Task RunAsync(GerminalDb db, CancellationToken stop)
    {
        // A lock of our own before the library's: that one hangs on a table, which a new database does not have.
        await db.Database.OpenConnectionAsync(stop);
        try
        {
            await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_lock(hashtextextended('germinal-upgrade', 0))", stop);
            if (await NewerAsync(db, stop) is { } newer)
            {
                throw new NewerDatabaseException(newer);
            }

            // Asked first: the library compares its whole model with the last change before it finds that there is nothing to do, a second of each start.
            if ((await db.Database.GetPendingMigrationsAsync(stop)).Any())
            {
                await db.Database.MigrateAsync(stop);
            }

            await Sight.PrepareAsync(db, stop);
        }
        finally
        {
            await db.Database.ExecuteSqlAsync($"SELECT pg_advisory_unlock(hashtextextended('germinal-upgrade', 0))", CancellationToken.None);
            await db.Database.CloseConnectionAsync();
        }
    }

    /// <summary>A change of the database that this program does not know; null where there is none.</summary>
    public static async Task<string?> NewerAsync(GerminalDb db, CancellationToken stop)
    {
        var known = db.Database.GetMigrations().ToHashSet(StringComparer.Ordinal);
        return (await db.Database.GetAppliedMigrationsAsync(stop)).FirstOrDefault(m => !known.Contains(m));
    }
}
