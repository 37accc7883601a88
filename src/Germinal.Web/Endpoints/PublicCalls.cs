using Germinal.Channels;
using Germinal.Channels.Texts;
using Germinal.Service.Incoming;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>
/// Addresses that letters and providers call: a letter's links and its picture, and the text gateway's news. All of them
/// are signed; what is forged or altered changes nothing, gets 404 or 401, and the principal is told.
/// </summary>
public static class PublicCalls
{
    private const int LargestNews = 64 * 1024;

    // The smallest picture there is: one transparent point.
    private static readonly byte[] Point = Convert.FromBase64String("R0lGODlhAQABAIAAAAAAAP///yH5BAEAAAAALAAAAAABAAEAAAIBRAA7");

    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapGet("/l/{token}", FollowAsync).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Letters);
        app.MapGet("/s/{code}", FollowShortAsync).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Letters);
        app.MapGet("/o/{token}.gif", OpenAsync).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Letters);
        app.MapPost("/hooks/texts", TakeNewsAsync).ExcludeFromDescription().DisableAntiforgery().RequireRateLimiting(PublicBrake.Hooks);
    }

    private static async Task<IResult> FollowAsync(
        string token,
        HttpRequest request,
        PublicLinks links,
        LinkVisits visits,
        GerminalDb db,
        CancellationToken stop
    )
    {
        if (links.TryReadLink(token) is not { } link)
        {
            await Notices.ForgeryAsync(db, null, Said("a link"), stop);
            return PublicPages.NotOurs();
        }

        var address = await visits.FollowedAsync(link.TouchId, link.Place, Agent(request), IsPrefetch(request), stop);
        return address is null ? PublicPages.NotOurs() : Results.Redirect(ForReader(address, link.TouchId, links), permanent: false);
    }

    /// <summary>The pages of ours that are shown as their reader's.</summary>
    private static readonly string[] Personal = [PublicForms.Root, PublicMeetings.Root, PublicLandings.Root, PublicFilms.Root];

    /// <summary>Whether a path is that of a page that is shown as its reader's.</summary>
    internal static bool IsPersonal(string path) =>
        Personal.Any(root => path.StartsWith(root + "/", StringComparison.Ordinal) && path.Length < 200 && path[(root.Length + 1)..].All(c => char.IsAsciiLetterOrDigit(c) || c == '-'));

    /// <summary>An address that letters lead to; a page of ours is shown as the reader's.</summary>
    internal static string ForReader(string address, Guid touch, PublicLinks links) =>
        Personal.Any(root => address.StartsWith($"{links.BaseUrl}{root}/", StringComparison.Ordinal))
            ? Microsoft.AspNetCore.WebUtilities.QueryHelpers.AddQueryString(address, "by", links.Reader(touch))
            : address;

    private static async Task<IResult> FollowShortAsync(string code, HttpRequest request, PublicLinks links, LinkVisits visits, GerminalDb db, CancellationToken stop)
    {
        var link = await db.ShortLinks.IgnoreQueryFilters().AsNoTracking().FirstOrDefaultAsync(l => l.Code == code, stop);
        var address = link is null ? null : await visits.FollowedAsync(link.TouchId, link.Place, Agent(request), IsPrefetch(request), stop);
        return address is null ? PublicPages.NotOurs() : Results.Redirect(ForReader(address, link!.TouchId, links), permanent: false);
    }

    private static async Task<IResult> OpenAsync(string token, HttpContext http, PublicLinks links, LinkVisits visits, GerminalDb db, CancellationToken stop)
    {
        if (links.TryReadOpening(token) is not { } touch)
        {
            await Notices.ForgeryAsync(db, null, Said("a letter's picture"), stop);
            return Results.NotFound();
        }

        await visits.OpenedAsync(touch, Agent(http.Request), IsPrefetch(http.Request), stop);
        http.Response.Headers.CacheControl = "no-store";
        return Results.Bytes(Point, "image/gif");
    }

    private static async Task<IResult> TakeNewsAsync(
        HttpRequest request,
        WebhookSigner signer,
        TextReception reception,
        GerminalDb db,
        CancellationToken stop
    )
    {
        if (request.ContentLength is null or > LargestNews)
        {
            return Results.StatusCode(StatusCodes.Status413PayloadTooLarge);
        }

        using var reader = new StreamReader(request.Body);
        var body = await reader.ReadToEndAsync(stop);
        if (
            !signer.IsGenuine(
                request.Headers["webhook-id"],
                request.Headers["webhook-timestamp"],
                request.Headers["webhook-signature"],
                body,
                SystemClock.Instance.GetCurrentInstant()
            )
        )
        {
            await Notices.ForgeryAsync(db, null, Said("the address for texts"), stop);
            return Results.Problem(
                Said("The signature is not the gateway's, or older than five minutes."),
                statusCode: StatusCodes.Status401Unauthorized,
                title: Said("Not signed")
            );
        }

        GatewayNews? news;
        try
        {
            news = System.Text.Json.JsonSerializer.Deserialize<GatewayNews>(body);
        }
        catch (System.Text.Json.JsonException e)
        {
            return Results.Problem(
                Say($"The news is not JSON: {e.Message}"),
                statusCode: StatusCodes.Status400BadRequest
            );
        }

        if (news is not { Type: not null, Id.Length: > 0 })
        {
            return Results.Problem(Said("News needs a type and the id of its message."), statusCode: StatusCodes.Status400BadRequest);
        }

        await reception.TakeAsync(news, stop);
        return Results.NoContent();
    }

    internal static string Agent(HttpRequest request) => request.Headers.UserAgent.ToString();

    /// <summary>Programs that look ahead say so (Sec-Purpose, Fetch specification), or leave everything out that a browser says.</summary>
    internal static bool IsPrefetch(HttpRequest request) =>
        request.Headers["Sec-Purpose"].ToString().Contains("prefetch", StringComparison.OrdinalIgnoreCase)
        || request.Headers["Purpose"] == "prefetch"
        || Agent(request).Length == 0;
}
