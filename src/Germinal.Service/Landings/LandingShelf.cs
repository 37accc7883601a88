using System.Collections.Concurrent;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Landings;

/// <summary>A page as everybody sees it.</summary>
/// <param name="Id">Which.</param>
/// <param name="Slug">The last part of its address.</param>
/// <param name="Version">The version that is shown.</param>
/// <param name="Words">Its words.</param>
public sealed record ShownLanding(Guid Id, string Slug, LandingVersionRow Version, LandingWords Words);

/// <summary>Pages as everybody sees them, by their address; and how often each is opened.</summary>
public sealed class LandingShelf
{
    // A page is read far more often than it is shown anew; each version is worked out once, and never changes.
    private readonly ConcurrentDictionary<(Guid Id, int Version), (LandingVersionRow Row, LandingWords Words)> read = new();

    /// <summary>The page at an address, in whatever practice; the context sees that practice's rows from then on. Null where there is none, or nobody sees it.</summary>
    public async Task<ShownLanding?> FindAsync(GerminalDb db, string slug, CancellationToken stop)
    {
        var row = await db
            .Landings.IgnoreQueryFilters()
            .AsNoTracking()
            .Where(l => l.Slug == slug && l.ShownVersion != null && db.OpenPractices.Contains(l.PracticeId))
            .Select(l => new { l.Id, l.PracticeId, l.Slug, Version = l.ShownVersion!.Value })
            .FirstOrDefaultAsync(stop);
        if (row is null)
        {
            return null;
        }

        db.PracticeId = row.PracticeId;
        if (!read.TryGetValue((row.Id, row.Version), out var kept))
        {
            var version = await db.LandingVersions.AsNoTracking().SingleAsync(v => v.LandingId == row.Id && v.Version == row.Version, stop);
            kept = (version, LandingWords.Of(version.Body));
            read[(row.Id, row.Version)] = kept;
        }

        return new ShownLanding(row.Id, row.Slug, kept.Row, kept.Words);
    }

    /// <summary>Counts that a page was opened: how often on a day, and by which program's message one came. Of whom it was, nothing is kept.</summary>
    public static async Task CountAsync(GerminalDb db, Guid landing, Guid? touch, LocalDate today, CancellationToken stop)
    {
        var program = touch is { } id ? await db.Touches.Where(t => t.Id == id).Select(t => t.ProgramId).FirstOrDefaultAsync(stop) : Guid.Empty;
        await db.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO landing_visits (landing_id, practice_id, date, program_id, count) VALUES ({landing}, {db.PracticeId}, {today}, {program}, 1)
            ON CONFLICT (landing_id, date, program_id) DO UPDATE SET count = landing_visits.count + 1
            """,
            stop
        );
    }
}
