using System.Threading.RateLimiting;

namespace Germinal.Web.Hosting;

/// <summary>
/// Slows down guessing of passwords, by address and by client. Nobody can keep somebody else out for long by it: an
/// address as such is only slowed for a minute, and what is held longer is the pair of an address and a client. Whoever
/// signs in rightly is not counted against their address.
/// </summary>
/// <param name="wrongOfPair">Wrong tries of one client at one address in ten minutes.</param>
/// <param name="wrongOfAddress">Wrong tries of all clients at one address in a minute.</param>
/// <param name="triesOfClient">Tries of one client at all addresses in a minute.</param>
public sealed class SignInBrake(int wrongOfPair, int wrongOfAddress, int triesOfClient) : IDisposable
{
    private readonly PartitionedRateLimiter<string> clients = Limiter(triesOfClient, TimeSpan.FromMinutes(1));
    private readonly PartitionedRateLimiter<string> pairs = Limiter(wrongOfPair, TimeSpan.FromMinutes(10));
    private readonly PartitionedRateLimiter<string> addresses = Limiter(wrongOfAddress, TimeSpan.FromMinutes(1));

    /// <summary>Brakes of the usual strength.</summary>
    public SignInBrake()
        : this(8, 30, 120) { }

    /// <summary>Counts a try.</summary>
    /// <returns>How long to wait where there have been too many; null where it may be made.</returns>
    public TimeSpan? Try(string client, string address) =>
        Wait(clients, client, 1) ?? Wait(pairs, Pair(client, address), 0) ?? Wait(addresses, Folded(address), 0);

    /// <summary>Counts a try that was wrong.</summary>
    public void Wrong(string client, string address)
    {
        Wait(pairs, Pair(client, address), 1);
        Wait(addresses, Folded(address), 1);
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        clients.Dispose();
        pairs.Dispose();
        addresses.Dispose();
    }

    private static string Folded(string address) => address.Trim().ToUpperInvariant();

    private static string Pair(string client, string address) => $"{client} {Folded(address)}";

    private static TimeSpan? Wait(PartitionedRateLimiter<string> limiter, string key, int count)
    {
        using var lease = limiter.AttemptAcquire(key, count);
        return lease.IsAcquired ? null
            : lease.TryGetMetadata(MetadataName.RetryAfter, out var wait) ? wait
            : TimeSpan.FromMinutes(1);
    }

    private static PartitionedRateLimiter<string> Limiter(int tries, TimeSpan window) =>
        PartitionedRateLimiter.Create<string, string>(key =>
            RateLimitPartition.GetFixedWindowLimiter(
                key,
                _ => new FixedWindowRateLimiterOptions
                {
                    PermitLimit = tries,
                    Window = window,
                    QueueLimit = 0,
                }
            )
        );
}

/// <summary>Brakes on what anybody can call: public pages, letters' links and pictures, and hooks, by client.</summary>
public static class PublicBrake
{
    /// <summary>For pages that people open: 120 calls a minute.</summary>
    public const string Pages = "public-pages";

    /// <summary>For a letter's links and pictures, which a mail program or a scanner of a large house calls in bursts: 1,200 a minute.</summary>
    public const string Letters = "letters";

    /// <summary>For the gateway's news: 6,000 a minute.</summary>
    public const string Hooks = "hooks";

    /// <summary>Adds them.</summary>
    /// <param name="services">The application's.</param>
    /// <param name="settings">Where there are stand-ins, all recipients and the gateway are this one machine, which is not braked.</param>
    public static void AddPublicBrakes(this IServiceCollection services, Settings settings) =>
        services.AddRateLimiter(o =>
        {
            o.RejectionStatusCode = StatusCodes.Status429TooManyRequests;
            o.OnRejected = async (context, _) =>
            {
                context.HttpContext.Response.Headers.RetryAfter = "60";
                await TypedResults
                    .Problem(
                        Said("There have been too many calls from where you are. Wait a minute and try again."),
                        statusCode: StatusCodes.Status429TooManyRequests,
                        title: Said("Too many calls")
                    )
                    .ExecuteAsync(context.HttpContext);
            };
            foreach (var (name, calls) in new[] { (Pages, 120), (Letters, 1200), (Hooks, 6000) })
            {
                o.AddPolicy(
                    name,
                    http =>
                        settings.StandIns is not null && http.Connection.RemoteIpAddress is { } from && System.Net.IPAddress.IsLoopback(from)
                            ? RateLimitPartition.GetNoLimiter("stand-ins")
                            : RateLimitPartition.GetFixedWindowLimiter(
                                Client.Of(http),
                                _ => new FixedWindowRateLimiterOptions
                                {
                                    PermitLimit = calls,
                                    Window = TimeSpan.FromMinutes(1),
                                    QueueLimit = 0,
                                }
                            )
                );
            }
        });
}

/// <summary>Where a call comes from, for brakes: the address of the machine, or of the network where that is IPv6.</summary>
public static class Client
{
    /// <summary>The client of a request. Behind a proxy that is known (GERMINAL_PROXIES) it is whom the proxy names.</summary>
    public static string Of(HttpContext http)
    {
        if (http.Connection.RemoteIpAddress is not { } address)
        {
            return "unknown";
        }

        if (address.IsIPv4MappedToIPv6 || address.AddressFamily != System.Net.Sockets.AddressFamily.InterNetworkV6)
        {
            return address.MapToIPv4().ToString();
        }

        // Whoever has one address of a /64 has them all.
        return Convert.ToHexStringLower(address.GetAddressBytes().AsSpan(0, 8));
    }

    private const int LongestProgram = 300;

    /// <summary>The address a request comes from, as it is shown; empty where it has none.</summary>
    public static string AddressOf(HttpContext http) =>
        http.Connection.RemoteIpAddress is { } address ? (address.IsIPv4MappedToIPv6 ? address.MapToIPv4() : address).ToString() : "";

    /// <summary>What the caller's program calls itself, cut where it goes on for long.</summary>
    public static string ProgramOf(HttpContext http)
    {
        var program = http.Request.Headers.UserAgent.ToString();
        return program.Length > LongestProgram ? program[..LongestProgram] : program;
    }
}
