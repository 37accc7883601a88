using DnsClient;
using DnsClient.Protocol;

namespace Germinal.Channels.Mail;

/// <summary>How a record of a domain stands, in a word.</summary>
public static class RecordStands
{
    /// <summary>It is there and as it should be.</summary>
    public const string Right = "right";

    /// <summary>There is none.</summary>
    public const string Missing = "missing";

    /// <summary>There is one, and it says something else.</summary>
    public const string Other = "other";

    /// <summary>Nobody could be asked.</summary>
    public const string Unasked = "unasked";
}

/// <summary>A record that a domain should have, and how it stands.</summary>
/// <param name="Kind">spf, dkim or dmarc.</param>
/// <param name="Name">Where it stands: the full name.</param>
/// <param name="Value">What it should say.</param>
/// <param name="Stands">How it stands: one of <see cref="RecordStands"/>.</param>
/// <param name="Found">What was found; empty for nothing.</param>
/// <param name="Says">What that means and what would be right, in a sentence.</param>
public sealed record DomainRecord(string Kind, string Name, string Value, string Stands, string Found, string Says);

/// <summary>A server of a domain for a service (SRV, RFC 2782).</summary>
public sealed record NamedServer(string Host, int Port);

/// <summary>Asks for records of domains.</summary>
public interface IRecordLookup
{
    /// <summary>The servers a domain names for a service such as <c>_submissions._tcp</c>, those to be tried first first; none where it names none or nobody could be asked.</summary>
    Task<IReadOnlyList<NamedServer>> ServersAsync(string service, string domain, CancellationToken stop);

    /// <summary>The TXT records of a name; none where there are none, null where nobody could be asked.</summary>
    Task<IReadOnlyList<string>?> TextsAsync(string name, CancellationToken stop);
}

/// <summary>Where there is no resolver: nobody is asked.</summary>
public sealed class NoLookup : IRecordLookup
{
    /// <inheritdoc/>
    public Task<IReadOnlyList<string>?> TextsAsync(string name, CancellationToken stop) => Task.FromResult<IReadOnlyList<string>?>(null);

    /// <inheritdoc/>
    public Task<IReadOnlyList<NamedServer>> ServersAsync(string service, string domain, CancellationToken stop) => Task.FromResult<IReadOnlyList<NamedServer>>([]);
}

/// <summary>By a resolver: the machine's own, or the one that is named.</summary>
public sealed class ResolverLookup : IRecordLookup
{
    private readonly LookupClient client;

    /// <param name="resolver">Its address, as <c>127.0.0.1:5353</c>; null for the machine's own.</param>
    public ResolverLookup(System.Net.IPEndPoint? resolver)
    {
        var options = resolver is null ? new LookupClientOptions() : new LookupClientOptions(resolver);
        options.Timeout = TimeSpan.FromSeconds(3);
        options.Retries = 1;
        options.UseCache = false;
        client = new LookupClient(options);
    }

    /// <inheritdoc/>
    public async Task<IReadOnlyList<NamedServer>> ServersAsync(string service, string domain, CancellationToken stop)
    {
        try
        {
            var answer = await client.QueryAsync($"{service}.{domain}", QueryType.SRV, cancellationToken: stop);

            // A single dot says that there is none (RFC 2782).
            return
            [
                .. answer
                    .Answers.OfType<SrvRecord>()
                    .OrderBy(r => r.Priority)
                    .ThenByDescending(r => r.Weight)
                    .Select(r => new NamedServer(r.Target.Value.TrimEnd('.'), r.Port))
                    .Where(r => r.Host.Length > 0 && r.Port > 0),
            ];
        }
        catch (Exception e) when (e is DnsResponseException or System.Net.Sockets.SocketException or OperationCanceledException && !stop.IsCancellationRequested)
        {
            return [];
        }
    }

    /// <inheritdoc/>
    public async Task<IReadOnlyList<string>?> TextsAsync(string name, CancellationToken stop)
    {
        try
        {
            var answer = await client.QueryAsync(name, QueryType.TXT, cancellationToken: stop);
            return answer.HasError && answer.Header.ResponseCode != DnsHeaderResponseCode.NotExistentDomain ? null : [.. answer.Answers.OfType<TxtRecord>().Select(t => string.Concat(t.Text))];
        }
        catch (Exception e) when (e is DnsResponseException or System.Net.Sockets.SocketException or OperationCanceledException && !stop.IsCancellationRequested)
        {
            return null;
        }
    }
}

/// <summary>The records by which receivers know that mail really comes from a domain: SPF (RFC 7208), DKIM (RFC 6376), DMARC (RFC 7489).</summary>
public static class MailRecords
{
    /// <summary>Where the record of a key stands.</summary>
    public static string KeyName(string domain, string selector) => $"{selector}._domainkey.{domain}";

    /// <summary>The record of a key.</summary>
    public static string KeyValue(string publicKey) => $"v=DKIM1; k=rsa; p={publicKey}";

