using System.Collections.Concurrent;
using System.Net;
using System.Security.Cryptography;
using System.Text.Json;

namespace Germinal.StandIns;

/// <summary>A post that stands on the board.</summary>
/// <param name="Number">Its place, from 1.</param>
/// <param name="Key">The sender's key.</param>
/// <param name="Words">What it says.</param>
/// <param name="Place">Where it is to stand; empty for the board itself.</param>
/// <param name="PictureType">The kind of its picture; empty for none.</param>
/// <param name="PictureWords">What the picture shows.</param>
/// <param name="Picture">The picture; empty for none.</param>
public sealed record Pinned(int Number, string Key, string Words, string Place, string PictureType, string PictureWords, byte[] Picture);

/// <summary>
/// A public board that stands in for any public place: takes posts under their keys and shows them. docs/post-gateway.md says how it is
/// spoken to. What is on it is kept in a file, so that it outlives a restart.
/// </summary>
internal sealed class Board
{
    private const string Token = "board-token";

    private readonly string file;
    private readonly Failing failing;
    private readonly ConcurrentDictionary<string, Pinned> byKey = new(StringComparer.Ordinal);
    private readonly Lock pinning = new();

    /// <param name="folder">Where the file is; made if it is not there.</param>
    /// <param name="failing">Which calls are answered 503 or 429 for now.</param>
    public Board(string folder, Failing failing)
    {
        Directory.CreateDirectory(folder);
        (file, this.failing) = (Path.Combine(folder, "board.jsonl"), failing);
        foreach (var line in File.Exists(file) ? File.ReadLines(file) : [])
        {
            // A line cut short by a crash belongs to a post that was never acknowledged.
            if (line.EndsWith('}') && JsonSerializer.Deserialize<Pinned>(line) is { } post)
            {
                byKey[post.Key] = post;
            }
        }
    }

    public void Map(WebApplication app)
    {
        app.MapPost("/board/posts", TakeAsync);
        app.MapGet("/board/posts/by-key/{key}", (string key, HttpRequest request) => byKey.TryGetValue(key, out var post) ? Results.Ok(new { address = AddressOf(request, post) }) : Results.NotFound());
        app.MapGet("/board/posts", () => Results.Ok(byKey.Values.OrderBy(p => p.Number).Select(p => new { p.Number, p.Key, p.Words, p.Place, picture = p.Picture.Length, p.PictureWords })));
        app.MapGet("/board/posts/{number:int}/picture", (int number) => byKey.Values.FirstOrDefault(p => p.Number == number) is { Picture.Length: > 0 } p ? Results.Bytes(p.Picture, p.PictureType) : Results.NotFound());
        app.MapGet("/board/posts/{number:int}", Show);
    }

    private async Task<IResult> TakeAsync(HttpRequest request)
    {
        var key = request.Headers["Idempotency-Key"].ToString();
        if (request.Headers.Authorization.ToString() is { Length: > 0 } given && given != $"Bearer {Token}")
        {
            return Results.Problem("This token is not known here.", statusCode: 401);
        }

        if (key.Length == 0)
        {
            return Results.Problem("A post needs an Idempotency-Key.", statusCode: 400);
        }

        using var json = await JsonDocument.ParseAsync(request.Body, cancellationToken: request.HttpContext.RequestAborted);
        string Text(JsonElement of, string name) => of.TryGetProperty(name, out var value) ? value.GetString() ?? "" : "";
        var words = Text(json.RootElement, "words");
        if (words.Trim().Length == 0 || words.Length > 2000)
        {
            return Results.Problem($"The board takes 1 to 2,000 letters; this post has {words.Length}.", statusCode: 422);
        }

        if (!byKey.ContainsKey(key) && failing.Refuses())
        {
            return Results.Problem("Busy; try again.", statusCode: RandomNumberGenerator.GetInt32(2) == 0 ? 503 : 429);
        }

        var picture = json.RootElement.TryGetProperty("picture", out var p) ? p : default;
        lock (pinning)
        {
            if (!byKey.TryGetValue(key, out var post))
            {
                var hasPicture = picture.ValueKind == JsonValueKind.Object;
                post = new Pinned(byKey.Count + 1, key, words, Text(json.RootElement, "place"), hasPicture ? Text(picture, "type") : "", hasPicture ? Text(picture, "words") : "", hasPicture ? picture.GetProperty("content").GetBytesFromBase64() : []);
                File.AppendAllText(file, JsonSerializer.Serialize(post) + "\n");
                byKey[key] = post;
            }

            return Results.Json(new { address = AddressOf(request, post) }, statusCode: 201);
        }
    }

    private IResult Show(int number)
    {
        if (byKey.Values.FirstOrDefault(p => p.Number == number) is not { } post)
        {
            return Results.NotFound();
        }

        var picture = post.Picture.Length > 0 ? $"<p><img src=\"/board/posts/{number}/picture\" alt=\"{WebUtility.HtmlEncode(post.PictureWords)}\" style=\"max-width:100%\"></p>" : "";
        var place = post.Place.Length > 0 ? $"<p>{WebUtility.HtmlEncode(post.Place)}</p>" : "";
        return Results.Content(
            $"<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>On the board</title><body style=\"font:17px/1.5 serif;max-width:34em;margin:3em auto\">{place}{picture}<p style=\"white-space:pre-line\">{WebUtility.HtmlEncode(post.Words)}</p></body></html>",
            "text/html; charset=utf-8"
        );
    }

    private static string AddressOf(HttpRequest request, Pinned post) => $"{request.Scheme}://{request.Host}/board/posts/{post.Number}";
}
