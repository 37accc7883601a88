using System.Net;
using Germinal.Channels;
using Germinal.Core.Words;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>
/// Pages that recipients reach without signing in, by signed links only. An unsubscribe link takes effect at once when it
/// is confirmed by a press or posted by a mail program (RFC 8058); a mere look by a link scanner changes nothing.
/// </summary>
public static class PublicPages
{
    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapGet("/u/{token}", Show).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Pages);
        app.MapPost("/u/{token}", Leave).ExcludeFromDescription().DisableAntiforgery().RequireRateLimiting(PublicBrake.Pages);
        app.MapGet(
                "/i/{id:guid}",
                async (Guid id, GerminalDb db, HttpContext http, CancellationToken stop) =>
                {
                    var image = await db.Images.IgnoreQueryFilters().AsNoTracking().FirstOrDefaultAsync(i => i.Id == id, stop);
                    if (image is null)
                    {
                        return Results.NotFound();
                    }

                    http.Response.Headers.CacheControl = "public, max-age=31536000, immutable";
                    return Results.Bytes(image.Content, image.ContentType);
                }
            )
            .ExcludeFromDescription()
            .RequireRateLimiting(PublicBrake.Letters);
    }

    private static async Task<(TouchRow Touch, PersonRow Person, PracticeRow Practice)?> FindAsync(
        string token,
        PublicLinks links,
        GerminalDb db,
        CancellationToken stop
    )
    {
        if (links.TryRead(token) is not { } id)
        {
            return null;
        }

        var touch = await db.Touches.IgnoreQueryFilters().AsNoTracking().FirstOrDefaultAsync(t => t.Id == id, stop);
        if (touch is null)
        {
            return null;
        }

        db.PracticeId = touch.PracticeId;

        // Whoever reads a letter leaves for themselves, whomever it is about; a member of the practice is no person, and has no such link.
        var reader = touch.ReaderId ?? touch.PersonId;
        if (await db.People.AsNoTracking().FirstOrDefaultAsync(p => p.Id == reader, stop) is not { } person)
        {
            return null;
        }

        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == touch.PracticeId, stop);
        return (touch, person, practice);
    }

    private static async Task<IResult> Show(string token, PublicLinks links, GerminalDb db, CancellationToken stop)
    {
        if (await FindAsync(token, links, db, stop) is not { } found)
        {
            return NotOurs();
        }

        var latest = await LatestAsync(db, found.Person.Id, stop);
        return latest == false
            ? Html(
                Said("You get no more of these emails"),
                $"<p>{Say($"{Encode(found.Practice.Name)} will not write to")} <b>{Encode(Masked(found.Person.Email))}</b> {Said("any more. If you change your mind, just tell them.")}</p>"
            )
            : Html(
                Say($"Emails from {found.Practice.Name}"),
                $"<p>{Said("Stop emails to")} <b>{Encode(Masked(found.Person.Email))}</b>{Said("? It takes effect at once.")}</p><form method=\"post\"><input type=\"hidden\" name=\"from\" value=\"page\"><button type=\"submit\">{Said("Stop these emails")}</button></form>"
            );
    }

    private static async Task<IResult> Leave(string token, HttpRequest request, PublicLinks links, GerminalDb db, CancellationToken stop)
    {
        if (await FindAsync(token, links, db, stop) is not { } found)
        {
            return NotOurs();
        }

        var form = request.HasFormContentType ? await request.ReadFormAsync(stop) : null;
        var oneClick = form?["List-Unsubscribe"].ToString() == "One-Click";
        if (!oneClick && form?["from"].ToString() != "page")
        {
            return Results.BadRequest(Said("A one-click unsubscription posts List-Unsubscribe=One-Click (RFC 8058)."));
        }

        // Pressed twice at one moment is one no.
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await PersonLock.TakeAsync(db, found.Person.Id, stop);
        if (await LatestAsync(db, found.Person.Id, stop) != false)
        {
            var desk = new PeopleDesk(db, Said("the recipient"), await PracticeClock.NowAsync(db, stop));
            await desk.AddConsentAsync(
                found.Person.Id,
                "email",
                "commercial",
                null,
                false,
                "express",
                oneClick ? Said("one-click in their mail program") : Said("the unsubscribe page"),
                Say($"touch {found.Touch.Id}"),
                stop
            );
        }

        await transaction.CommitAsync(stop);
        return oneClick
            ? Results.Text("Unsubscribed.")
            : Html(
                Said("You get no more of these emails"),
                $"<p>{Say($"{Encode(found.Practice.Name)} will not write to")} <b>{Encode(Masked(found.Person.Email))}</b> {Said("any more.")}</p>"
            );
    }

    /// <summary>The newest word on commercial email over all topics: true in, false out, null none.</summary>
    private static Task<bool?> LatestAsync(GerminalDb db, Guid person, CancellationToken stop) =>
        db
            .Consent.AsNoTracking()
            .Where(c => c.PersonId == person && c.Channel == "email" && c.Topic == null && c.Purpose != "transactional")
            .OrderByDescending(c => c.At)
            .ThenByDescending(c => c.Id)
            .Select(c => (bool?)c.IsIn)
            .FirstOrDefaultAsync(stop);

    private static string Masked(string? email) =>
        email is null || email.IndexOf('@', StringComparison.Ordinal) is not (> 0 and var at) ? "you" : $"{email[0]}…{email[at..]}";

    /// <summary>Words as HTML.</summary>
    internal static string Encode(string text) => WebUtility.HtmlEncode(text);

    /// <summary>The page of a link that is forged, altered or cut short.</summary>
    internal static IResult NotOurs() =>
        Html(
            Said("This link is not one of ours"),
            $"<p>{Said("It may have been cut short. Use the link in the email as it is, or answer the email and say that you want no more.")}</p>",
            404
        );

    /// <summary>A page in the plain dress of the public ones.</summary>
    internal static IResult Html(string title, string body, int status = 200) =>
        Results.Content(
            $"<!doctype html><html lang=\"{Tongue.Spoken.Language}\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\"><meta name=\"robots\" content=\"noindex\"><title>{Encode(title)}</title><link rel=\"stylesheet\" href=\"/public.css\"></head><body><main><h1>{Encode(title)}</h1>{body}</main></body></html>",
            "text/html; charset=utf-8",
            statusCode: status
        );
}
