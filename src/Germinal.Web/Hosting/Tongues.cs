using Germinal.Core.Words;
using Microsoft.AspNetCore.Localization;

namespace Germinal.Web.Hosting;

/// <summary>Answers each request in the language of whoever asks: the one their browser was left in, else the first of those it asks for that is spoken here.</summary>
public sealed class Tongues(RequestDelegate next)
{
    /// <summary>The cookie in which the pages keep the language, in the form of the framework: <c>c=de-DE|uic=de-DE</c>.</summary>
    public const string Cookie = "germinal-tongue";

    /// <summary>Speaks while the rest of the request is done.</summary>
    public async Task InvokeAsync(HttpContext http)
    {
        using var spoken = Of(http.Request).Speak();
        await next(http);
    }

    internal static Tongue Of(HttpRequest request)
    {
        var kept = request.Cookies[Cookie] is { Length: < 100 } cookie ? CookieRequestCultureProvider.ParseCookieValue(cookie)?.UICultures.FirstOrDefault().Value : null;
        return Tongue.Named(kept) ?? Asked(request) ?? Tongue.British;
    }

    // Of English, the British is spoken unless the American was chosen: which one a browser asks for says little about whoever uses it.
    private static Tongue? Asked(HttpRequest request) =>
        request
            .GetTypedHeaders()
            .AcceptLanguage.OrderByDescending(l => l.Quality ?? 1)
            .Select(l => Tongue.All.FirstOrDefault(t => l.Value.StartsWith(t.Language, StringComparison.OrdinalIgnoreCase)))
            .FirstOrDefault(t => t is not null);
}
