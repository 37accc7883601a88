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
/// <param name="ByToken">True where the password is a token (OAuth 2) instead.</param>
/// <param name="Pipelines">False: each command waits for the answer to the one before (RFC 2920 not used). A server that answers in
/// small pieces and holds each back until the one before is acknowledged takes 40 milliseconds a message longer with it.</param>
public sealed record MailServer(
    string Host,
    int Port,
    int Connections,
    string? LookUp,
    string? Security = null,
    string User = "",
    string Password = "",
    bool Pipelines = true,
    bool ByToken = false
)
{
    /// <summary>Signs in on a line that is open, by password or by token.</summary>
    /// <exception cref="AuthenticationException">The server does not let the user in.</exception>
    public Task SignInAsync(MailService line, CancellationToken stop) =>
        !ByToken ? line.AuthenticateAsync(User, Password, stop)
        // OAUTHBEARER is the standard (RFC 7628); many servers know only what was there before it.
        : line.AuthenticationMechanisms.Contains("OAUTHBEARER") ? line.AuthenticateAsync(new SaslMechanismOAuthBearer(User, Password), stop)
        : line.AuthenticateAsync(new SaslMechanismOAuth2(User, Password), stop);

    /// <summary>The security as the mail library names it.</summary>
    public SecureSocketOptions Socket =>
        Security switch
        {
            "none" => SecureSocketOptions.None,
            "starttls" => SecureSocketOptions.StartTls,
            "tls" => SecureSocketOptions.SslOnConnect,
            _ => SecureSocketOptions.StartTlsWhenAvailable,
        };
}

/// <summary>
/// SMTP by MailKit over a few connections to each server that are kept open. What a failure means depends on how far it had
/// come: before the message began to go over nothing can have been taken; after it nobody can say.
/// </summary>
public sealed class SmtpTransport : IMailTransport, IDisposable
{
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(60);

    private readonly ConcurrentDictionary<MailServer, Pool> pools = [];
    private readonly MailServer server;
    private readonly HttpClient http;
    private readonly TimeSpan idleFor;
    private readonly ServerLine line;
    private readonly Timer sweep;

    /// <summary>A transport that opens connections when there is something to send.</summary>
    /// <param name="server">The installation's server.</param>
    /// <param name="http">For look-ups.</param>
    /// <param name="line">Opens lines to servers that practices name.</param>
    /// <param name="idleFor">A connection that has had nothing to do for so long is closed; 20 seconds where nothing is said.</param>
    public SmtpTransport(MailServer server, HttpClient http, ServerLine line, TimeSpan? idleFor = null)
    {
        (this.server, this.http, this.line, this.idleFor) = (server, http, line, idleFor ?? TimeSpan.FromSeconds(20));
        sweep = new Timer(_ => DropIdle(), null, this.idleFor, this.idleFor);
    }

    /// <summary>How many connections are open and have nothing to do.</summary>
    public int Idle => pools.Values.Sum(p => p.Idle.Count);

    /// <summary>A connection that knows how far the message on it has come.</summary>
    private sealed class Line : SmtpClient, ITransferProgress
    {
        /// <summary>True once the server has accepted a sender: from here on it has begun to deal with this message.</summary>
        public bool Begun { get; private set; }

        /// <summary>True once a byte of the message itself has gone out.</summary>
        public bool Handed { get; private set; }

        /// <summary>Since when it has had nothing to do, in milliseconds of the machine.</summary>
        public long IdleSince { get; set; }

        public void Start() => (Begun, Handed) = (false, false);

        public void Report(long bytesTransferred, long totalSize) => Handed = true;

        public void Report(long bytesTransferred) => Handed = true;

        protected override void OnSenderAccepted(MimeMessage message, MailboxAddress mailbox, SmtpResponse response) => Begun = true;
    }

    private sealed class Pool(int connections) : IDisposable
    {
        public ConcurrentBag<Line> Idle { get; } = [];

        public SemaphoreSlim Slots { get; } = new(connections);

