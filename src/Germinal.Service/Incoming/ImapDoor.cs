using Germinal.Channels.Mail;
using MailKit;
using MailKit.Net.Imap;
using MailKit.Security;

namespace Germinal.Service.Incoming;

/// <summary>Opens mailboxes by IMAP (RFC 9051), and says in a sentence what goes wrong there.</summary>
/// <param name="line">Opens the line, and refuses what is not to be reached.</param>
public sealed class ImapDoor(ServerLine line)
{
    /// <summary>Signs in, does something, and leaves.</summary>
    /// <param name="server">The server.</param>
    /// <param name="work">What is done while it is open.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>What the server or the network did; null when all went well.</returns>
    public async Task<string?> TryAsync(MailServer server, Func<ImapClient, Task> work, CancellationToken stop)
    {
        try
        {
            using var client = new ImapClient { Timeout = (int)ServerLine.Patience.TotalMilliseconds };
            if (await ConnectAsync(client, server, stop) is { } unreachable)
            {
                return Say($"The mailbox at {server.Host}:{server.Port} cannot be read: {unreachable}");
            }

            await server.SignInAsync(client, stop);
            await work(client);
            await client.DisconnectAsync(true, stop);
            return null;
        }
        catch (AuthenticationException e)
        {
            return Say($"The mailbox at {server.Host}:{server.Port} does not let “{server.User}” in: {e.Message}");
        }
        catch (Exception e) when (IsOfTheLine(e) || e is InvalidOperationException)
        {
            return Say($"The mailbox at {server.Host}:{server.Port} cannot be read: {e.Message}");
        }
    }

    private async Task<string?> ConnectAsync(ImapClient client, MailServer server, CancellationToken stop)
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(stop);
        patience.CancelAfter(ServerLine.Patience);
        try
        {
            await client.ConnectAsync(await line.ConnectAsync(server.Host, server.Port, patience.Token), server.Host, server.Port, server.Socket, patience.Token);
            return null;
        }
        catch (Exception e) when (!stop.IsCancellationRequested && (IsOfTheLine(e) || e is ServerRefusedException or OperationCanceledException))
        {
            return ServerLine.Explain(e);
        }
    }

    /// <summary>What the line, the server or the mailbox as a whole did; nothing of one message.</summary>
    internal static bool IsOfTheLine(Exception e) =>
        e is ImapCommandException or ImapProtocolException or IOException or System.Net.Sockets.SocketException or SslHandshakeException or NotSupportedException or TimeoutException
            or ServiceNotConnectedException or ServiceNotAuthenticatedException or FolderNotOpenException or FolderNotFoundException;
}
