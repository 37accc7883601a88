using System.Net;
using System.Net.Http.Json;
using System.Text.Json.Serialization;

namespace Germinal.Channels.Texts;

/// <summary>A text on its way out.</summary>
/// <param name="Key">The touch's own key: however often it is handed over, it goes once.</param>
/// <param name="To">E.164.</param>
/// <param name="Body">What is said.</param>
/// <param name="From">The number of ours it comes from, E.164; null: the gateway's own.</param>
public sealed record OutgoingText(string Key, string To, string Body, string? From = null);

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
    private sealed record Body(
        [property: JsonPropertyName("to")] string To,
        [property: JsonPropertyName("body")] string Text,
        [property: JsonPropertyName("from"), JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)] string? From
    );

    private sealed record Taken([property: JsonPropertyName("id")] string Id);

    private sealed record Problem([property: JsonPropertyName("detail")] string? Detail);

    /// <inheritdoc/>
    public async Task<ProviderAnswer> SendAsync(OutgoingText text, CancellationToken stop)
    {
        try
        {
            using var request = new HttpRequestMessage(HttpMethod.Post, "messages") { Content = JsonContent.Create(new Body(text.To, text.Body, text.From)) };
            request.Headers.Add("Idempotency-Key", text.Key);
            using var response = await http.SendAsync(request, stop);
            if (response.IsSuccessStatusCode)
            {
                return await IdOfAsync(response, stop) is { } id
                    ? new ProviderAnswer(ProviderResult.Sent, $"{(int)response.StatusCode} {response.ReasonPhrase}", id)
                    : new ProviderAnswer(ProviderResult.Unknown, Say($"{(int)response.StatusCode} without an id of the message"));
            }

            var words = $"{(int)response.StatusCode} {await WordsAsync(response, stop)}";
            return AnswerOf(response.StatusCode, words);
        }
        catch (HttpRequestException e)
            when (e.HttpRequestError is HttpRequestError.ConnectionError or HttpRequestError.NameResolutionError or HttpRequestError.SecureConnectionError)
        {
            return ProviderAnswer.Away(Say($"The text gateway cannot be reached: {e.Message}"));
        }
        catch (Exception e) when (NoAnswer.Is(e, stop))
        {
            return new ProviderAnswer(ProviderResult.Unknown, Say($"The text gateway did not answer: {e.Message}"));
        }
    }

    /// <inheritdoc/>
    public Task<LookedUp> LookUpAsync(string key, CancellationToken stop) =>
        HttpLookUp.AskAsync(http, $"messages/by-key/{Uri.EscapeDataString(key)}", async (response, s) => await IdOfAsync(response, s) ?? key, stop);

    /// <summary>Of an error inside the gateway, or between it and us (500, 502, 504), nobody can say how far it had come.</summary>
    private static ProviderAnswer AnswerOf(HttpStatusCode status, string words) =>
        status switch
        {
            HttpStatusCode.Unauthorized or HttpStatusCode.Forbidden => ProviderAnswer.Away(words),
            HttpStatusCode.TooManyRequests or HttpStatusCode.RequestTimeout or HttpStatusCode.Conflict or HttpStatusCode.ServiceUnavailable => new(
                ProviderResult.NotTaken,
                words
            ),
            >= HttpStatusCode.InternalServerError => new(ProviderResult.Unknown, words),
            _ => new(ProviderResult.Refused, words),
        };

    private static async Task<string?> IdOfAsync(HttpResponseMessage response, CancellationToken stop)
    {
        try
        {
            return (await response.Content.ReadFromJsonAsync<Taken>(stop))?.Id is { Length: > 0 } id ? id : null;
        }
        catch (Exception e) when (e is System.Text.Json.JsonException or NotSupportedException)
        {
            return null;
        }
    }

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
