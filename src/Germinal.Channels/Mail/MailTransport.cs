using System.Collections.Concurrent;
using MailKit;
using MailKit.Net.Smtp;
using MailKit.Security;
using MimeKit;

namespace Germinal.Channels.Mail;

/// <summary>The edge to a mail provider.</summary>
public interface IMailTransport
{
    /// <summary>Hands one message over. Never throws for what a server or the network does.</summary>
    /// <param name="message">The message.</param>
    /// <param name="returnPath">Envelope sender, where bounces go; null: the From address.</param>
    /// <param name="own">The practice's own server; null: the installation's.</param>
    /// <param name="stop">Gives up.</param>
    Task<ProviderAnswer> SendAsync(MimeMessage message, string? returnPath, MailServer? own, CancellationToken stop);

    /// <summary>Whether the provider took a message before.</summary>
    /// <param name="messageId">Without angle brackets.</param>
    /// <param name="own">The practice's own server, if that is where it was handed to; null: the installation's.</param>
    /// <param name="stop">Gives up.</param>
    Task<LookedUp> LookUpAsync(string messageId, MailServer? own, CancellationToken stop);
}

/// <summary>Where mail goes out.</summary>
/// <param name="Host">The server.</param>
/// <param name="Port">Its port.</param>
/// <param name="Connections">Connections held open side by side.</param>
/// <param name="LookUp">Address of the provider's look-up by Message-ID, with <c>{id}</c> in it; null when it has none.</param>
/// <param name="Security">none, starttls or tls; null: STARTTLS where the server offers it.</param>
/// <param name="User">Name to sign in with; empty for none.</param>
/// <param name="Password">Its password.</param>
/// <param name="Pipelines">False: each command waits for the answer to the one before (RFC 2920 not used). A server that answers in
/// small pieces and holds each back until the one before is acknowledged takes 40 milliseconds a message longer with it.</param>
public sealed record MailServer(string Host, int Port, int Connections, string? LookUp, string? Security = null, string User = "", string Password = "", bool Pipelines = true)
{
    /// <summary>The security as the mail library names it.</summary>
    public SecureSocketOptions Socket => Security switch
    {
        "none" => SecureSocketOptions.None,
        "starttls" => SecureSocketOptions.StartTls,
        "tls" => SecureSocketOptions.SslOnConnect,
        _ => SecureSocketOptions.StartTlsWhenAvailable,
    };
}

/// <summary>SMTP by MailKit over a few connections to each server that are kept open.</summary>
public sealed class SmtpTransport(MailServer server, HttpClient http) : IMailTransport, IDisposable
{
    private readonly ConcurrentDictionary<MailServer, Pool> pools = [];

    private sealed class Pool(int connections) : IDisposable
    {
        public ConcurrentBag<SmtpClient> Idle { get; } = [];

        public SemaphoreSlim Slots { get; } = new(connections);

        public void Dispose()
        {
            while (Idle.TryTake(out var client))
            {
                client.Dispose();
            }

            Slots.Dispose();
        }
    }

    /// <inheritdoc/>
    public async Task<ProviderAnswer> SendAsync(MimeMessage message, string? returnPath, MailServer? own, CancellationToken stop)
    {
        var to = own ?? server;
        var pool = pools.GetOrAdd(to, static s => new Pool(s.Connections));
        await pool.Slots.WaitAsync(stop);
        SmtpClient? client = null;
        var keep = false;
        try
        {
            client = pool.Idle.TryTake(out var waiting) ? waiting : new SmtpClient();
            if (!client.IsConnected)
            {
                await client.ConnectAsync(to.Host, to.Port, to.Socket, stop);
                if (!to.Pipelines)
                {
                    client.Capabilities &= ~SmtpCapabilities.Pipelining;
                }

                if (to.User.Length > 0)
                {
                    await client.AuthenticateAsync(to.User, to.Password, stop);
                }
            }

            var words = returnPath is null
                ? await client.SendAsync(message, stop)
                : await client.SendAsync(message, MailboxAddress.Parse(returnPath), message.To.Mailboxes, stop);
            keep = true;
            return new ProviderAnswer(ProviderResult.Accepted, words);
        }
        catch (SmtpCommandException e)
        {
            keep = client?.IsConnected == true;
            return new ProviderAnswer((int)e.StatusCode >= 500 ? ProviderResult.Refused : ProviderResult.Later, $"{(int)e.StatusCode} {e.Message}");
        }
        catch (AuthenticationException e)
        {
            return new ProviderAnswer(ProviderResult.Away, $"The mail server {to.Host}:{to.Port} does not let “{to.User}” in: {e.Message}");
        }
        catch (Exception e) when (e is SmtpProtocolException or IOException or System.Net.Sockets.SocketException or ServiceNotConnectedException or TimeoutException or SslHandshakeException or NotSupportedException)
        {
            return new ProviderAnswer(ProviderResult.Away, $"The mail server {to.Host}:{to.Port} does not answer: {e.Message}");
        }
        finally
        {
            if (keep && client is not null)
            {
                pool.Idle.Add(client);
            }
            else
            {
                client?.Dispose();
            }

            pool.Slots.Release();
        }
    }

    /// <inheritdoc/>
    public async Task<LookedUp> LookUpAsync(string messageId, MailServer? own, CancellationToken stop)
    {
        if ((own ?? server).LookUp is not { } where)
        {
            return new LookedUp(LookUpResult.CannotSay);
        }

        try
        {
            using var response = await http.GetAsync(where.Replace("{id}", Uri.EscapeDataString(messageId), StringComparison.Ordinal), stop);
            return response.StatusCode switch
            {
                System.Net.HttpStatusCode.OK => new LookedUp(LookUpResult.Found, messageId),
                System.Net.HttpStatusCode.NotFound => new LookedUp(LookUpResult.NotThere),
                _ => new LookedUp(LookUpResult.NotNow),
            };
        }
        catch (Exception e) when (e is HttpRequestException || (e is TaskCanceledException && !stop.IsCancellationRequested))
        {
            return new LookedUp(LookUpResult.NotNow);
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var pool in pools.Values)
        {
            pool.Dispose();
        }
    }
}
