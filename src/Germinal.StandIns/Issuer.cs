using System.Buffers.Text;
using System.Collections.Concurrent;
using System.Net;
using System.Security.Cryptography;
using System.Text;

namespace Germinal.StandIns;

/// <summary>
/// Somebody who gives out tokens for mail servers, as a provider does: OAuth 2 (RFC 6749) with PKCE (RFC 7636), found by its metadata (RFC 8414), asked about a token by mail servers
/// (RFC 7662). Each token that gets others works once. Whoever asks is let go on without a password, since nobody real is here.
/// </summary>
internal sealed class Issuer(string url)
{
    private const int Bytes = 24;
    private static readonly TimeSpan CodeLife = TimeSpan.FromMinutes(5);
    private static readonly TimeSpan AccessLife = TimeSpan.FromHours(1);

    private sealed record Given(string Address, string Client, string Challenge, string Back, DateTimeOffset Until);

    private readonly ConcurrentDictionary<string, Given> codes = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<string, Given> access = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<string, Given> refresh = new(StringComparer.Ordinal);

    /// <summary>Adds its pages.</summary>
    public void Map(WebApplication app)
    {
        app.MapGet(
            "/issuer/.well-known/openid-configuration",
            () =>
                Results.Json(
                    new Dictionary<string, object>
                    {
                        ["issuer"] = $"{url}/issuer",
                        ["authorization_endpoint"] = $"{url}/issuer/authorize",
                        ["token_endpoint"] = $"{url}/issuer/token",
                        ["introspection_endpoint"] = $"{url}/issuer/introspect",
                        ["response_types_supported"] = new[] { "code" },
                        ["code_challenge_methods_supported"] = new[] { "S256" },
                    }
                )
        );
        app.MapGet("/issuer/authorize", Ask);
        app.MapGet("/issuer/yes", Yes);
        app.MapPost("/issuer/token", (Delegate)TokenAsync);
        app.MapPost("/issuer/introspect", (Delegate)IntrospectAsync);
        app.MapGet("/issuer/introspect", (string? token) => About(token ?? ""));
        app.MapPost(
            "/issuer/take-back",
            () =>
            {
                access.Clear();
                refresh.Clear();
                return Results.NoContent();
            }
        );
    }

    private static string New() => Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(Bytes));

    /// <summary>The page on which somebody says yes or no.</summary>
    private static IResult Ask(HttpContext http)
    {
        var asked = http.Request.Query;
        if (asked["response_type"] != "code" || asked["code_challenge_method"] != "S256" || asked["code_challenge"].ToString().Length == 0 || !Uri.TryCreate(asked["redirect_uri"], UriKind.Absolute, out _))
        {
            return Results.BadRequest("Ask for a code, with a challenge (S256) and an address to lead back to.");
        }

        var client = WebUtility.HtmlEncode(asked["client_id"].ToString());
        var who = WebUtility.HtmlEncode(asked["login_hint"].ToString());
        var no = WebUtility.HtmlEncode($"{asked["redirect_uri"]}?error=access_denied&error_description=Not+allowed&state={Uri.EscapeDataString(asked["state"].ToString())}");
        var yes = WebUtility.HtmlEncode($"/issuer/yes{http.Request.QueryString}");
        return Results.Content(
            $"""
            <!doctype html><html lang="en"><title>May it?</title><meta name="viewport" content="width=device-width">
            <body style="font: 16px/1.5 sans-serif; max-width: 34em; margin: 4em auto; padding: 0 1em">
            <main><h1>May “{client}” read and send mail as {who}?</h1><p>This is a stand-in for a mail provider; nobody real is here.</p>
            <p><a href="{yes}">Yes, it may</a> &nbsp; <a href="{no}">No</a></p></main></body></html>
            """,
            "text/html; charset=utf-8"
        );
    }

    private IResult Yes(HttpContext http)
    {
        var asked = http.Request.Query;
        if (!Uri.TryCreate(asked["redirect_uri"], UriKind.Absolute, out var back))
        {
            return Results.BadRequest("There is no address to lead back to.");
        }

        var code = New();
        codes[code] = new Given(asked["login_hint"].ToString(), asked["client_id"].ToString(), asked["code_challenge"].ToString(), back.ToString(), DateTimeOffset.UtcNow + CodeLife);
        return Results.Redirect($"{back}?code={code}&state={Uri.EscapeDataString(asked["state"].ToString())}");
    }

    private async Task<IResult> TokenAsync(HttpContext http)
    {
        var form = await http.Request.ReadFormAsync(http.RequestAborted);
        string Said(string name) => form[name].ToString();
        var client = Said("client_id") is { Length: > 0 } id ? id : ClientOf(http);
        var given =
            Said("grant_type") switch
            {
                "authorization_code" when codes.TryRemove(Said("code"), out var one) && one.Until > DateTimeOffset.UtcNow && one.Back == Said("redirect_uri") && Fits(one.Challenge, Said("code_verifier")) => one,
                "refresh_token" when refresh.TryRemove(Said("refresh_token"), out var one) => one,
                _ => null,
            };
        if (given is null || given.Client != client)
        {
            return Results.Json(new { error = "invalid_grant", error_description = "This was used already, or was never given." }, statusCode: StatusCodes.Status400BadRequest);
        }

        var (token, next) = (New(), New());
        access[token] = given with { Until = DateTimeOffset.UtcNow + AccessLife };
        refresh[next] = given;
        return Results.Json(
            new Dictionary<string, object>
            {
                ["access_token"] = token,
                ["token_type"] = "Bearer",
                ["expires_in"] = (int)AccessLife.TotalSeconds,
                ["refresh_token"] = next,
            }
        );
    }

    /// <summary>Clients name themselves in the form, or in the header (RFC 6749, 2.3.1).</summary>
    private static string ClientOf(HttpContext http)
    {
        var header = http.Request.Headers.Authorization.ToString();
        try
        {
            return header.StartsWith("Basic ", StringComparison.Ordinal) ? Uri.UnescapeDataString(Encoding.UTF8.GetString(Convert.FromBase64String(header[6..])).Split(':')[0]) : "";
        }
        catch (FormatException)
        {
            return "";
        }
    }

    private static bool Fits(string challenge, string verifier) => Base64Url.EncodeToString(SHA256.HashData(Encoding.ASCII.GetBytes(verifier))) == challenge;

    private async Task<IResult> IntrospectAsync(HttpContext http) => About((await http.Request.ReadFormAsync(http.RequestAborted))["token"].ToString());

    private IResult About(string token) =>
        access.TryGetValue(token, out var given) && given.Until > DateTimeOffset.UtcNow
            ? Results.Json(
                new Dictionary<string, object>
                {
                    ["active"] = true,
                    ["username"] = given.Address,
                    ["email"] = given.Address,
                    ["client_id"] = given.Client,
                    ["scope"] = "mail",
                }
            )
            : Results.Json(new { active = false });
}
