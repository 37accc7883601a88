using System.Collections.Concurrent;
using MailKit;
using MailKit.Net.Smtp;
using MailKit.Security;
using MimeKit;

namespace Germinal.Channels.Mail;

/// <summary>What became of handing a message to a server.</summary>
public enum MailResult
{
    /// <summary>The server took it.</summary>
    Accepted,

    /// <summary>The server refused it for good (5xx).</summary>
    Refused,

    /// <summary>Not now: no connection, or a temporary refusal (4xx). It is tried again.</summary>
    Later,
}

/// <summary>The result and the server's own words.</summary>
public sealed record MailAnswer(MailResult Result, string Words);

/// <summary>The edge to a mail provider.</summary>
public interface IMailTransport
{
    /// <summary>Hands one message over. Never throws for what a server or the network does.</summary>
    Task<MailAnswer> SendAsync(MimeMessage message, CancellationToken stop);

    /// <summary>Whether the provider took a message before; null when it cannot be asked.</summary>
    /// <param name="messageId">Without angle brackets.</param>
    /// <param name="stop">Gives up.</param>
    Task<bool?> WasAcceptedAsync(string messageId, CancellationToken stop);
}

/// <summary>Where mail goes out.</summary>
/// <param name="Host">The server.</param>
/// <param name="Port">Its port.</param>
/// <param name="Connections">Connections held open side by side.</param>
/// <param name="LookUp">Address of the provider's look-up by Message-ID, with <c>{id}</c> in it; null when it has none.</param>
public sealed record MailServer(string Host, int Port, int Connections, string? LookUp);

/// <summary>SMTP by MailKit over a few connections that are kept open.</summary>
public sealed class SmtpTransport(MailServer server, HttpClient http) : IMailTransport, IDisposable
{
    private readonly ConcurrentBag<SmtpClient> idle = [];
    private readonly SemaphoreSlim slots = new(server.Connections);

    /// <inheritdoc/>
    public async Task<MailAnswer> SendAsync(MimeMessage message, CancellationToken stop)
    {
        await slots.WaitAsync(stop);
        SmtpClient? client = null;
        var keep = false;
        try
        {
            client = idle.TryTake(out var waiting) ? waiting : new SmtpClient();
            if (!client.IsConnected)
            {
                await client.ConnectAsync(server.Host, server.Port, SecureSocketOptions.StartTlsWhenAvailable, stop);
            }

            var words = await client.SendAsync(message, stop);
            keep = true;
            return new MailAnswer(MailResult.Accepted, words);
        }
        catch (SmtpCommandException e)
        {
            keep = client?.IsConnected == true;
            return new MailAnswer((int)e.StatusCode >= 500 ? MailResult.Refused : MailResult.Later, $"{(int)e.StatusCode} {e.Message}");
        }
        catch (Exception e) when (e is SmtpProtocolException or IOException or System.Net.Sockets.SocketException or ServiceNotConnectedException or TimeoutException or AuthenticationException)
        {
            return new MailAnswer(MailResult.Later, $"The mail server {server.Host}:{server.Port} does not answer: {e.Message}");
        }
        finally
        {
            if (keep && client is not null)
            {
                idle.Add(client);
            }
            else
            {
                client?.Dispose();
            }

            slots.Release();
        }
    }

    /// <inheritdoc/>
    public async Task<bool?> WasAcceptedAsync(string messageId, CancellationToken stop)
    {
        if (server.LookUp is null)
        {
            return null;
        }

        try
        {
            using var response = await http.GetAsync(server.LookUp.Replace("{id}", Uri.EscapeDataString(messageId), StringComparison.Ordinal), stop);
            return response.StatusCode switch
            {
                System.Net.HttpStatusCode.OK => true,
                System.Net.HttpStatusCode.NotFound => false,
                _ => null,
            };
        }
        catch (HttpRequestException)
        {
            return null;
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        while (idle.TryTake(out var client))
        {
            client.Dispose();
        }

        slots.Dispose();
    }
}
