using System.Security.Cryptography;
using System.Text;
using System.Text.Json;

namespace Germinal.StandIns;

/// <summary>
/// A text gateway that stands in for a real one: takes texts under their keys, tells by signed webhook what became of them,
/// and passes on what people write. docs/text-gateway.md says how it is spoken to.
/// </summary>
/// <param name="box">Where texts are kept.</param>
/// <param name="hook">Where news goes; null: nowhere.</param>
/// <param name="keyFile">The key that signs news; made by whoever receives it.</param>
/// <param name="http">For calling the hook.</param>
/// <param name="failing">Which calls are answered 503 or 429 for now.</param>
internal sealed class Gateway(TextBox box, string? hook, string keyFile, HttpClient http, Failing failing)
{
    public void Map(WebApplication app)
    {
        app.MapPost("/texts/messages", TakeAsync);
        app.MapGet("/texts/messages/by-key/{key}", (string key) => box.Find(key) is { } t ? Results.Ok(new { id = t.Id }) : Results.NotFound());
        app.MapGet("/texts/messages", (int? most) => Results.Ok(new { total = box.Count, messages = box.List(Math.Clamp(most ?? 50, 1, 10_000)) }));
        app.MapPost(
            "/texts/write",
            async (JsonElement body) =>
            {
                return await WriteAsync(
                    body.GetProperty("from").GetString()!,
                    body.GetProperty("body").GetString()!,
                    body.TryGetProperty("to", out var to) ? to.GetString() ?? "" : ""
                )
                    ? Results.NoContent()
                    : Results.StatusCode(502);
            }
        );
    }

    /// <summary>Somebody writes to us.</summary>
    /// <returns>Whether it was taken in.</returns>
    /// <param name="from">Their number.</param>
    /// <param name="body">What they write.</param>
    /// <param name="to">The number of ours they write to; empty for the gateway's own.</param>
    public Task<bool> WriteAsync(string from, string body, string to = "")
    {
        var text = box.Write(from, body, to);
        return TellAsync(
            new
            {
                type = "message.received",
                id = text.Id,
                from = text.From,
                to = text.To.Length > 0 ? text.To : null,
                body = text.Body,
            }
        );
    }

    private async Task<IResult> TakeAsync(HttpRequest request)
    {
        using var json = await JsonDocument.ParseAsync(request.Body, cancellationToken: request.HttpContext.RequestAborted);
        var (to, body) = (json.RootElement.GetProperty("to").GetString() ?? "", json.RootElement.GetProperty("body").GetString() ?? "");
        var key = request.Headers["Idempotency-Key"].ToString();
        if (key.Length == 0)
        {
            return Results.Problem("A message needs an Idempotency-Key.", statusCode: 400);
        }

        if (to is not ['+', ..] || to.Length is < 8 or > 16 || !to[1..].All(char.IsAsciiDigit))
        {
            return Results.Problem($"“{to}” is no number in international form (E.164).", statusCode: 422);
        }

        if (box.Find(key) is null && failing.Refuses())
        {
            return Results.Problem("Busy; try again.", statusCode: RandomNumberGenerator.GetInt32(2) == 0 ? 503 : 429);
        }

        var (text, isNew) = box.Take(key, to, body, json.RootElement.TryGetProperty("from", out var own) ? own.GetString() ?? "" : "");
        if (isNew)
        {
            _ = ReportAsync(text);
        }

        return Results.Accepted(value: new { id = text.Id });
    }

    /// <summary>Numbers that end in 0199 exist nowhere, the others get everything.</summary>
    private Task<bool> ReportAsync(TakenText text) =>
        text.To.EndsWith("0199", StringComparison.Ordinal)
            ? TellAsync(
                new
                {
                    type = "message.failed",
                    id = text.Id,
                    key = text.Key,
                    permanent = true,
                    reason = "no such number",
                }
            )
            : TellAsync(
                new
                {
                    type = "message.delivered",
                    id = text.Id,
                    key = text.Key,
                }
            );

    /// <summary>Calls the hook until it answers, a few times with growing waits.</summary>
    private async Task<bool> TellAsync(object news)
    {
        if (hook is null || !File.Exists(keyFile))
        {
            return false;
        }

        var body = JsonSerializer.Serialize(news);
        var id = $"n{Guid.NewGuid():N}";
        for (var attempt = 0; attempt < 5; attempt++)
        {
            try
            {
                var time = DateTimeOffset.UtcNow.ToUnixTimeSeconds();
                using var request = new HttpRequestMessage(HttpMethod.Post, hook) { Content = new StringContent(body, Encoding.UTF8, "application/json") };
                request.Headers.Add("webhook-id", id);
                request.Headers.Add("webhook-timestamp", time.ToString(System.Globalization.CultureInfo.InvariantCulture));
                request.Headers.Add(
                    "webhook-signature",
                    "v1," + Convert.ToBase64String(HMACSHA256.HashData(await File.ReadAllBytesAsync(keyFile), Encoding.UTF8.GetBytes($"{id}.{time}.{body}")))
                );
                using var response = await http.SendAsync(request);
                if (response.IsSuccessStatusCode)
                {
                    return true;
                }
            }
            catch (HttpRequestException)
            {
                // Not up yet, or just restarting.
            }

            await Task.Delay(TimeSpan.FromMilliseconds(300 << attempt));
        }

        return false;
    }
}
