using System.Net;
using System.Net.Http.Json;
using System.Text.Json.Serialization;

namespace Germinal.Channels.Texts;

/// <summary>A text on its way out.</summary>
/// <param name="Key">The touch's own key: however often it is handed over, it goes once.</param>
/// <param name="To">E.164.</param>
/// <param name="Body">What is said.</param>
public sealed record OutgoingText(string Key, string To, string Body);

/// <summary>The edge to a provider of text messages.</summary>
public interface ITextGateway
{
    /// <summary>Hands one text over. Never throws for what the gateway or the network does.</summary>
    Task<ProviderAnswer> SendAsync(OutgoingText text, CancellationToken stop);

    /// <summary>Whether the gateway took a text before, and under which id of its own.</summary>
    Task<LookedUp> LookUpAsync(string key, CancellationToken stop);
}

/// <summary>
/// A gateway over HTTP (docs/text-gateway.md): <c>POST /messages</c> with an <c>Idempotency-Key</c>, <c>GET /messages/by-key/KEY</c>.
/// What becomes of a text, and what people answer, comes back by signed webhook.
/// </summary>
/// <param name="http">Its base address is the gateway's, with a slash at the end.</param>
public sealed class HttpTextGateway(HttpClient http) : ITextGateway
{
    private sealed record Body([property: JsonPropertyName("to")] string To, [property: JsonPropertyName("body")] string Text);

    private sealed record Taken([property: JsonPropertyName("id")] string Id);

    private sealed record Problem([property: JsonPropertyName("detail")] string? Detail);

    /// <inheritdoc/>
    public async Task<ProviderAnswer> SendAsync(OutgoingText text, CancellationToken stop)
    {
        try
        {
            using var request = new HttpRequestMessage(HttpMethod.Post, "messages") { Content = JsonContent.Create(new Body(text.To, text.Body)) };
            request.Headers.Add("Idempotency-Key", text.Key);
            using var response = await http.SendAsync(request, stop);
            if (response.IsSuccessStatusCode)
            {
                var taken = await response.Content.ReadFromJsonAsync<Taken>(stop);
                return new ProviderAnswer(ProviderResult.Accepted, $"{(int)response.StatusCode} {response.ReasonPhrase}", taken?.Id);
            }

            var words = $"{(int)response.StatusCode} {await WordsAsync(response, stop)}";
            return new ProviderAnswer(ResultOf(response.StatusCode), words);
        }
        catch (Exception e) when (e is HttpRequestException or TaskCanceledException && !stop.IsCancellationRequested)
        {
            return new ProviderAnswer(ProviderResult.Away, $"The text gateway does not answer: {e.Message}");
        }
    }

    /// <inheritdoc/>
    public async Task<LookedUp> LookUpAsync(string key, CancellationToken stop)
    {
        try
        {
            using var response = await http.GetAsync($"messages/by-key/{Uri.EscapeDataString(key)}", stop);
            return response.StatusCode switch
            {
                HttpStatusCode.OK => new LookedUp(LookUpResult.Found, (await response.Content.ReadFromJsonAsync<Taken>(stop))?.Id ?? key),
                HttpStatusCode.NotFound => new LookedUp(LookUpResult.NotThere),
                _ => new LookedUp(LookUpResult.NotNow),
            };
        }
        catch (Exception e) when (e is HttpRequestException || (e is TaskCanceledException && !stop.IsCancellationRequested))
        {
            return new LookedUp(LookUpResult.NotNow);
        }
    }

    private static ProviderResult ResultOf(HttpStatusCode status) => status switch
    {
        HttpStatusCode.Unauthorized or HttpStatusCode.Forbidden => ProviderResult.Away,
        HttpStatusCode.TooManyRequests or HttpStatusCode.RequestTimeout or HttpStatusCode.Conflict or >= HttpStatusCode.InternalServerError => ProviderResult.Later,
        _ => ProviderResult.Refused,
    };

    private static async Task<string> WordsAsync(HttpResponseMessage response, CancellationToken stop)
    {
        try
        {
            return (await response.Content.ReadFromJsonAsync<Problem>(stop))?.Detail ?? response.ReasonPhrase ?? "";
        }
        catch (Exception e) when (e is System.Text.Json.JsonException or NotSupportedException)
        {
            return response.ReasonPhrase ?? "";
        }
    }
}
