using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service;

/// <summary>The practice's tags, each in the spelling it was first given.</summary>
public static class TagNames
{
    /// <summary>Adds those names that are not there yet.</summary>
    public static async Task EnsureAsync(GerminalDb db, IReadOnlyCollection<string> names, CancellationToken stop)
    {
        var known = (await db.Tags.Select(t => t.Name).ToListAsync(stop)).ToHashSet(StringComparer.OrdinalIgnoreCase);
        foreach (var name in names.Where(known.Add))
        {
            await db.Database.ExecuteSqlAsync($"INSERT INTO tags (practice_id, name) VALUES ({db.PracticeId}, {name}) ON CONFLICT DO NOTHING", stop);
        }
    }

    /// <summary>The practice's spelling of a tag; the given one when it is new.</summary>
    public static async Task<string> SpellingAsync(GerminalDb db, string name, CancellationToken stop)
    {
        if (await KnownAsync(db, name, stop) is { } known)
        {
            return known;
        }

        await EnsureAsync(db, [name], stop);
        return name;
    }

    /// <summary>The practice's spelling of a tag; null where it has none such.</summary>
    public static async Task<string?> KnownAsync(GerminalDb db, string name, CancellationToken stop)
    {
        var lower = name.ToLowerInvariant();
#pragma warning disable CA1862, CA1311, CA1304, MA0011 // Translated to SQL's lower().
        return await db.Tags.Where(t => t.Name.ToLower() == lower).Select(t => t.Name).FirstOrDefaultAsync(stop);
#pragma warning restore CA1862, CA1311, CA1304, MA0011
    }
}
