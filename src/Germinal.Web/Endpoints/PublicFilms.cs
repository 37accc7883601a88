using System.Text.Json;
using Germinal.Channels;
using Germinal.Core.Practices;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Films;
using Germinal.Service.Forms;
using Germinal.Service.Incoming;
using Germinal.Service.Letters;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.EntityFrameworkCore;
using Microsoft.Net.Http.Headers;

namespace Germinal.Web.Endpoints;

/// <summary>The page of a film: for whoever a letter led there with their first name, and whom to write to; what they saw of it is told back.</summary>
public static class PublicFilms
{
    /// <summary>Where they are.</summary>
    public const string Root = PublicLinks.FilmRoot;

    private const int MostTold = 4096;
    private const int LongestKey = 40;

    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapGet(Root + "/{slug}", Show).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Letters);
        app.MapGet(Root + "/{slug}/film", Send).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Letters);
        app.MapPost(Root + "/{slug}/seen", Tell).ExcludeFromDescription().DisableAntiforgery().RequireRateLimiting(PublicBrake.Letters);
    }

    private static async Task<IResult> Show(string slug, HttpContext http, GerminalDb db, PublicLinks links, CancellationToken stop)
    {
        if (await FilmShelf.FindAsync(db, slug, stop) is not { } film)
        {
            return PublicPages.Html(Said("There is no such film"), $"<p>{Said("Its address may have been cut short, or it was taken back. Ask whoever gave it to you.")}</p>", 404);
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var by = http.Request.Query["by"].ToString();
        var reader = await ReaderOf.FindAsync(db, links, by, PublicForms.LinkWorks, now, stop);
        var practice = await PracticeReading.LoadAsync(db, stop);
        var member = await MemberAsync(db, practice, reader?.PersonId, stop);
        return Results.Content(await PageAsync(db, film, reader, by, member, links, stop), "text/html; charset=utf-8");
    }

    private static async Task<string> PageAsync(GerminalDb db, FilmRow film, ReaderOf? reader, string by, Member? member, PublicLinks links, CancellationToken stop)
    {
        var path = $"{Root}/{film.Slug}";
        var still = OwnPictures.AddressOf(film.StillId);
        var hello = reader?.FirstName is { Length: > 0 } name ? $"<p>{Say($"For {PublicPages.Encode(name)}.")}</p>" : "";
        var size = film.Width > 0 && film.Height > 0 ? $" width=\"{film.Width}\" height=\"{film.Height}\"" : "";
        var video =
            $"<video id=\"film\" controls playsinline preload=\"metadata\" src=\"{path}/film\"{(still is null ? "" : $" poster=\"{still}\"")}{size} data-tell=\"{path}/seen\" data-key=\"{Guid.NewGuid():N}\"{(reader is null ? "" : $" data-by=\"{PublicPages.Encode(by)}\"")}>"
            + $"<a href=\"{path}/film\">{PublicPages.Encode(film.Name)}</a></video>";
        var words = FormHtml.Paragraphs(film.Words);
        var contact = member is null ? "" : $"<p class=\"contact\">{(member.Photograph is { } face ? $"<img src=\"{face}\" alt=\"\">" : "")}<span><b>{PublicPages.Encode(member.Name)}</b><br><a href=\"mailto:{PublicPages.Encode(member.Email)}\">{PublicPages.Encode(member.Email)}</a></span></p>";
        string Meta(string property, string value) => $"<meta property=\"{property}\" content=\"{PublicPages.Encode(value)}\">";
        var meta = Meta("og:type", "video.other") + Meta("og:title", film.Name) + Meta("og:url", links.Film(film.Slug)) + (still is null ? "" : Meta("og:image", links.BaseUrl + still)) + "<meta name=\"robots\" content=\"noindex\">";
        return FormHtml.Dress(film.Name, $"{hello}{video}{words}{contact}", await db.OwnPracticeAsync(stop), framed: false, script: true, meta);
    }

    /// <summary>Whoever looks after its reader; for somebody unknown whoever stands in for the practice.</summary>
    private static async Task<Member?> MemberAsync(GerminalDb db, Practice practice, Guid? person, CancellationToken stop)
    {
        var owner = person is null ? null : await db.People.Where(p => p.Id == person).Select(p => p.OwnerId).FirstOrDefaultAsync(stop);
        return practice.Members.FirstOrDefault(m => m.Id == owner)
            ?? practice.Members.FirstOrDefault(m => m.Id == practice.FallbackSender)
            ?? (practice.Members.Count > 0 ? practice.Members[0] : null);
    }

    private static async Task<IResult> Send(string slug, HttpContext http, GerminalDb db, FilmShelf shelf, CancellationToken stop)
    {
        if (await FilmShelf.FindAsync(db, slug, stop) is not { } film)
        {
            return Results.NotFound();
        }

        // What is behind an address never changes: a film is brought in anew under another.
        http.Response.Headers.CacheControl = "private, max-age=86400";
        return Results.Stream(await shelf.OpenAsync(film, stop), film.ContentType, entityTag: new EntityTagHeaderValue($"\"{film.Id:N}\""), enableRangeProcessing: true);
    }

    /// <summary>What somebody saw, as their page tells it: <c>{"key": …, "by": …, "seen": [from, until, …]}</c> in seconds.</summary>
    private static async Task<IResult> Tell(string slug, HttpContext http, GerminalDb db, PublicLinks links, CancellationToken stop)
    {
        if (http.Request.ContentLength is null or > MostTold)
        {
            return Results.BadRequest();
        }

        if (await FilmShelf.FindAsync(db, slug, stop) is not { } film)
        {
            return Results.NotFound();
        }

        // Members who look at their own films are no readers, nor are programs.
        if (http.User.Identity?.IsAuthenticated == true || LinkVisits.IsMachine(PublicCalls.Agent(http.Request)))
        {
            return Results.NoContent();
        }

        if (await ReadAsync(http.Request, stop) is not var (key, by, seen))
        {
            return Results.BadRequest();
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var reader = await ReaderOf.FindAsync(db, links, by, PublicForms.LinkWorks, now, stop);
        await FilmShelf.NoteAsync(db, film, reader, key, seen, now, stop);
        return Results.NoContent();
    }

    private static async Task<(string Key, string By, IReadOnlyList<int> Seen)?> ReadAsync(HttpRequest request, CancellationToken stop)
    {
        try
        {
            using var told = await JsonDocument.ParseAsync(request.Body, new JsonDocumentOptions { MaxDepth = 4 }, stop);
            var key = told.RootElement.GetProperty("key").GetString() ?? "";
            var by = told.RootElement.TryGetProperty("by", out var who) ? who.GetString() ?? "" : "";
            var seen = told.RootElement.GetProperty("seen").EnumerateArray().Select(s => s.GetInt32()).Take(2 * FilmShelf.MostStretches).ToList();
            return key.Length is > 0 and <= LongestKey && key.All(char.IsAsciiLetterOrDigit) ? (key, by, seen) : null;
        }
        catch (Exception e) when (e is JsonException or KeyNotFoundException or InvalidOperationException or FormatException)
        {
            return null;
        }
    }
}
