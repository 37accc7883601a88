using Germinal.Core.Appointments;
using Germinal.Core.Practices;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Meetings;

/// <summary>The times of a page that can be chosen now.</summary>
public static class MeetingTimes
{
    // An appointment that began before is still in the way while it lasts.
    private static readonly Duration Longest = Duration.FromHours(24);

    /// <summary>The beginnings of meetings that can be made, in order.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="page">The page.</param>
    /// <param name="practice">The practice.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="apartFrom">An appointment that is to be moved, and stands in its own way no more; null for none.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<IReadOnlyList<Instant>> FreeAsync(GerminalDb db, MeetingPageRow page, Practice practice, Instant now, Guid? apartFrom, CancellationToken stop) =>
        (await FreeAsync(db, [page], practice, now, apartFrom, stop))[page.Id];

    /// <summary>The same for several pages, by their ids.</summary>
    public static async Task<IReadOnlyDictionary<Guid, IReadOnlyList<Instant>>> FreeAsync(GerminalDb db, IReadOnlyList<MeetingPageRow> pages, Practice practice, Instant now, Guid? apartFrom, CancellationToken stop)
    {
        var (from, until) = (now - Longest, now + Duration.FromDays(pages.Select(p => p.AheadDays).DefaultIfEmpty().Max() + 2));
        var (today, members) = (now.InZone(practice.Zone).Date, pages.Select(p => p.MemberId).Distinct().ToList());
        var met = (
            await db
                .Appointments.AsNoTracking()
                .Where(a => a.WithId != null && members.Contains(a.WithId.Value) && a.CancelledAt == null && a.At > from && a.At < until && a.Id != apartFrom)
                .Select(a => new { Member = a.WithId!.Value, a.At, a.Minutes })
                .ToListAsync(stop)
        ).ToLookup(a => a.Member, a => new Taken(a.At, a.At + Duration.FromMinutes(a.Minutes)));
        var away = (
            await db.Absences.AsNoTracking().Where(a => members.Contains(a.MemberId) && a.Until >= today).Select(a => new { a.MemberId, a.From, a.Until }).ToListAsync(stop)
        ).ToLookup(a => a.MemberId, a => (a.From, a.Until));
        var busy = (
            await db.BusyTimes.AsNoTracking().Where(b => members.Contains(b.MemberId) && b.Until > now && b.From < until).Select(b => new { b.MemberId, b.From, b.Until }).ToListAsync(stop)
        ).ToLookup(b => b.MemberId, b => new Taken(b.From, b.Until, IsMeeting: false));
        return pages.ToDictionary(p => p.Id, p => FreeTimes.Of(MeetingPages.HoursOf(p), practice.Calendar, [.. away[p.MemberId]], [.. met[p.MemberId], .. busy[p.MemberId]], practice.Zone, now));
    }

    /// <summary>Keeps everybody else who would meet the same member waiting until the transaction ends: nobody gets a time that somebody has.</summary>
    public static Task LockAsync(GerminalDb db, Guid member, CancellationToken stop) =>
        db.Database.ExecuteSqlAsync($"SELECT pg_advisory_xact_lock(hashtextextended({$"meets/{member}"}, 0))", stop);
}
