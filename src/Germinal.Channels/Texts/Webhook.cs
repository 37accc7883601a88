using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json.Serialization;
using NodaTime;

namespace Germinal.Channels.Texts;

/// <summary>What a gateway tells.</summary>
/// <param name="Type"><c>message.delivered</c>, <c>message.failed</c> or <c>message.received</c>.</param>
/// <param name="Id">The gateway's id of the message.</param>
/// <param name="Key">The key of a message of ours; null for one that came in.</param>
/// <param name="From">Who wrote, E.164; null for news of ours.</param>
/// <param name="Body">What they wrote.</param>
/// <param name="Permanent">Of one that failed: whether the number will never work.</param>
/// <param name="Reason">Why it failed.</param>
/// <param name="At">Practice time in the demo: when it happened, ISO 8601; null: now.</param>
/// <param name="To">The number of ours they wrote to, E.164; null where the gateway has one number only.</param>
public sealed record GatewayNews(
    [property: JsonPropertyName("type")] string Type,
    [property: JsonPropertyName("id")] string Id,
    [property: JsonPropertyName("key")] string? Key = null,
    [property: JsonPropertyName("from")] string? From = null,
    [property: JsonPropertyName("body")] string? Body = null,
    [property: JsonPropertyName("permanent")] bool Permanent = false,
    [property: JsonPropertyName("reason")] string? Reason = null,
    [property: JsonPropertyName("at")] string? At = null,
    [property: JsonPropertyName("to")] string? To = null
);

/// <summary>
/// Signed webhooks: HMAC-SHA256 over <c>id.timestamp.body</c> in base64, in the headers <c>webhook-id</c>,
/// <c>webhook-timestamp</c> and <c>webhook-signature</c> (the open Standard Webhooks scheme, version <c>v1</c>).
/// </summary>
public sealed class WebhookSigner(byte[] key)
{
    /// <summary>How old a call may be, so that one overheard cannot be repeated later.</summary>
    private static readonly Duration Fresh = Duration.FromMinutes(5);

    /// <summary>The signature of a call.</summary>
    public string Sign(string id, long timestamp, string body) =>
        "v1,"
        + Convert.ToBase64String(HMACSHA256.HashData(key, Encoding.UTF8.GetBytes(string.Create(CultureInfo.InvariantCulture, $"{id}.{timestamp}.{body}"))));

    /// <summary>Whether a call is the gateway's own and fresh. Several signatures may stand side by side, parted by spaces.</summary>
    public bool IsGenuine(string? id, string? timestamp, string? signatures, string body, Instant machineNow)
    {
        if (
            string.IsNullOrEmpty(id)
            || string.IsNullOrEmpty(signatures)
            || !long.TryParse(timestamp, CultureInfo.InvariantCulture, out var seconds)
            || Math.Abs(machineNow.ToUnixTimeSeconds() - (double)seconds) > Fresh.TotalSeconds
        )
        {
            return false;
        }

        var expected = Encoding.ASCII.GetBytes(Sign(id, seconds, body));
        return signatures.Split(' ').Any(s => CryptographicOperations.FixedTimeEquals(Encoding.ASCII.GetBytes(s), expected));
    }
}
