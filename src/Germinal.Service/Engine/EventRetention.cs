using Germinal.Core.Time;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>Forgets what a practice does not want to keep. Touches, messages and the consent ledger are never forgotten by this.</summary>
public static class EventRetention
{
    /// <summary>Deletes handled events and visits, and lines of the journal, older than each practice's settings; 0 months keeps everything.</summary>
    /// <returns>How many events went.</returns>
    public static async Task<int> ForgetAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        var gone = 0;
        foreach (var practice in await db.Practices.AsNoTracking().ToListAsync(stop))
        {
            // Which touch a household had is asked on its date only; words of one message stand in it once it has gone.
            db.PracticeId = practice.Id;
            var today = now.InZone(LocalClock.Zone(practice.ZoneId) ?? DateTimeZone.Utc).Date;
            await db.HouseholdClaims.Where(c => c.Date < today.PlusDays(-1)).ExecuteDeleteAsync(stop);
            await db.OwnWords.Where(w => db.Touches.Any(t => t.Id == w.TouchId && t.SettledAt < now)).ExecuteDeleteAsync(stop);
            if (MonthsBefore(now, practice.Settings.KeepJournalMonths) is { } told)
            {
                await db.Journal.Where(j => j.At < told).ExecuteDeleteAsync(stop);
            }

            if (MonthsBefore(now, practice.Settings.KeepEventsMonths) is { } before)
            {
                gone += await db.Events.Where(e => e.At < before && e.HandledAt != null).ExecuteDeleteAsync(stop);
                await db.Visits.Where(v => v.At < before).ExecuteDeleteAsync(stop);
            }
        }

        return gone;
    }

    private static Instant? MonthsBefore(Instant now, int months) => months > 0 ? now.InUtc().LocalDateTime.PlusMonths(-months).InUtc().ToInstant() : null;
}
