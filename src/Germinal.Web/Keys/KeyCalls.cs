using System.Collections.Concurrent;
using System.Globalization;
using System.Security.Claims;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Authorization;

namespace Germinal.Web.Keys;

/// <summary>
/// What holds for every call by a key: it goes where a right is named and nowhere else, and no more often than so many times a minute, which each
/// answer says (<c>RateLimit</c> and <c>RateLimit-Policy</c>, draft-ietf-httpapi-ratelimit-headers).
/// </summary>
/// <param name="next">What comes after.</param>
/// <param name="settings">How many calls a minute.</param>
internal sealed class KeyCalls(RequestDelegate next, Settings settings)
{
    private const int Window = 60;

    // Of each key the minute it asked in last, and how often.
    private readonly ConcurrentDictionary<string, (long Minute, int Count)> counts = new(StringComparer.Ordinal);

    public async Task InvokeAsync(HttpContext http)
    {
        if (!KeyScheme.IsShown(http) || !http.Request.Path.StartsWithSegments("/api", StringComparison.Ordinal))
        {
            await next(http);
            return;
        }

        if (http.User.FindFirstValue(Caller.KeyIdClaim) is not { } key)
        {
            http.Response.Headers.WWWAuthenticate = "Bearer error=\"invalid_token\"";
            await Refuse(http, StatusCodes.Status401Unauthorized, Said("No such key"), Said("This key opens nothing: it is mistyped, has ended, or was taken back. A principal makes another under The practice, Other programs."));
            return;
        }

        var seconds = DateTimeOffset.UtcNow.ToUnixTimeSeconds();
        var (_, count) = counts.AddOrUpdate(key, _ => (seconds / Window, 1), (_, was) => was.Minute == seconds / Window ? (was.Minute, was.Count + 1) : (seconds / Window, 1));
        var left = Window - (seconds % Window);
        http.Response.Headers["RateLimit-Policy"] = string.Create(CultureInfo.InvariantCulture, $"\"calls\";q={settings.KeyCalls};w={Window}");
        http.Response.Headers["RateLimit"] = string.Create(CultureInfo.InvariantCulture, $"\"calls\";r={Math.Max(0, settings.KeyCalls - count)};t={left}");
        if (count > settings.KeyCalls)
        {
            http.Response.Headers.RetryAfter = left.ToString(CultureInfo.InvariantCulture);
            await Refuse(http, StatusCodes.Status429TooManyRequests, Said("Too many calls"), Say($"This key may be used {settings.KeyCalls} times a minute. Go on in {left} seconds."));
            return;
        }

        if (http.GetEndpoint() is { } endpoint && (endpoint.Metadata.GetMetadata<MembersOnly>() is not null || !endpoint.Metadata.GetOrderedMetadata<IAuthorizeData>().Any(a => Rights.ForKeys.Any(r => r.Name == a.Policy))))
        {
            await Refuse(http, StatusCodes.Status403Forbidden, Said("Not for keys"), Said("This is for members who are signed in, and for no key."));
            return;
        }

        await next(http);
    }

    /// <summary>The mark of what concerns a member's own person, and is for no key.</summary>
    public sealed class MembersOnly;

    private static Task Refuse(HttpContext http, int status, string title, string words) => TypedResults.Problem(words, statusCode: status, title: title).ExecuteAsync(http);
}
