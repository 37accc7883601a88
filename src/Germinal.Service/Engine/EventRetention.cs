using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>Forgets what a practice does not want to keep. Touches, messages and the consent ledger are never forgotten by this.</summary>
public static class EventRetention
{
    /// <summary>Deletes handled events and visits older than each practice's setting; 0 months keeps everything.</summary>
    /// <returns>How many events went.</returns>
    public static async Task<int> ForgetAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        var gone = 0;
        foreach (var practice in await db.Practices.AsNoTracking().ToListAsync(stop))
        {
            if (practice.Settings.KeepEventsMonths <= 0)
            {
                continue;
            }

            db.PracticeId = practice.Id;
            var before = now.InUtc().LocalDateTime.PlusMonths(-practice.Settings.KeepEventsMonths).InUtc().ToInstant();
            gone += await db.Events.Where(e => e.At < before && e.HandledAt != null).ExecuteDeleteAsync(stop);
            await db.Visits.Where(v => v.At < before).ExecuteDeleteAsync(stop);
        }

        return gone;
    }
}
