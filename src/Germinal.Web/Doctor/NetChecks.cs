using System.Net;
using System.Net.Sockets;
using System.Runtime.CompilerServices;
using Germinal.Channels.Mail;
using MailKit.Net.Smtp;
using MailKit.Security;

namespace Germinal.Web.Doctor;

/// <summary>What is on the net: our address, the ports that are ours, and the installation's mail server.</summary>
internal static class NetChecks
{
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(5);

    public static async IAsyncEnumerable<Finding> LookAsync(IConfiguration configuration, [EnumeratorCancellation] CancellationToken stop)
    {
        foreach (var finding in Address(configuration))
        {
            yield return finding;
        }

        yield return await WebAsync(configuration, stop);
        yield return await MailAsync(configuration, stop);
        if (configuration["GERMINAL_MAIL_DOMAIN"] is { Length: > 0 } domain)
        {
            yield return await InboundAsync(configuration, domain, stop);
        }
    }

    private static IEnumerable<Finding> Address(IConfiguration configuration)
    {
        var url = configuration["GERMINAL_URL"] ?? "";
        if (!Uri.TryCreate(url, UriKind.Absolute, out var address) || address.Scheme is not ("http" or "https"))
        {
            yield return Finding.Wrong($"GERMINAL_URL is “{url}”, which is no address; it stands in every letter.", "Set it to the one recipients reach you at, such as https://germinal.example.com.");
        }
        else if (address.Scheme == "http")
        {
            yield return Finding.Doubtful(
                address.IsLoopback ? $"GERMINAL_URL is {url}: nobody but this machine can follow links in letters." : $"GERMINAL_URL is {url}: without HTTPS passwords and people’s data can be read on the way.",
                "Put a reverse proxy with a certificate before it (docs/operations.md has one), and set GERMINAL_URL to its https address."
            );
        }
        else
        {
            yield return Finding.Well($"letters lead to {url}");
        }

        var proxies = (configuration["GERMINAL_PROXIES"] ?? "").Split(',', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries);
        foreach (var odd in proxies.Where(p => !IPAddress.TryParse(p, out _)))
        {
            yield return Finding.Wrong($"GERMINAL_PROXIES names “{odd}”, which is no IP address.", "Name the reverse proxies by their addresses, by commas: 127.0.0.1.");
        }
    }

    /// <summary>The web server is asked where it listens, not by its outer address, which a proxy or a name server may get wrong by itself.</summary>
    private static async Task<Finding> WebAsync(IConfiguration configuration, CancellationToken stop)
    {
        var at = (configuration["ASPNETCORE_URLS"] ?? configuration["urls"] ?? configuration["GERMINAL_URL"] ?? "").Split(';')[0].TrimEnd('/').Replace("//+", "//127.0.0.1", StringComparison.Ordinal).Replace("//*", "//127.0.0.1", StringComparison.Ordinal).Replace("//0.0.0.0", "//127.0.0.1", StringComparison.Ordinal);
        if (!Uri.TryCreate($"{at}/health/ready", UriKind.Absolute, out var address) || address.Scheme is not ("http" or "https"))
        {
            return Finding.Wrong($"It is not said where the web server listens ({(at.Length > 0 ? at : "nothing is set")}).", "Set ASPNETCORE_URLS, such as http://127.0.0.1:5080.");
        }

        try
        {
            using var http = new HttpClient { Timeout = Patience };
            using var answer = await http.GetAsync(address, stop);
            var words = (await answer.Content.ReadAsStringAsync(stop)).Trim();
            return answer.IsSuccessStatusCode && words is "Healthy" ? Finding.Well($"the web server answers at {at}")
                : words is "Unhealthy" or "Degraded" ? Finding.Wrong($"The web server at {at} says that it is not ready.", "Mostly it is the database; see above.")
                : Finding.Wrong($"Something else than Germinal answers at {at}.", "End that, or let Germinal listen at another port.");
        }
        catch (Exception e) when (e is HttpRequestException or OperationCanceledException && !stop.IsCancellationRequested)
        {
            return Finding.Wrong($"The web server does not answer at {at}.", "Start it (the unit germinal), and look into its log.");
        }
    }

    private static async Task<Finding> MailAsync(IConfiguration configuration, CancellationToken stop)
    {
        var (host, said) = (configuration["GERMINAL_SMTP_HOST"], configuration["GERMINAL_SMTP_PORT"]);
        if (host is not { Length: > 0 } && said is not { Length: > 0 })
        {
            return Finding.Doubtful("The installation has no mail server of its own.", "That does where each practice enters its own. Invitations and forgotten passwords go by the practice’s then.");
        }

        if (!int.TryParse(said ?? "25", System.Globalization.NumberStyles.None, System.Globalization.CultureInfo.InvariantCulture, out var port) || port is < 1 or > 65_535)
        {
            return Finding.Wrong($"GERMINAL_SMTP_PORT is “{said}”, which is no port.", "587 is the usual one, or 25.");
        }

        host = host is { Length: > 0 } ? host : "127.0.0.1";
        try
        {
            using var patience = CancellationTokenSource.CreateLinkedTokenSource(stop);
            patience.CancelAfter(Patience);
            using var socket = await ServerLine.ToOwnAsync(host, port, patience.Token);
            using var client = new SmtpClient { CheckCertificateRevocation = false, Timeout = (int)Patience.TotalMilliseconds };
            await client.ConnectAsync(socket, host, port, SecureSocketOptions.None, patience.Token);
            await client.DisconnectAsync(true, patience.Token);
            return Finding.Well($"the mail server {host}, port {port}, answers");
        }
        catch (Exception e) when ((e is SocketException or IOException or OperationCanceledException or MailKit.ProtocolException or MailKit.CommandException or TimeoutException) && !stop.IsCancellationRequested)
        {
            return Finding.Wrong($"The mail server {host}, port {port}, does not answer as one: {e.Message}", "Set GERMINAL_SMTP_HOST and GERMINAL_SMTP_PORT to one that takes mail of this machine.");
        }
    }

    private static async Task<Finding> InboundAsync(IConfiguration configuration, string domain, CancellationToken stop)
    {
        var said = configuration["GERMINAL_INBOUND_PORT"] ?? "0";
        if (!int.TryParse(said, System.Globalization.NumberStyles.None, System.Globalization.CultureInfo.InvariantCulture, out var port) || port is < 1 or > 65_535)
        {
            return Finding.Wrong($"Answers are to come to {domain}, but GERMINAL_INBOUND_PORT is “{said}”: nobody listens for them.", "Set it to the port that the domain’s mail is handed to.");
        }

        var at = configuration["GERMINAL_INBOUND_ADDRESS"] is { Length: > 0 } own && own is not ("0.0.0.0" or "::") ? own : "127.0.0.1";
        try
        {
            using var patience = CancellationTokenSource.CreateLinkedTokenSource(stop);
            patience.CancelAfter(Patience);
            using var socket = await ServerLine.ToOwnAsync(at, port, patience.Token);
            return Finding.Well($"answers to {domain} are listened for at port {port}");
        }
        catch (Exception e) when (e is SocketException or OperationCanceledException && !stop.IsCancellationRequested)
        {
            return Finding.Wrong($"Nobody listens for answers at {at}, port {port}.", "The web server does; start it, and look into its log whether the port was taken.");
        }
    }
}
