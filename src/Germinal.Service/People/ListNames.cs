using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service;

/// <summary>The practice's lists, each in the spelling it was first given.</summary>
public static class ListNames
{
    /// <summary>The practice's spelling of a list, which is there from then on.</summary>
    public static async Task<string> SpellingAsync(GerminalDb db, string name, string by, Instant now, CancellationToken stop)
    {
        var lower = name.ToLowerInvariant();
#pragma warning disable CA1862, CA1311, CA1304, MA0011 // Translated to SQL's lower().
        if (await db.Lists.Where(l => l.Name.ToLower() == lower).Select(l => l.Name).FirstOrDefaultAsync(stop) is { } known)
#pragma warning restore CA1862, CA1311, CA1304, MA0011
        {
            return known;
        }

        await EnsureAsync(db, [name], by, null, now, stop);
        return name;
    }

    /// <summary>Adds those names that are not there yet.</summary>
    /// <param name="db">The context of the practice.</param>
    /// <param name="names">The names.</param>
    /// <param name="by">Who made them.</param>
    /// <param name="from">What they were made from, in words; null for by hand.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task EnsureAsync(GerminalDb db, IReadOnlyCollection<string> names, string by, string? from, Instant now, CancellationToken stop)
    {
        if (names.Count == 0)
        {
            return;
        }

        var known = (await db.Lists.Select(l => l.Name).ToListAsync(stop)).ToHashSet(StringComparer.OrdinalIgnoreCase);
        foreach (var name in names.Where(known.Add))
        {
            await db.Database.ExecuteSqlAsync(
                $"INSERT INTO lists (practice_id, name, created_at, by, \"from\") VALUES ({db.PracticeId}, {name}, {now}, {by}, {from}) ON CONFLICT DO NOTHING",
                stop
            );
        }
    }
}