        public void Dispose()
        {
            while (Idle.TryTake(out var line))
            {
                line.Dispose();
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
        try
        {
            if (TakeIdle(pool) is { } waiting && await TryAsync(pool, waiting, to, message, returnPath, stop) is { } answer)
            {
                return answer;
            }

            // None was waiting, or the server had closed it while it was: a fresh one, once.
            return (await TryAsync(pool, new Line { Timeout = (int)Patience.TotalMilliseconds }, to, message, returnPath, stop))!;
        }
        finally
        {
            pool.Slots.Release();
        }
    }

    /// <summary>Sends over one connection.</summary>
    /// <returns>Null where a connection that had been waiting turned out to be closed before the server had begun with the message.</returns>
    private async Task<ProviderAnswer?> TryAsync(Pool pool, Line line, MailServer to, MimeMessage message, string? returnPath, CancellationToken stop)
    {
        var (keep, waited) = (false, line.IsConnected);
        line.Start();
        try
        {
            if (!waited && await ConnectAsync(line, to, stop) is { } trouble)
            {
                return ProviderAnswer.Away(Say($"The mail server {to.Host}:{to.Port} does not answer: {trouble}"));
            }

            var words = returnPath is null
                ? await line.SendAsync(message, stop, line)
                : await line.SendAsync(message, MailboxAddress.Parse(returnPath), message.To.Mailboxes, stop, line);
            keep = true;
            return new ProviderAnswer(ProviderResult.Sent, words);
        }
        catch (SmtpCommandException e)
        {
            var code = (int)e.StatusCode;
            if (waited && !line.Begun && code == 421)
            {
                return null;
            }

            keep = line.IsConnected;
            return new ProviderAnswer(
                code >= 500 ? ProviderResult.Refused
                    : code >= 400 || !line.Handed ? ProviderResult.NotTaken
                    : ProviderResult.Unknown,
                $"{code} {e.Message}"
            );
        }
        catch (AuthenticationException e)
        {
            return ProviderAnswer.Away(Say($"The mail server {to.Host}:{to.Port} does not let “{to.User}” in: {e.Message}"));
        }
        catch (Exception e) when (IsOfTheLine(e, stop))
        {
            return line switch
            {
                { Handed: true } => new ProviderAnswer(
                    ProviderResult.Unknown,
                    Say($"The line to the mail server {to.Host}:{to.Port} was lost before it had answered: {e.Message}")
                ),
                { Begun: false } when waited => null,
                _ => ProviderAnswer.Away(Say($"The mail server {to.Host}:{to.Port} does not answer: {e.Message}")),
            };
        }
        finally
        {
            if (keep)
            {
                line.IdleSince = Environment.TickCount64;
                pool.Idle.Add(line);
            }
            else
            {
                line.Dispose();
            }
        }
    }

    /// <returns>Why there is no line; null where there is one.</returns>
    private async Task<string?> ConnectAsync(Line connection, MailServer to, CancellationToken stop)
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(stop);
        patience.CancelAfter(ServerLine.Patience);
        try
        {
            var socket = to == server ? await ServerLine.ToOwnAsync(to.Host, to.Port, patience.Token) : await line.ConnectAsync(to.Host, to.Port, patience.Token);
            await connection.ConnectAsync(socket, to.Host, to.Port, to.Socket, patience.Token);
        }
        catch (Exception e) when (IsOfTheLine(e, stop) || e is ServerRefusedException or SmtpCommandException)
        {
            return ServerLine.Explain(e);
        }

        if (!to.Pipelines)
        {
            connection.Capabilities &= ~SmtpCapabilities.Pipelining;
        }

        if (to.User.Length > 0)
        {
            await to.SignInAsync(connection, stop);
        }

        return null;
    }

    /// <summary>What a server or the network does; anything else is a mistake of ours and goes on its way.</summary>
    private static bool IsOfTheLine(Exception e, CancellationToken stop) =>
        e
            is SmtpProtocolException
                or IOException
                or System.Net.Sockets.SocketException
                or ServiceNotConnectedException
                or TimeoutException
                or SslHandshakeException
                or NotSupportedException
        || (e is OperationCanceledException && !stop.IsCancellationRequested);

    private Line? TakeIdle(Pool pool)
    {
        while (pool.Idle.TryTake(out var line))
        {
            if (line.IsConnected && Environment.TickCount64 - line.IdleSince < idleFor.TotalMilliseconds)
            {
                return line;
            }

            line.Dispose();
        }

        return null;
    }

    private void DropIdle()
    {
        foreach (var pool in pools.Values)
        {
            for (var left = pool.Idle.Count; left > 0 && TakeIdle(pool) is { } young; left--)
            {
                pool.Idle.Add(young);
            }
        }
    }

    /// <inheritdoc/>
    public Task<LookedUp> LookUpAsync(string messageId, MailServer? own, CancellationToken stop) =>
        (own ?? server).LookUp is { } where
            ? HttpLookUp.AskAsync(
                http,
                where.Replace("{id}", Uri.EscapeDataString(messageId), StringComparison.Ordinal),
                (_, _) => Task.FromResult(messageId),
                stop
            )
            : Task.FromResult(new LookedUp(LookUpResult.CannotSay));

    /// <inheritdoc/>
    public void Dispose()
    {
        sweep.Dispose();
        foreach (var pool in pools.Values)
        {
            pool.Dispose();
        }
    }
}
