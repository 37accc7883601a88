using Germinal.Core.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using NodaTime;

namespace Germinal.Service.Numbers;

/// <summary>The people behind the practice's numbers.</summary>
/// <param name="db">A context of the practice.</param>
/// <param name="reached">Outcomes of calls that mean somebody was reached.</param>
/// <param name="member">Only of the people this member looks after; null for everybody.</param>
public sealed class NumbersWho(GerminalDb db, IReadOnlyList<string> reached, Guid? member)
{
    /// <summary>Who is behind a number.</summary>
    /// <param name="what">Its word.</param>
    /// <param name="from">From this moment.</param>
    /// <param name="until">Up to this one.</param>
    /// <returns>Null for a number nobody in particular is behind.</returns>
    public IQueryable<PersonRow>? Of(string what, Instant from, Instant until)
    {
        if (Ids(what, from, until) is not { } ids)
        {
            return null;
        }

        return db.People.Where(p => ids.Contains(p.Id) && (member == null || p.OwnerId == member));
    }

    private IQueryable<Guid>? Ids(string what, Instant from, Instant until)
    {
        var messages = db.Messages.Where(m => m.SentAt >= from && m.SentAt < until && m.MemberId == null);
        var made = db.Touches.Where(t => t.Status == TouchStatus.Done && t.ClosedAt >= from && t.ClosedAt < until);
        var tasks = db.Tasks.Where(t => t.DoneAt >= from && t.DoneAt < until && t.PersonId != null);
        var opportunities = db.Opportunities;
        var appointments = db.Appointments.Where(a => a.At >= from && a.At < until && a.CancelledAt == null);
        var noes = db.Consent.Where(c => !c.IsIn && c.TakenBackAt == null && c.At >= from && c.At < until);
        switch (what)
        {
            case "email" or "text":
                return messages.Where(m => m.Channel == what).Select(m => m.PersonId);
            case "opened":
                return messages.Where(m => m.OpenedAt != null && m.Channel == "email").Select(m => m.PersonId);
            case "followed":
                return messages.Where(m => m.FollowedAt != null).Select(m => m.PersonId);
            case "answered":
                return messages.Where(m => m.AnsweredAt != null).Select(m => m.PersonId);
            case "bounced":
                return messages.Where(m => m.BouncedAt != null).Select(m => m.PersonId);
            case "complained":
                return messages.Where(m => m.ComplainedAt != null).Select(m => m.PersonId);
            case "call" or "note":
                return made.Where(t => t.Kind == what).Select(t => t.PersonId).Concat(tasks.Where(t => t.Kind == what).Select(t => t.PersonId!.Value));
            case "post":
                return made.Where(t => t.Kind == what).Select(t => t.PersonId);
            case "reached":
                return made.Where(t => t.Kind == "call" && reached.Contains(t.CallOutcome!))
                    .Select(t => t.PersonId)
                    .Concat(tasks.Where(t => t.Kind == "call" && reached.Contains(t.Outcome!)).Select(t => t.PersonId!.Value));
            case "new-people":
                return db.People.Where(p => p.AddedAt >= from && p.AddedAt < until).Select(p => p.Id);
            case "inquiries" or NumberWords.InquiryWait:
                return db.Inquiries.Where(i => i.ReceivedAt >= from && i.ReceivedAt < until).Select(i => i.PersonId);
            case "appointments":
                return appointments.Select(a => a.PersonId);
            case "missed":
                return appointments.Where(a => a.MissedAt != null).Select(a => a.PersonId);
            case "opportunities":
                return opportunities.Where(o => o.OpenedAt >= from && o.OpenedAt < until).Select(o => o.PersonId);
            case "won" or "lost":
                return opportunities.Where(o => o.Status == what && o.ClosedAt >= from && o.ClosedAt < until).Select(o => o.PersonId);
            case "left":
                return noes.Select(c => c.PersonId);
        }

        if (what.StartsWith(NumberWords.LeftFor, StringComparison.Ordinal))
        {
            var reason = what[NumberWords.LeftFor.Length..];
            return noes.Where(c => (c.Reason == null || c.Reason.Trim() == "" || c.Reason.StartsWith("touch ") ? c.Source : c.Reason.Trim()) == reason).Select(c => c.PersonId);
        }

        return what.StartsWith(NumberWords.ByProgram, StringComparison.Ordinal) && Guid.TryParse(what[NumberWords.ByProgram.Length..], out var program)
            ? made.Where(t => t.ProgramId == program && (t.Kind == "call" || t.Kind == "note" || t.Kind == "post")).Select(t => t.PersonId)
            : null;
    }
}
