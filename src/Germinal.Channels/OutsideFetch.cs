using System.Net;
using Germinal.Channels.Mail;

namespace Germinal.Channels;

/// <summary>What came of asking for something outside.</summary>
/// <param name="Content">What was there; null where nothing new is, or where it could not be had.</param>
/// <param name="ETag">What the server calls its state (RFC 9110, 8.8.3); empty where it does not.</param>
/// <param name="Problem">Why it could not be had, in a sentence; null where it could.</param>
public sealed record Fetched(byte[]? Content, string ETag, string? Problem)
{
    /// <summary>Whether it is as it was when it was last asked for.</summary>
    public bool IsSame => Content is null && Problem is null;
}

/// <summary>
/// Asks the net for something whose address somebody typed: never this machine or a private network, whatever a name or a redirect leads
/// to; never more than is wanted, and not for long.
/// </summary>
public sealed class OutsideFetch : IDisposable
{
    /// <summary>The most that is read.</summary>
    public const int MostBytes = 4 * 1024 * 1024;

    private const int MostRedirects = 4;

    private readonly HttpClient http;

    /// <param name="line">Opens the lines, and refuses what is not to be reached.</param>
    public OutsideFetch(ServerLine line)
    {
        http = new HttpClient(OutsideLine.To(line, MostRedirects)) { Timeout = ServerLine.Patience };
        http.DefaultRequestHeaders.UserAgent.ParseAdd("Germinal");
    }

    /// <summary>An address as it is asked for, where it can be: https, http, or webcal, which is https.</summary>
    public static Uri? AddressOf(string typed)
    {
        var text = typed.Trim();
        text = text.StartsWith("webcal://", StringComparison.OrdinalIgnoreCase) ? $"https{text["webcal".Length..]}" : text;
        return Uri.TryCreate(text, UriKind.Absolute, out var address) && address.Scheme is "https" or "http" && address.UserInfo.Length == 0 && address.Host.Length > 0 ? address : null;
    }

    /// <summary>Asks for what is there now.</summary>
    /// <param name="address">Where.</param>
    /// <param name="etag">What its state was called last; empty for never asked.</param>
    /// <param name="accept">The kind of thing that is wanted.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<Fetched> GetAsync(Uri address, string etag, string accept, CancellationToken stop)
    {
        using var patience = CancellationTokenSource.CreateLinkedTokenSource(stop);
        patience.CancelAfter(ServerLine.Patience);
        try
        {
            using var ask = new HttpRequestMessage(HttpMethod.Get, address);
            ask.Headers.Accept.ParseAdd(accept);
            if (etag.Length > 0)
            {
                ask.Headers.TryAddWithoutValidation("If-None-Match", etag);
            }

            using var answer = await http.SendAsync(ask, HttpCompletionOption.ResponseHeadersRead, patience.Token);
            if (answer.StatusCode == HttpStatusCode.NotModified)
            {
                return new Fetched(null, etag, null);
            }

            if (!answer.IsSuccessStatusCode)
            {
                return Failed(
                    answer.StatusCode switch
                    {
                        HttpStatusCode.NotFound or HttpStatusCode.Gone => Said("there is nothing at this address any more."),
                        HttpStatusCode.Unauthorized or HttpStatusCode.Forbidden => Said("the server does not let us in. An address that needs no signing in would be right."),
                        >= HttpStatusCode.Ambiguous and < HttpStatusCode.BadRequest => Said("the server sends us from one place to the next without end."),
                        _ => Say($"the server answers {(int)answer.StatusCode}."),
                    }
                );
            }

            return await ReadAsync(answer.Content, patience.Token) is { } content
                ? new Fetched(content, answer.Headers.ETag?.ToString() ?? "", null)
                : Failed(Say($"there is more than {MostBytes / 1024 / 1024} MB at this address, which is more than is read."));
        }
        catch (Exception e) when (ServerLine.FailedHttp(e, stop))
        {
            return Failed(ServerLine.ExplainHttp(e));
        }
    }

    private static async Task<byte[]?> ReadAsync(HttpContent content, CancellationToken stop)
    {
        if (content.Headers.ContentLength > MostBytes)
        {
            return null;
        }

        await using var stream = await content.ReadAsStreamAsync(stop);
        using var read = new MemoryStream();
        var piece = new byte[16 * 1024];
        int count;
        while ((count = await stream.ReadAsync(piece, stop)) > 0)
        {
            if (read.Length + count > MostBytes)
            {
                return null;
            }

            read.Write(piece, 0, count);
        }

        return read.ToArray();
    }

    private static Fetched Failed(string why) => new(null, "", why);

    /// <inheritdoc/>
    public void Dispose() => http.Dispose();
}
