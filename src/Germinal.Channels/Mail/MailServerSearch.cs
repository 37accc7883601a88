using System.Net.Sockets;
using MailKit;
using MailKit.Net.Smtp;
using MailKit.Security;

namespace Germinal.Channels.Mail;

/// <summary>A server that was looked at.</summary>
/// <param name="Host">Its name.</param>
/// <param name="Port">Its port.</param>
/// <param name="Security">tls or starttls.</param>
/// <param name="Answers">Whether it answered as a server that takes mail.</param>
/// <param name="Words">What it said, or why there is no line to it.</param>
public sealed record LookedAtServer(string Host, int Port, string Security, bool Answers, string Words);

/// <summary>
/// Finds the server that mail of an address goes out by: what the domain itself says (RFC 6186, RFC 8314), else by the names such servers
/// usually have. Nothing is signed in to; a guess is said to be one.
/// </summary>
public sealed class MailServerSearch(IRecordLookup records, ServerLine line)
{
    private const int Implicit = 465;
    private const int Submission = 587;
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(6);
    private static readonly string[] UsualNames = ["smtp", "mail"];

    /// <summary>The servers that were looked at, those the domain names first.</summary>
    /// <param name="domain">The part of the address behind its <c>@</c>.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<IReadOnlyList<LookedAtServer>> FindAsync(string domain, CancellationToken stop)
    {
        var named = new List<(NamedServer Server, string Security)>();
        named.AddRange((await records.ServersAsync("_submissions._tcp", domain, stop)).Select(s => (s, "tls")));
        named.AddRange((await records.ServersAsync("_submission._tcp", domain, stop)).Select(s => (s, "starttls")));
        var tries =
            named.Count > 0
                ? named
                : [.. UsualNames.SelectMany(n => new[] { (new NamedServer($"{n}.{domain}", Implicit), "tls"), (new NamedServer($"{n}.{domain}", Submission), "starttls") })];
        return await Task.WhenAll(tries.Take(8).Select(t => LookAsync(t.Server, t.Security, stop)));
    }

    private async Task<LookedAtServer> LookAsync(NamedServer server, string security, CancellationToken stop)
    {
        LookedAtServer Of(bool answers, string words) => new(server.Host, server.Port, security, answers, words);
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(stop);
        patience.CancelAfter(Patience);
        try
        {
            using var client = new SmtpClient { Timeout = (int)Patience.TotalMilliseconds };
            await client.ConnectAsync(
                await line.ConnectAsync(server.Host, server.Port, patience.Token),
                server.Host,
                server.Port,
                security == "tls" ? SecureSocketOptions.SslOnConnect : SecureSocketOptions.StartTls,
                patience.Token
            );
            await client.DisconnectAsync(true, patience.Token);
            return Of(true, Said("it answers, and the line is secure"));
        }
        catch (OperationCanceledException) when (!stop.IsCancellationRequested)
        {
            return Of(false, Say($"nobody answers within {Patience.TotalSeconds:0} seconds"));
        }
        catch (Exception e) when (e is SocketException or ServerRefusedException or IOException or SslHandshakeException or ProtocolException or CommandException or NotSupportedException or AuthenticationException)
        {
            return Of(false, ServerLine.Explain(e));
        }
    }
}
