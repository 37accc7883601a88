using Germinal.Channels.Mail;
using Germinal.Service.Mails;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Incoming;

/// <summary>The mail of the practice's own that something which came in is about.</summary>
public static class OwnMailOf
{
    /// <summary>The mail of an address of ours, else the first of those whose Message-ID is named; null for none. Looks over all practices.</summary>
    /// <param name="db">Any context.</param>
    /// <param name="addressed">The id in the address it came to; null for none.</param>
    /// <param name="about">Message-IDs it names.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<OwnMailRow?> FindAsync(GerminalDb db, Guid? addressed, IReadOnlyList<string> about, CancellationToken stop)
    {
        // The Message-ID of such a mail begins with its id (OutgoingMail.MessageIdOf).
        var named = about.Select(a => Guid.TryParseExact(a.Split('@')[0], "N", out var id) ? id : (Guid?)null).OfType<Guid>();
        Guid[] ids = [.. (addressed is { } own ? [own] : Array.Empty<Guid>()).Concat(named)];
        if (ids.Length == 0)
        {
            return null;
        }

        var found = await db.OwnMails.IgnoreQueryFilters().AsNoTracking().Where(m => ids.Contains(m.Id)).ToListAsync(stop);
        return found.OrderBy(m => Array.IndexOf(ids, m.Id)).FirstOrDefault();
    }

    /// <summary>It came back, or its reader told their provider that it was unwanted: nothing more goes to an address that will never work, or that complained.</summary>
    public static async Task CameBackAsync(GerminalDb db, OwnMailRow row, ReceivedMail mail, Instant now, CancellationToken stop)
    {
        var complained = mail.Kind == ReceivedKind.Complaint;
        if (complained || mail.Hard)
        {
            await Bounces.SuppressAsync(db, row.ToAddress, complained ? "complained" : "bounced", now, stop);
        }

        if (row.Status == OwnMailStatus.Refused)
        {
            return;
        }

        var words = complained ? Said("they told their provider that it was unwanted") : Say($"it came back ({mail.Status ?? Said("no reason given")})");
        await db.OwnMails.Where(m => m.Id == row.Id).ExecuteUpdateAsync(u => u.SetProperty(m => m.Status, OwnMailStatus.Refused).SetProperty(m => m.LastAnswer, words), stop);
        if (row.Kind != OwnMailKinds.Confirmation)
        {
            await OwnMails.TellAsync(db, row, row.MemberId, OwnMailStatus.Refused, words, now, stop);
        }
    }
}
