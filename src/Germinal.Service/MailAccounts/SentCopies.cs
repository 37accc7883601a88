using System.Data.Common;
using System.Net.Sockets;
using Germinal.Channels.Mail;
using Germinal.Channels;
using Germinal.Service.Incoming;
using Germinal.Store;
using MailKit.Net.Imap;
using MailKit.Search;
using MailKit;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Logging;
using MimeKit;
using NodaTime;

namespace Germinal.Service.MailAccounts;

/// <summary>Letters that went out by members' own accounts, placed in their folders of sent mail, as their own mail programs would. A letter that is there already, because the server placed it by itself, is left.</summary>
public sealed partial class SentCopies(IDbContextFactory<GerminalDb> databases, MailAccountServers servers, ImapDoor door, ILogger<SentCopies> log)
{
    private const int AtOnce = 100;
    private static readonly Duration Patience = Duration.FromDays(3);
    private static readonly string[] UsualNames = ["Sent", "Sent Items", "Sent Mail", "Sent Messages"];

    private static Instant Now => SystemClock.Instance.GetCurrentInstant();

    /// <summary>
    /// Hands a letter over by a member's own account, and keeps its copy. Their server signs what it sends, and takes no other sender than its own. What has gone has gone: that its copy could not be kept
    /// does not make it go again.
    /// </summary>
    public async Task<ProviderAnswer> SendAsync(Channels.Mail.IMailTransport mail, OpenAccount own, Guid practice, MimeMessage message, CancellationToken stop)
    {
        if (own.Out is not { } server)
        {
            return ProviderAnswer.Away(own.Trouble ?? Said("The account has no server that mail goes out by."));
        }

        var answer = await mail.SendAsync(message, null, server, stop);
        if (answer.Result == ProviderResult.Sent && own.In is not null)
        {
            try
            {
                await KeepAsync(practice, own.MemberId, message, CancellationToken.None);
            }
            catch (Exception e) when (e.GetBaseException() is DbException or SocketException or TimeoutException)
            {
                LogNoCopy(log, e, message.MessageId ?? "");
            }
        }

        return answer;
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "The copy of {MessageId} could not be kept; it will not lie among what was sent")]
    private static partial void LogNoCopy(ILogger logger, Exception error, string messageId);

    /// <summary>Keeps a letter that has just gone, until it is placed.</summary>
    public async Task KeepAsync(Guid practice, Guid member, MimeMessage message, CancellationToken stop)
    {
        using var memory = new MemoryStream();
        await message.WriteToAsync(memory, stop);
        var (content, now) = (memory.ToArray(), Now);
        await using var db = await databases.CreateDbContextAsync(stop);
        await db.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO sent_copies (practice_id, member_id, message_id, content, at, next_try, attempts)
            SELECT {practice}, {member}, {message.MessageId}, {content}, {now}, {now}, 0 WHERE EXISTS (SELECT 1 FROM mail_accounts WHERE member_id = {member}) ON CONFLICT DO NOTHING
            """,
            stop
        );
    }

    /// <summary>Places what is due, an account at a time; workers side by side take different ones. What could not be placed for three days is given up: its thread has it.</summary>
    /// <returns>How many were placed.</returns>
    public async Task<int> PlaceDueAsync(CancellationToken stop)
    {
        var placed = 0;
        var now = Now;
        await using var db = await databases.CreateDbContextAsync(stop);
        await db.SentCopies.IgnoreQueryFilters([GerminalDb.Owned]).Where(c => c.At < now - Patience).ExecuteDeleteAsync(stop);
        var claimed = await db
            .Database.SqlQuery<Claimed>(
                $"""
                UPDATE sent_copies SET next_try = {now} + least(attempts + 1, 12) * interval '5 minutes', attempts = attempts + 1
                WHERE id IN (SELECT id FROM sent_copies WHERE next_try <= {now} AND practice_id NOT IN (SELECT id FROM practices WHERE stopped_at IS NOT NULL) ORDER BY next_try, id LIMIT {AtOnce} FOR UPDATE SKIP LOCKED)
                RETURNING id, practice_id, member_id
                """
            )
            .ToListAsync(stop);
        foreach (var account in claimed.GroupBy(c => (c.PracticeId, c.MemberId)))
        {
            if ((await servers.OfAsync(account.Key.PracticeId, account.Key.MemberId, stop))?.In is { } server)
            {
                placed += await PlaceAsync(db, server, [.. account.Select(a => a.Id).Order()], stop);
            }
        }

        return placed;
    }

    private sealed record Claimed(long Id, Guid PracticeId, Guid MemberId);

    private async Task<int> PlaceAsync(GerminalDb db, MailServer server, long[] ids, CancellationToken stop)
    {
        var placed = 0;
        await door.TryAsync(
            server,
            async client =>
            {
                if (await FolderAsync(client, stop) is not { } folder)
                {
                    return;
                }

                await folder.OpenAsync(FolderAccess.ReadWrite, stop);
                foreach (var id in ids)
                {
                    if (await db.SentCopies.IgnoreQueryFilters([GerminalDb.Owned]).AsNoTracking().SingleOrDefaultAsync(c => c.Id == id, stop) is not { } copy)
                    {
                        continue;
                    }

                    if ((await folder.SearchAsync(SearchQuery.HeaderContains("Message-Id", copy.MessageId), stop)).Count == 0)
                    {
                        using var memory = new MemoryStream(copy.Content);
                        using var message = await MimeMessage.LoadAsync(memory, stop);
                        await folder.AppendAsync(new AppendRequest(message, MessageFlags.Seen, copy.At.ToDateTimeOffset()), stop);
                    }

                    placed += await db.SentCopies.IgnoreQueryFilters([GerminalDb.Owned]).Where(c => c.Id == id).ExecuteDeleteAsync(stop);
                }
            },
            stop
        );
        return placed;
    }

    /// <summary>The folder of sent mail: the one the server says is it (RFC 6154), else one that is usually called so; null where there is none.</summary>
    public static async Task<IMailFolder?> FolderAsync(ImapClient client, CancellationToken stop)
    {
        if ((client.Capabilities & (ImapCapabilities.SpecialUse | ImapCapabilities.XList)) != ImapCapabilities.None && client.GetFolder(SpecialFolder.Sent) is { } said)
        {
            return said;
        }

        if (client.PersonalNamespaces.Count == 0)
        {
            return null;
        }

        var folders = await client.GetFolder(client.PersonalNamespaces[0]).GetSubfoldersAsync(false, stop);
        return UsualNames.Select(n => folders.FirstOrDefault(f => string.Equals(f.Name, n, StringComparison.OrdinalIgnoreCase))).FirstOrDefault(f => f is not null);
    }
}
