using System.Net;
using System.Net.Sockets;
using Germinal.Channels.Mail;

namespace Germinal.Channels;

/// <summary>How the net is spoken to where somebody typed the address: each line is opened by <see cref="ServerLine"/>, whatever name or redirect led to it.</summary>
internal static class OutsideLine
{
    /// <summary>What HTTP clients for such addresses send through.</summary>
    /// <param name="line">Opens the lines, and refuses what is not to be reached.</param>
    /// <param name="redirects">How often it follows from one address to the next; 0 for never.</param>
    public static SocketsHttpHandler To(ServerLine line, int redirects) =>
        new()
        {
            AllowAutoRedirect = redirects > 0,
            MaxAutomaticRedirections = Math.Max(1, redirects),
            UseProxy = false,
            UseCookies = false,
            ConnectTimeout = ServerLine.Patience,
            AutomaticDecompression = DecompressionMethods.GZip | DecompressionMethods.Deflate,
            MaxResponseHeadersLength = 32,
            PooledConnectionLifetime = TimeSpan.FromMinutes(1),
            ConnectCallback = async (context, stop) => new NetworkStream(await line.ConnectAsync(context.DnsEndPoint.Host, context.DnsEndPoint.Port, stop), ownsSocket: true),
        };
}
