using System.Net;
using Microsoft.AspNetCore.HttpOverrides;

namespace Germinal.Web.Hosting;

/// <summary>The reverse proxies that stand before the application: only what they say of a caller is believed.</summary>
public static class Proxies
{
    /// <summary>Believes <c>X-Forwarded-For</c> and <c>X-Forwarded-Proto</c> of the proxies in the settings, one step back.</summary>
    public static void Add(IServiceCollection services, Settings settings) =>
        services.Configure<ForwardedHeadersOptions>(o =>
        {
            o.ForwardedHeaders = settings.Proxies.Count == 0 ? ForwardedHeaders.None : ForwardedHeaders.XForwardedFor | ForwardedHeaders.XForwardedProto;
            o.ForwardLimit = 1;
            o.KnownIPNetworks.Clear();
            o.KnownProxies.Clear();
            foreach (var proxy in settings.Proxies)
            {
                o.KnownProxies.Add(proxy);
            }
        });

    /// <summary>Reads addresses parted by commas.</summary>
    /// <exception cref="InvalidOperationException">One is no address of a machine.</exception>
    public static IReadOnlyList<IPAddress> Read(string? text) =>
        [
            .. (text ?? "")
                .Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
                .Select(t =>
                    IPAddress.TryParse(t, out var address)
                        ? address
                        : throw new InvalidOperationException($"GERMINAL_PROXIES: “{t}” is no IP address; 10.0.0.5 would be.")
                ),
        ];
}
