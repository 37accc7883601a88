using System.Net;
using System.Net.Sockets;

namespace Germinal.Channels.Mail;

/// <summary>A server that is not to be called; the message says why in a sentence.</summary>
public sealed class ServerRefusedException(string message) : Exception(message);

/// <summary>
/// Opens a line to a mail server that a practice has named. Whoever may name servers must not reach, by way of us, what is
/// only to be reached from inside: this machine and private networks are refused, by the address a name really has.
/// </summary>
/// <param name="allowPrivate">True where the installation allows it (the demo does).</param>
public sealed class ServerLine(bool allowPrivate)
{
    /// <summary>How long a server may take to answer.</summary>
    public static readonly TimeSpan Patience = TimeSpan.FromSeconds(15);

    /// <summary>Connects to a server.</summary>
    /// <exception cref="ServerRefusedException">It is on this machine or in a private network.</exception>
    /// <exception cref="SocketException">It cannot be reached.</exception>
    public async Task<Socket> ConnectAsync(string host, int port, CancellationToken stop)
    {
        var addresses = await AddressesOfAsync(host, stop);
        if (!allowPrivate && addresses.Any(IsPrivate))
        {
            throw new ServerRefusedException(
                Say($"{host} is on this machine or in a private network. Name a server on the net; the installation's keeper can allow others.")
            );
        }

        return await OpenAsync(addresses, port, stop);
    }

    /// <summary>Opens a line to a server that the installation itself names, wherever it stands.</summary>
    /// <exception cref="SocketException">It cannot be reached.</exception>
    public static async Task<Socket> ToOwnAsync(string host, int port, CancellationToken stop) =>
        await OpenAsync(await AddressesOfAsync(host, stop), port, stop);

    private static async Task<IPAddress[]> AddressesOfAsync(string host, CancellationToken stop) =>
        IPAddress.TryParse(host, out var literal) ? [literal] : await Dns.GetHostAddressesAsync(host, stop);

    private static async Task<Socket> OpenAsync(IPAddress[] addresses, int port, CancellationToken stop)
    {
        // What is left of a message that is longer than a packet goes at once: held back until the packet before it is acknowledged,
        // each message would take 40 milliseconds longer.
        var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
        try
        {
            await socket.ConnectAsync(addresses, port, stop);
            return socket;
        }
        catch
        {
            socket.Dispose();
            throw;
        }
    }

    /// <summary>Addresses that lead to this machine, to a private network, or to nothing in particular (RFC 1918, 4193, 6598, 6890).</summary>
    public static bool IsPrivate(IPAddress address)
    {
        if (address.IsIPv4MappedToIPv6)
        {
            return IsPrivate(address.MapToIPv4());
        }

        if (IPAddress.IsLoopback(address) || address.Equals(IPAddress.Any) || address.Equals(IPAddress.IPv6Any))
        {
            return true;
        }

        var bytes = address.GetAddressBytes();
        return address.AddressFamily == AddressFamily.InterNetworkV6
            ? address.IsIPv6LinkLocal
                || address.IsIPv6SiteLocal
                || address.IsIPv6UniqueLocal
                || address.IsIPv6Multicast
                || bytes is [0x00, 0x64, 0xff, 0x9b, ..]
            : bytes
                is [0, ..]
                    or [10, ..]
                    or [127, ..]
                    or [100, >= 64 and <= 127, ..]
                    or [169, 254, ..]
                    or [172, >= 16 and <= 31, ..]
                    or [192, 168, ..]
                    or [192, 0, 0, _]
                    or [198, 18 or 19, ..]
                    or [>= 224, ..];
    }

    /// <summary>Why a line could not be opened, in our own words: what a server says before it knows us is nobody's business.</summary>
    public static string Explain(Exception error) =>
        error switch
        {
            ServerRefusedException e => e.Message,
            SocketException { SocketErrorCode: SocketError.ConnectionRefused } => Said("nothing listens there."),
            SocketException { SocketErrorCode: SocketError.HostNotFound or SocketError.NoData or SocketError.TryAgain } =>
                Said("there is no machine of that name."),
            SocketException => Said("it cannot be reached."),
            OperationCanceledException or TimeoutException => Say($"it did not answer within {Patience.TotalSeconds:0} seconds."),
            MailKit.Security.SslHandshakeException => Said("its certificate cannot be trusted, or it speaks no TLS there."),
            NotSupportedException => Said("it does not offer the security that is set."),
            _ => Said("it does not speak as a mail server does."),
        };

    /// <summary>True where nothing came of asking over HTTP, which <see cref="ExplainHttp"/> explains; not where the caller itself gave up.</summary>
    internal static bool FailedHttp(Exception error, CancellationToken stop) =>
        NoAnswer.Is(error, stop) || error is ServerRefusedException or SocketException or InvalidOperationException or InvalidDataException;

    /// <summary>Why nothing came of asking over HTTP, in our own words.</summary>
    public static string ExplainHttp(Exception error)
    {
        var cause = error.InnerException is ServerRefusedException or SocketException or TimeoutException ? error.InnerException : error;
        return cause is ServerRefusedException or SocketException or OperationCanceledException or TimeoutException
            ? Explain(cause)
            : Said("nothing that can be read comes from there; it may speak no HTTPS, or its certificate cannot be trusted.");
    }
}
