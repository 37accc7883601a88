using Germinal.Channels.Mail;
using Germinal.Service.Engine;
using Germinal.Store;
using MailKit;
using MailKit.Search;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Logging;
using MimeKit;

namespace Germinal.Service.Incoming;

/// <summary>
/// Reads a practice's own mailbox by IMAP (RFC 9051): what is unread is taken in and marked as read. What somebody else
/// reads first is theirs; nothing is ever deleted. What cannot be taken in stays unread.
/// </summary>
public sealed class MailboxReader(IDbContextFactory<GerminalDb> databases, MailReception reception, Secrets secrets, ImapDoor door, ILogger<MailboxReader> log)
{
    private const int MessagesAtOnce = 200;

    /// <summary>Reads the mailboxes of all practices that have one. A mailbox that fails is one line on its practice's page.</summary>
    public async Task ReadAllAsync(CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        foreach (var practice in await db.Practices.AsNoTracking().ToListAsync(stop))
        {
            if (secrets.Open(practice.Settings.MailIn) is { } server)
            {
                await ReadAsync(practice.Id, server, stop);
            }
        }
    }

    /// <summary>Reads one mailbox.</summary>
    /// <returns>What the server said when it failed; null when all went well.</returns>
    public async Task<string?> ReadAsync(Guid practiceId, MailServer server, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        var trouble = await TryReadAsync(practiceId, server, stop);
        await ProviderStates.SetAsync(db, "mail-in", trouble, stop);
        return trouble;
    }

    private async Task<string?> TryReadAsync(Guid practiceId, MailServer server, CancellationToken stop)
    {
        var each = new TakenOneByOne(log);
        var trouble = await door.TryAsync(
            server,
            async client =>
            {
                var inbox = client.Inbox ?? throw new InvalidOperationException("The mailbox has no inbox.");
                await inbox.OpenAsync(FolderAccess.ReadWrite, stop);
                foreach (var id in (await inbox.SearchAsync(SearchQuery.NotSeen, stop)).Take(MessagesAtOnce))
                {
                    MimeMessage? message = null;
                    await each.TakeAsync(
                        () => message?.Subject,
                        async () =>
                        {
                            message = await inbox.GetMessageAsync(id, stop);
                            await reception.TakeAsync(message, [], practiceId, stop);
                            await inbox.AddFlagsAsync(id, MessageFlags.Seen, true, stop);
                        },
                        stop
                    );
                    message?.Dispose();
                }
            },
            stop
        );
        return trouble ?? each.Trouble;
    }
}
