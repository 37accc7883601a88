using Germinal.Channels;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Forms;
using Germinal.Service.Incoming;
using Germinal.Service.Landings;
using Germinal.Store;
using Germinal.Web.Hosting;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>Letters of practices as pages for everybody. Opened ones are counted without a cookie, and nothing is kept of whoever opened them.</summary>
public static class PublicLandings
{
    /// <summary>Where they are.</summary>
    public const string Root = PublicLinks.LandingRoot;

    public static void Map(IEndpointRouteBuilder app) => app.MapGet(Root + "/{slug}", Show).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Letters);

    private static async Task<IResult> Show(string slug, HttpContext http, GerminalDb db, LandingShelf shelf, LandingWriter writer, FormShelf forms, FormTokens tokens, PublicLinks links, CancellationToken stop)
    {
        if (await shelf.FindAsync(db, slug, stop) is not { } shown)
        {
            return PublicPages.Html(Said("There is no such page"), $"<p>{Said("Its address may have been cut short, or it was taken back. Ask whoever gave it to you.")}</p>", 404);
        }

        var practice = await PracticeReading.LoadAsync(db, stop);
        var now = await PracticeClock.NowAsync(db, stop);
        var by = http.Request.Query["by"].ToString();
        var reader = await ReaderOf.FindAsync(db, links, by, PublicForms.LinkWorks, now, stop);
        var (words, _) = writer.Fill(shown.Words, reader?.FirstName, practice, now);
        words = reader is null ? words : LandingHtml.ForReader(words, reader.TouchId, links);
        var address = links.Landing(shown.Slug);
        var form = shown.Words.Form is { } name ? await FormAsync(db, name, address, reader, reader is null ? null : by, forms, tokens, now, stop) : "";

        // Members who look at their own page are no visitors; nor are programs that look ahead.
        if (http.User.Identity?.IsAuthenticated != true && !PublicCalls.IsPrefetch(http.Request) && !LinkVisits.IsMachine(PublicCalls.Agent(http.Request)))
        {
            await LandingShelf.CountAsync(db, shown.Id, reader?.TouchId, now.InZone(practice.Zone).Date, stop);
        }

        return Results.Content(LandingHtml.Page(shown.Version, words, form, address, await db.OwnPracticeAsync(stop), links), "text/html; charset=utf-8");
    }

    /// <summary>The form that stands in a page, open or closed; nothing where it was taken back.</summary>
    private static async Task<string> FormAsync(GerminalDb db, string slug, string address, ReaderOf? reader, string? by, FormShelf forms, FormTokens tokens, Instant now, CancellationToken stop)
    {
        var practice = db.PracticeId;
        if (await forms.FindAsync(db, slug, stop) is not { } form || form.PracticeId != practice)
        {
            db.PracticeId = practice;
            return "";
        }

        var head = $"<h2>{PublicPages.Encode(form.Form.Heading)}</h2>";
        return PublicForms.ClosedWords(form, now) is { } closed
            ? head + closed
            : head + FormHtml.Inside(form.Form, PublicForms.Showing(form, tokens, reader, by, address, []));
    }

    /// <summary>The form of a page that is not shown yet, which is sent nowhere.</summary>
    internal static async Task<string> FormPreviewAsync(GerminalDb db, string slug, FormShelf forms, CancellationToken stop)
    {
        var practice = db.PracticeId;
        var form = await forms.FindAsync(db, slug, stop);
        db.PracticeId = practice;
        return form is null || form.PracticeId != practice ? "" : $"<h2>{PublicPages.Encode(form.Form.Heading)}</h2>{FormHtml.Inside(form.Form, new FormShowing(null, null))}";
    }
}
