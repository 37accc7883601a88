using Germinal.Channels;
using Germinal.Channels.Mail;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Incoming;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using MailKit;
using MailKit.Search;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Logging;
using MimeKit;

namespace Germinal.Service.MailAccounts;

/// <summary>
/// Reads members' own mailboxes: reports about letters of ours, and, where the member wants that, what known people write to them and what they write to known people from their own mail program.
/// Of everything else only the head is looked at, and nothing of it is kept. Nothing in a mailbox is changed, and what was there before the account was set up is left.
/// </summary>
public sealed class MailAccountReader(IDbContextFactory<GerminalDb> databases, MailAccountServers servers, MailReception reception, ImapDoor door, ILogger<MailAccountReader> log)
{
    private const int MessagesAtOnce = 100;
    private const int MostTo = 20;

    /// <summary>Reads every account that has mailboxes, of whoever is still there.</summary>
    public async Task ReadAllAsync(CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        foreach (var row in await db.MailAccounts.IgnoreQueryFilters([GerminalDb.Owned]).AsNoTracking().Where(a => db.Users.Any(u => u.Id == a.MemberId && u.LeftAt == null && u.BlockedAt == null)).OrderBy(a => a.MemberId).ToListAsync(stop))
        {
            await ReadAsync(row, stop);
        }
    }

    /// <summary>Reads one account, and notes how far, and what was wrong.</summary>
    /// <returns>What was wrong; null where nothing was.</returns>
    public async Task<string?> ReadAsync(MailAccountRow row, CancellationToken stop)
    {
        var account = await servers.OpenAsync(row, stop);
        var (inbox, sentBefore) = (row.InboxNext, row.SentNext);
        var trouble = account.Trouble;
        var each = new TakenOneByOne(log);
        if (account.In is { } server)
        {
            trouble = await door.TryAsync(
                server,
                async client =>
                {
                    if (client.Inbox is { } coming)
                    {
                        (row.InboxValidity, row.InboxNext) = await NewAsync(coming, row.InboxValidity, row.InboxNext, each, (m, s) => TakeInboxAsync(row, m, s), stop);
                    }

                    if (row.TakesIn && await SentCopies.FolderAsync(client, stop) is { } sent)
                    {
                        (row.SentValidity, row.SentNext) = await NewAsync(sent, row.SentValidity, row.SentNext, each, (m, s) => TakeSentAsync(row, m, s), stop);
                    }
                },
                stop
            );
        }

        trouble ??= each.Trouble;
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = row.PracticeId;
        await db
            // What its member has said meanwhile holds: then it is begun with anew.
            .MailAccounts.Where(a => a.MemberId == row.MemberId && a.InboxNext == inbox && a.SentNext == sentBefore && a.TakesIn == row.TakesIn)
            .ExecuteUpdateAsync(
                u =>
                    u.SetProperty(a => a.Trouble, trouble ?? "")
                        .SetProperty(a => a.InboxValidity, row.InboxValidity)
                        .SetProperty(a => a.InboxNext, row.InboxNext)
                        .SetProperty(a => a.SentValidity, row.SentValidity)
                        .SetProperty(a => a.SentNext, row.SentNext),
                stop
            );
        return trouble;
    }

    /// <summary>
    /// What came into a folder since it was read last, oldest first. Where the folder was never read, or is another one by its UIDVALIDITY, it is begun with at its end: what was there before is nobody's business.
    /// </summary>
    private static async Task<(long Validity, long Next)> NewAsync(IMailFolder folder, long validity, long next, TakenOneByOne each, Func<Head, CancellationToken, Task> take, CancellationToken stop)
    {
        await folder.OpenAsync(FolderAccess.ReadOnly, stop);
        if (folder.UidValidity != validity || next == 0)
        {
            return (folder.UidValidity, folder.UidNext?.Id ?? (await folder.SearchAsync(SearchQuery.All, stop)).Select(u => u.Id).DefaultIfEmpty(0u).Max() + 1L);
        }

        var unread = (await folder.SearchAsync(SearchQuery.Uids(new UniqueIdRange(new UniqueId((uint)next), UniqueId.MaxValue)), stop)).Where(u => u.Id >= next).Order().Take(MessagesAtOnce).ToList();
        if (unread.Count == 0)
        {
            return (validity, next);
        }

        foreach (var summary in await folder.FetchAsync(unread, MessageSummaryItems.UniqueId | MessageSummaryItems.Envelope, stop))
        {
            var head = new Head(summary.Envelope ?? new Envelope(), () => folder.GetMessageAsync(summary.UniqueId, stop));
            await each.TakeAsync(() => head.Subject, () => take(head, stop), stop);
        }

        return (validity, unread[^1].Id + 1L);
    }

