using System.Net;
using System.Net.Http.Headers;
using System.Net.Http.Json;
using System.Text.Json.Serialization;
using Germinal.Channels.Mail;

namespace Germinal.Channels.Posts;

/// <summary>Where a practice's posts are handed to.</summary>
/// <param name="Address">The gateway's own, with a slash at the end.</param>
/// <param name="Token">What lets us in (RFC 6750); empty for nothing.</param>
public sealed record PostServer(Uri Address, string Token);

/// <summary>A post on its way to a public place.</summary>
/// <param name="Key">Its own key: however often it is handed over, it stands there once.</param>
/// <param name="Words">What it says.</param>
/// <param name="Place">Where it is to stand; empty where that is plain.</param>
/// <param name="Picture">Its picture: kind, content, and what it shows; null for none.</param>
public sealed record OutgoingPost(string Key, string Words, string Place, (string Type, byte[] Content, string Words)? Picture);

/// <summary>
/// A gateway to public places over HTTP (docs/post-gateway.md): <c>POST posts</c> with an <c>Idempotency-Key</c>, <c>GET posts/by-key/KEY</c>.
/// </summary>
public sealed class PostGateway : IDisposable
{
    private readonly HttpClient http;

    /// <param name="line">Opens the lines, and refuses what is not to be reached.</param>
    public PostGateway(ServerLine line) => http = new HttpClient(OutsideLine.To(line, 0)) { Timeout = ServerLine.Patience, MaxResponseContentBufferSize = 64 * 1024 };

    private sealed record Body(
        [property: JsonPropertyName("words")] string Words,
        [property: JsonPropertyName("place"), JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)] string? Place,
        [property: JsonPropertyName("picture"), JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)] PictureBody? Picture
    );

    private sealed record PictureBody(
        [property: JsonPropertyName("type")] string Type,
        [property: JsonPropertyName("words")] string Words,
        [property: JsonPropertyName("content")] byte[] Content
    );

    private sealed record Stands([property: JsonPropertyName("address")] string? Address);

    private sealed record Problem([property: JsonPropertyName("detail")] string? Detail);

    /// <summary>Hands one over. Never throws for what the gateway or the network does.</summary>
    /// <returns>What became of it; where it stands as its id, where the gateway says so.</returns>
    public async Task<ProviderAnswer> SendAsync(PostServer server, OutgoingPost post, CancellationToken stop)
    {
        try
        {
            using var request = Ask(server, HttpMethod.Post, "posts");
            request.Headers.Add("Idempotency-Key", post.Key);
            request.Content = JsonContent.Create(
                new Body(post.Words, post.Place.Length > 0 ? post.Place : null, post.Picture is { } p ? new PictureBody(p.Type, p.Words, p.Content) : null)
            );
            using var response = await http.SendAsync(request, stop);
            return response.IsSuccessStatusCode
                ? new ProviderAnswer(ProviderResult.Sent, $"{(int)response.StatusCode}", await AddressOfAsync(response, stop))
                : Refused(response.StatusCode, await WordsAsync(response, stop));
        }
        catch (Exception e) when (NotReached(e) is { } why)
        {
            return ProviderAnswer.Away(Say($"The gateway at {server.Address.Host} cannot be reached: {why}"));
        }
        catch (Exception e) when (NoAnswer.Is(e, stop))
        {
            return new ProviderAnswer(ProviderResult.Unknown, Say($"The gateway at {server.Address.Host} did not answer."));
        }
    }

    /// <summary>Whether the gateway took a post before, and where it stands.</summary>
    public async Task<LookedUp> LookUpAsync(PostServer server, string key, CancellationToken stop)
    {
        try
        {
            using var request = Ask(server, HttpMethod.Get, $"posts/by-key/{Uri.EscapeDataString(key)}");
            using var response = await http.SendAsync(request, stop);
            return response.StatusCode switch
            {
                HttpStatusCode.OK => new LookedUp(LookUpResult.Found, await AddressOfAsync(response, stop) ?? ""),
                HttpStatusCode.NotFound => new LookedUp(LookUpResult.NotThere),
                _ => new LookedUp(LookUpResult.NotNow),
            };
        }
        catch (Exception e) when (NotReached(e) is not null || NoAnswer.Is(e, stop))
        {
            return new LookedUp(LookUpResult.NotNow);
        }
    }

    private static HttpRequestMessage Ask(PostServer server, HttpMethod method, string path)
    {
        var request = new HttpRequestMessage(method, new Uri(server.Address, path));
        if (server.Token.Length > 0)
        {
            request.Headers.Authorization = new AuthenticationHeaderValue("Bearer", server.Token);
        }

        return request;
    }

    /// <summary>Of an error inside the gateway, or between it and us, nobody can say how far it had come.</summary>
    private static ProviderAnswer Refused(HttpStatusCode status, string words) =>
        status switch
        {
            HttpStatusCode.Unauthorized or HttpStatusCode.Forbidden => ProviderAnswer.Away(Say($"The gateway does not let us in: {words}")),
            HttpStatusCode.TooManyRequests or HttpStatusCode.RequestTimeout or HttpStatusCode.Conflict or HttpStatusCode.ServiceUnavailable => new(ProviderResult.NotTaken, words),
            >= HttpStatusCode.InternalServerError => new(ProviderResult.Unknown, words),
            _ => new(ProviderResult.Refused, words),
        };

    private static string? NotReached(Exception error) =>
        error is HttpRequestException { HttpRequestError: HttpRequestError.ConnectionError or HttpRequestError.NameResolutionError or HttpRequestError.SecureConnectionError }
        || error is ServerRefusedException
        || error.InnerException is ServerRefusedException
            ? ServerLine.ExplainHttp(error)
            : null;

    private static async Task<string?> AddressOfAsync(HttpResponseMessage response, CancellationToken stop)
    {
        try
        {
            var stands = await response.Content.ReadFromJsonAsync<Stands>(stop);
            return OutsideFetch.AddressOf(stands?.Address ?? "")?.ToString();
        }
        catch (Exception e) when (e is System.Text.Json.JsonException or NotSupportedException or HttpRequestException)
        {
            return null;
        }
    }

    private static async Task<string> WordsAsync(HttpResponseMessage response, CancellationToken stop)
    {
        var otherwise = $"{(int)response.StatusCode} {response.ReasonPhrase}";
        try
        {
            return (await response.Content.ReadFromJsonAsync<Problem>(stop))?.Detail is { Length: > 0 } detail ? detail : otherwise;
        }
        catch (Exception e) when (e is System.Text.Json.JsonException or NotSupportedException or HttpRequestException)
        {
            return otherwise;
        }
    }

    /// <inheritdoc/>
    public void Dispose() => http.Dispose();
}
