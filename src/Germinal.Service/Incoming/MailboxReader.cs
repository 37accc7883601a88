using Germinal.Channels.Mail;
using Germinal.Service.Engine;
using Germinal.Store;
using MailKit;
using MailKit.Net.Imap;
using MailKit.Search;
using MailKit.Security;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Incoming;

/// <summary>
/// Reads a practice's own mailbox by IMAP (RFC 9051): what is unread is taken in and marked as read. What somebody else
/// reads first is theirs; nothing is ever deleted.
/// </summary>
public sealed class MailboxReader(IDbContextFactory<GerminalDb> databases, MailReception reception, Secrets secrets, ServerLine line)
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
        try
        {
            using var client = new ImapClient { Timeout = (int)ServerLine.Patience.TotalMilliseconds };
            if (await ConnectAsync(client, server, stop) is { } unreachable)
            {
                return $"The mailbox at {server.Host}:{server.Port} cannot be read: {unreachable}";
            }

            await client.AuthenticateAsync(server.User, server.Password, stop);
            var inbox = client.Inbox ?? throw new InvalidOperationException("The mailbox has no inbox.");
            await inbox.OpenAsync(FolderAccess.ReadWrite, stop);
            foreach (var id in (await inbox.SearchAsync(SearchQuery.NotSeen, stop)).Take(MessagesAtOnce))
            {
                using var message = await inbox.GetMessageAsync(id, stop);
                await reception.TakeAsync(message, [], practiceId, stop);
                await inbox.AddFlagsAsync(id, MessageFlags.Seen, true, stop);
            }

            await client.DisconnectAsync(true, stop);
            return null;
        }
        catch (AuthenticationException e)
        {
            return $"The mailbox at {server.Host}:{server.Port} does not let “{server.User}” in: {e.Message}";
        }
        catch (Exception e)
            when (e
                    is ImapCommandException
                        or ImapProtocolException
                        or IOException
                        or System.Net.Sockets.SocketException
                        or SslHandshakeException
                        or NotSupportedException
                        or InvalidOperationException
                        or TimeoutException
            )
        {
            return $"The mailbox at {server.Host}:{server.Port} cannot be read: {e.Message}";
        }
    }

    private async Task<string?> ConnectAsync(ImapClient client, MailServer server, CancellationToken stop)
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(stop);
        patience.CancelAfter(ServerLine.Patience);
        try
        {
            await client.ConnectAsync(
                await line.ConnectAsync(server.Host, server.Port, patience.Token),
                server.Host,
                server.Port,
                server.Socket,
                patience.Token
            );
            return null;
        }
        catch (Exception e)
            when (!stop.IsCancellationRequested
                && e
                    is ImapCommandException
                        or ImapProtocolException
                        or IOException
                        or System.Net.Sockets.SocketException
                        or SslHandshakeException
                        or NotSupportedException
                        or ServerRefusedException
                        or TimeoutException
                        or OperationCanceledException
            )
        {
            return ServerLine.Explain(e);
        }
    }
}
