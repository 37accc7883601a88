using Germinal.Core.Contact;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Engine;

/// <summary>What people did, by when last, out of the tables that hold it. The same places stand in <see cref="RuleSql"/>.</summary>
public static class DeedsReading
{
    /// <summary>The deeds of people, each by its name once; of appointments all of them, past and coming.</summary>
    public static async Task<ILookup<Guid, Deed>> LoadAsync(GerminalDb db, IReadOnlyCollection<Guid> people, CancellationToken stop)
    {
        var touches =
            from t in db.Touches
            join g in db.ProgramsAndBroadcasts on t.ProgramId equals g.Id
            select new
            {
                t.Id,
                g.Name,
                t.StepId,
            };
        var runs = from r in db.Runs join g in db.ProgramsAndBroadcasts on r.ProgramId equals g.Id where people.Contains(r.PersonId) select new { Run = r, g.Name };
        var got = await (
            from m in db.Messages
            join t in touches on m.TouchId equals t.Id
            where people.Contains(m.PersonId) && m.MemberId == null
            group m.SentAt by new
            {
                m.PersonId,
                t.Name,
                t.StepId,
            } into g
            select new { g.Key, At = g.Max() }
        ).ToListAsync(stop);
        var opened = await (
            from v in db.Visits
            join t in touches on v.TouchId equals t.Id
            where people.Contains(v.PersonId) && v.Link == null && !v.ByMachine
            group v.LastAt by new
            {
                v.PersonId,
                t.Name,
                t.StepId,
            } into g
            select new { g.Key, At = g.Max() }
        ).ToListAsync(stop);
        var followed = await (
            from v in db.Visits
            join m in db.Messages on v.TouchId equals m.TouchId
            where people.Contains(v.PersonId) && v.Link != null && !v.ByMachine
            select new
            {
                v.PersonId,
                v.LastAt,
                v.Link,
                m.Links,
            }
        ).ToListAsync(stop);
        var answered = await db
            .Received.Where(r => r.PersonId != null && people.Contains(r.PersonId.Value) && r.Kind == "reply")
            .GroupBy(r => new { r.PersonId, r.Channel })
            .Select(g => new { g.Key, At = g.Max(r => r.At) })
            .ToListAsync(stop);
        var started = await runs.GroupBy(r => new { r.Run.PersonId, r.Name }).Select(g => new { g.Key, At = g.Max(r => r.Run.StartedAt) }).ToListAsync(stop);
        var finished = await runs
            .Where(r => r.Run.EndedAt != null && r.Run.StopReason == null)
            .GroupBy(r => new { r.Run.PersonId, r.Name })
            .Select(g => new { g.Key, At = g.Max(r => r.Run.EndedAt!.Value) })
            .ToListAsync(stop);
        var inquired = await db
            .Inquiries.Where(i => people.Contains(i.PersonId))
            .GroupBy(i => new { i.PersonId, i.Form })
            .Select(g => new { g.Key, At = g.Max(i => i.ReceivedAt) })
            .ToListAsync(stop);
        var appointments = await db
            .Appointments.Where(a => people.Contains(a.PersonId) && a.CancelledAt == null)
            .Select(a => new
            {
                a.PersonId,
                a.Type,
                a.At,
                a.MissedAt,
            })
            .ToListAsync(stop);
        var closed = await db
            .Opportunities.Where(o => people.Contains(o.PersonId) && o.ClosedAt != null && (o.Status == "won" || o.Status == "lost"))
            .GroupBy(o => new
            {
                o.PersonId,
                o.Status,
                Reason = o.Status == "won" ? "" : o.LostReason ?? "",
            })
            .Select(g => new { g.Key, At = g.Max(o => o.ClosedAt!.Value) })
            .ToListAsync(stop);
        IEnumerable<(Guid Person, Deed Deed)> deeds =
        [
            .. got.Select(d => (d.Key.PersonId, new Deed(DeedKind.Got, $"{d.Key.Name}/{d.Key.StepId}", d.At))),
            .. opened.Select(d => (d.Key.PersonId, new Deed(DeedKind.Opened, $"{d.Key.Name}/{d.Key.StepId}", d.At))),
            .. followed
                .Where(d => d.Link < d.Links.Count)
                .GroupBy(d => (d.PersonId, d.Links[d.Link!.Value].Name))
                .Select(g => (g.Key.PersonId, new Deed(DeedKind.Followed, g.Key.Name, g.Max(d => d.LastAt)))),
            .. answered.Select(d => (d.Key.PersonId!.Value, new Deed(DeedKind.Answered, d.Key.Channel, d.At))),
            .. started.Select(d => (d.Key.PersonId, new Deed(DeedKind.Started, d.Key.Name, d.At))),
            .. finished.Select(d => (d.Key.PersonId, new Deed(DeedKind.Finished, d.Key.Name, d.At))),
            .. inquired.Select(d => (d.Key.PersonId, new Deed(DeedKind.Inquired, d.Key.Form ?? "", d.At))),
            .. closed.Select(o => (o.Key.PersonId, new Deed(o.Key.Status == "won" ? DeedKind.Won : DeedKind.Lost, o.Key.Reason, o.At))),
            .. appointments.Select(a => (a.PersonId, new Deed(a.MissedAt is null ? DeedKind.Met : DeedKind.Missed, a.Type, a.At))),
        ];
        return deeds.ToLookup(d => d.Person, d => d.Deed);
    }
}