    /// <summary>Who may send for a domain.</summary>
    /// <param name="domain">The domain.</param>
    /// <param name="server">The server mail goes out by.</param>
    /// <param name="texts">The domain's TXT records; null where nobody could be asked.</param>
    public static DomainRecord Spf(string domain, string server, IReadOnlyList<string>? texts)
    {
        var value = $"v=spf1 a:{server} ~all";
        DomainRecord Of(string stands, string found, string says) => new("spf", domain, value, stands, found, says);
        var found = texts?.Where(t => t.Equals("v=spf1", StringComparison.OrdinalIgnoreCase) || t.StartsWith("v=spf1 ", StringComparison.OrdinalIgnoreCase)).ToList();
        return found switch
        {
            null => Of(RecordStands.Unasked, "", Said("It says which servers may send mail of this domain.")),
            [] => Of(RecordStands.Missing, "", Said("There is none, so receivers cannot tell your server from a stranger’s. Add this one.")),
            [_, _, ..] => Of(RecordStands.Other, string.Join(" | ", found), Said("There are several, and then none counts (RFC 7208, 3.2). Make one of them.")),
            [var one] when one.Contains("+all", StringComparison.OrdinalIgnoreCase) => Of(RecordStands.Other, one, Said("It lets every server on earth send in your name. Say ~all or -all at its end.")),
            [var one] when one.Split(' ').Any(m => m.Contains(server, StringComparison.OrdinalIgnoreCase)) => Of(RecordStands.Right, one, Said("It names the server your mail goes out by.")),
            [var one] => Of(RecordStands.Other, one, Say($"It does not name {server}. It may let it in by another name (include, ip4); if it does not, put a:{server} into it.")),
        };
    }

    /// <summary>The key that signatures are checked with.</summary>
    /// <param name="domain">The domain.</param>
    /// <param name="selector">The key's name.</param>
    /// <param name="publicKey">The key.</param>
    /// <param name="texts">TXT records of its name; null where nobody could be asked.</param>
    public static DomainRecord Dkim(string domain, string selector, string publicKey, IReadOnlyList<string>? texts)
    {
        DomainRecord Of(string stands, string found, string says) => new("dkim", KeyName(domain, selector), KeyValue(publicKey), stands, found, says);
        return texts switch
        {
            null => Of(RecordStands.Unasked, "", Said("It is the key by which receivers see that nobody changed a letter on its way.")),
            [] => Of(RecordStands.Missing, "", Said("There is none yet. Add this one; until receivers see it, signing with this key helps nobody.")),
            _ when texts.Any(t => TagOf(t, "p") == publicKey) => Of(RecordStands.Right, texts.First(t => TagOf(t, "p") == publicKey), Said("Receivers see this key.")),
            _ => Of(RecordStands.Other, string.Join(" | ", texts), Said("There is another key. Letters signed with this one are taken for forged; put this one in its place.")),
        };
    }

    /// <summary>What receivers do with mail that proves nothing.</summary>
    /// <param name="domain">The domain.</param>
    /// <param name="texts">TXT records of <c>_dmarc</c> below it; null where nobody could be asked.</param>
    public static DomainRecord Dmarc(string domain, IReadOnlyList<string>? texts)
    {
        DomainRecord Of(string stands, string found, string says) => new("dmarc", $"_dmarc.{domain}", $"v=DMARC1; p=none; rua=mailto:postmaster@{domain}", stands, found, says);
        var found = texts?.Where(t => t.StartsWith("v=DMARC1", StringComparison.OrdinalIgnoreCase)).ToList();
        return found switch
        {
            null => Of(RecordStands.Unasked, "", Said("It says what receivers do with mail in your name that proves nothing, and where they report it.")),
            [] => Of(RecordStands.Missing, "", Said("There is none; large mailbox providers ask for one. Begin with this: nothing is refused yet, and reports come.")),
            [_, _, ..] => Of(RecordStands.Other, string.Join(" | ", found), Said("There are several, and then none counts (RFC 7489, 6.6.3). Keep one.")),
            [var one] => TagOf(one, "p")?.ToLowerInvariant() switch
            {
                "none" => Of(RecordStands.Right, one, Said("Reports come, nothing is refused. Once they show only your own servers, say p=quarantine.")),
                "quarantine" or "reject" => Of(RecordStands.Right, one, Said("Mail in your name that proves nothing is put aside or refused.")),
                _ => Of(RecordStands.Other, one, Said("It does not say what is to be done: p=none, p=quarantine or p=reject is missing.")),
            },
        };
    }

    /// <summary>A tag of a list of them (RFC 6376, 3.2), without white space; null where it is not there.</summary>
    private static string? TagOf(string record, string tag) =>
        record
            .Split(';')
            .Select(part => part.Split('=', 2))
            .Where(part => part.Length == 2 && part[0].Trim() == tag)
            .Select(part => string.Concat(part[1].Where(c => !char.IsWhiteSpace(c))))
            .FirstOrDefault();
}