    /// <summary>The head of a message, and the rest of it where that is asked for.</summary>
    private sealed record Head(Envelope Envelope, Func<Task<MimeMessage>> WholeAsync)
    {
        public IEnumerable<string> From => Envelope.From.Mailboxes.Select(m => m.Address.ToLowerInvariant());

        public IEnumerable<string> To => Envelope.To.Mailboxes.Concat(Envelope.Cc.Mailboxes).Select(m => m.Address.ToLowerInvariant());

        public string Subject => Envelope.Subject ?? "";
    }

    private async Task TakeInboxAsync(MailAccountRow row, Head head, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = row.PracticeId;
        var from = head.From.FirstOrDefault() ?? "";
        var isKnown = row.TakesIn && !IsPrivate(row, head) && await db.People.AnyAsync(p => p.Email == from && !p.Archived, stop);
        if (!isKnown && !IsReport(from))
        {
            return;
        }

        using var message = await head.WholeAsync();
        if (isKnown || (ReceivedMail.Read(message) is { Kind: ReceivedKind.Bounce or ReceivedKind.Complaint, About: var about } && await TouchOf.FindAsync(db, about, stop) is not null))
        {
            await reception.TakeAsync(message, [], row.PracticeId, stop);
        }
    }

    /// <summary>Servers report under these names (RFC 3464, RFC 5321); who else writes and is not known is left alone.</summary>
    private static bool IsReport(string from) => from.StartsWith("mailer-daemon@", StringComparison.Ordinal) || from.StartsWith("postmaster@", StringComparison.Ordinal);

    private async Task TakeSentAsync(MailAccountRow row, Head head, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = row.PracticeId;
        var to = head.To.Distinct(StringComparer.Ordinal).ToList();
        if (to.Count is 0 or > MostTo || IsPrivate(row, head))
        {
            return;
        }

        var people = await db.People.Where(p => p.Email != null && to.Contains(p.Email) && !p.Archived).OrderBy(p => p.Id).Select(p => p.Id).ToListAsync(stop);
        var id = IncomingText.KeepLine(head.Envelope.MessageId);
        if (people.Count == 0 || await db.Messages.AnyAsync(m => m.MessageId == id, stop) || await OwnMailOf.FindAsync(db, null, [id], stop) is not null)
        {
            // What went out from here is in the thread already.
            return;
        }

        using var message = await head.WholeAsync();
        var mail = ReceivedMail.Read(message);
        var by = await db.Users.Where(u => u.Id == row.MemberId).Select(u => u.Name).SingleAsync(stop);
        var desk = new PeopleDesk(db, by, await PracticeClock.NowAsync(db, stop));
        foreach (var person in people)
        {
            var line = desk.NewNote(person, EventKinds.Wrote, ("how", "own-program"), ("subject", mail.Subject), ("text", mail.Text), ("quoted", mail.Quoted));
            line.Key = $"sent/{row.PracticeId:N}/{person:N}/{(id.Length > 0 ? id : $"{head.Envelope.Date:o}/{mail.Subject}")}";
            if (!await db.Events.AnyAsync(e => e.Key == line.Key, stop))
            {
                db.Events.Add(line);
            }
        }

        await db.SaveChangesAsync(stop);
    }

    /// <summary>Whether the member has said that such a message is nobody else's: by an address or a domain on either side, or a word of the subject.</summary>
    private static bool IsPrivate(MailAccountRow row, Head head)
    {
        var addresses = head.From.Concat(head.To).Where(a => !string.Equals(a, row.Address, StringComparison.OrdinalIgnoreCase)).ToList();
        return row.Private.Exists(rule =>
            rule.StartsWith('@') ? addresses.Exists(a => a.EndsWith(rule, StringComparison.OrdinalIgnoreCase))
            : rule.Contains('@', StringComparison.Ordinal) ? addresses.Contains(rule, StringComparer.OrdinalIgnoreCase)
            : head.Subject.Contains(rule, StringComparison.OrdinalIgnoreCase)
        );
    }
}
