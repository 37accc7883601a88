using System.Text.Json;
using Germinal.Channels;
using Germinal.Core.Forms;
using Germinal.Core.Words;
using Germinal.Service.Clock;
using Germinal.Service.Forms;
using Germinal.Service.Incoming;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>
/// Forms as everybody reaches them: a page of their own, the same within any other page, and what is posted by either or by a plain HTML form. No cookies.
/// </summary>
public static class PublicForms
{
    /// <summary>Where forms are; the one place whose pages may stand in others.</summary>
    public const string Root = PublicLinks.FormRoot;

    /// <summary>How long a link in a letter shows a form as its reader's (from the sending).</summary>
    internal static readonly Duration LinkWorks = Duration.FromDays(90);

    /// <summary>The most a form may be as it is sent, with its files.</summary>
    private const int MostRequest = 55 * 1024 * 1024;

    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapGet(Root + "/{slug}", Show).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Pages);
        app.MapPost(Root + "/{slug}", Take)
            .ExcludeFromDescription()
            .DisableAntiforgery()
            .RequireRateLimiting(PublicBrake.Letters)
            .WithMetadata(new Microsoft.AspNetCore.Mvc.RequestSizeLimitAttribute(MostRequest), new Microsoft.AspNetCore.Mvc.RequestFormLimitsAttribute { MultipartBodyLengthLimit = MostRequest, ValueCountLimit = 400 });
        app.MapGet(Root + "/{slug}/embed.js", Embed).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Letters);
        app.MapPost(OwnLinks.Root, MailOwnLink).ExcludeFromDescription().DisableAntiforgery().RequireRateLimiting(PublicBrake.Pages);
        app.MapGet("/y/{token}", ShowConfirmation).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Pages);
        app.MapPost("/y/{token}", Confirm).ExcludeFromDescription().DisableAntiforgery().RequireRateLimiting(PublicBrake.Pages);
    }

    private static IResult Html(string page, int status = 200) => Results.Content(page, "text/html; charset=utf-8", statusCode: status);

    private static IResult NoForm() => PublicPages.Html(Said("There is no such form"), $"<p>{Said("Its address may have been cut short, or it was taken back. Ask whoever gave it to you.")}</p>", 404);

    private static async Task<IResult> Show(string slug, HttpRequest request, GerminalDb db, FormShelf shelf, FormTokens tokens, PublicLinks links, CancellationToken stop)
    {
        if (await shelf.FindAsync(db, slug, stop) is not { } shown)
        {
            return NoForm();
        }

        var practice = await db.OwnPracticeAsync(stop);
        var framed = request.Query["framed"] == "1";
        var now = await PracticeClock.NowAsync(db, stop);
        if (ClosedWords(shown, now) is { } closed)
        {
            return Html(FormHtml.Says(shown.Form.Heading, closed, practice, framed));
        }

        var by = request.Query["by"].ToString();
        var reader = await ReaderOf.FindAsync(db, links, by, LinkWorks, now, stop);
        var sent = shown
            .Form.Questions.Where(q => q.Kind == QuestionKind.Hidden && request.Query.ContainsKey(q.Id))
            .ToDictionary(q => q.Id, q => (IReadOnlyList<string>)[request.Query[q.Id].ToString()], StringComparer.Ordinal);
        return Html(FormHtml.Page(shown.Form, practice, Showing(shown, tokens, reader, reader is null ? null : by, ComesFrom(request), sent, framed)));
    }

    /// <summary>How a form is shown first: with a fresh mark, and to a letter's reader with their first name.</summary>
    internal static FormShowing Showing(ShownForm shown, FormTokens tokens, ReaderOf? reader, string? by, string? cameFrom, Dictionary<string, IReadOnlyList<string>> sent, bool framed = false)
    {
        foreach (var (question, value) in reader?.Filled(shown.Form) ?? [])
        {
            sent[question] = value;
        }

        var full = shown.Form.Most is { } most && shown.Taken >= most;
        return new FormShowing(
            $"{Root}/{shown.Slug}",
            tokens.Make(shown.Id, SystemClock.Instance.GetCurrentInstant()),
            framed,
            by,
            reader?.Masked(shown.Form),
            cameFrom,
            sent,
            Word: full ? Said("All places are taken. You can put yourself on the waiting list.") : null
        );
    }

    /// <summary>The page the form stands in, or that led to it, without what its address asks for; null for one of ours, or where nobody says.</summary>
    private static string? ComesFrom(HttpRequest request) =>
        Uri.TryCreate(request.Headers.Referer.ToString(), UriKind.Absolute, out var from) && from.Host != request.Host.Host && from.Scheme is "http" or "https"
            ? Channels.IncomingText.KeepLine(from.GetLeftPart(UriPartial.Path), 300)
            : null;

    private static IResult ClosedPage(Form form, PracticeRow practice, bool framed, Instant now) => Html(FormHtml.Says(form.Heading, ClosedHtml(form, now), practice, framed));

    /// <summary>What a form says that takes nothing now; null where it does.</summary>
    internal static string? ClosedWords(ShownForm shown, Instant now) =>
        shown.Form.IsOpen(now, shown.Form is { WaitingList: true, Most: not null } ? 0 : shown.Taken) ? null : ClosedHtml(shown.Form, now);

    private static string ClosedHtml(Form form, Instant now)
    {
        var words = form.Closed.Length > 0 ? form.Closed
            : form.Opens > now ? Said("This form is not open yet.")
            : Said("This form takes no more.");
        return FormHtml.Paragraphs(words) + (form.Opens is { } opens && opens > now ? $"<p>{Say($"It opens on {Moment(opens)}.")}</p>" : "");
    }

    /// <summary>A moment that the page's script says in the reader's own zone and language; without it, in UTC.</summary>
    private static string Moment(Instant at) => $"<time datetime=\"{NodaTime.Text.InstantPattern.ExtendedIso.Format(at)}\">{Tongue.Spoken.Dates.Moment.Format(at.InUtc().LocalDateTime)} UTC</time>";

    private static async Task<IResult> Take(
        string slug,
        HttpRequest request,
        GerminalDb db,
        FormShelf shelf,
        FormTokens tokens,
        FormIntake intake,
        FormBrake brake,
        PublicLinks links,
        CancellationToken stop
    )
    {
        if (await shelf.FindAsync(db, slug, stop) is not { } shown)
        {
            return NoForm();
        }

        if (!request.HasFormContentType)
        {
            return Results.Problem(Said("A form is sent as HTML forms are: application/x-www-form-urlencoded or multipart/form-data."), statusCode: StatusCodes.Status415UnsupportedMediaType);
        }

        if (await PostedAsync(request, stop) is not { } form)
        {
            return Results.Problem(Said("What was sent breaks off, or has more or longer fields than a form has."), statusCode: StatusCodes.Status400BadRequest, title: Said("No form"));
        }

        var practice = await db.OwnPracticeAsync(stop);
        var (fields, files) = await ReadAsync(shown.Form, form, stop);
        var framed = form[FormHtml.FramedField] == "1";
        var mark = form[FormHtml.TokenField].ToString();
        var machine = SystemClock.Instance.GetCurrentInstant();
        var now = await PracticeClock.NowAsync(db, stop);
        var reader = await ReaderOf.FindAsync(db, links, form[FormHtml.ReaderField], LinkWorks, now, stop);
        var answered = reader is null ? fields : reader.FillBlanks(shown.Form, fields);

        // The page as it was sent, with a fresh mark.
        IResult Again(string? word, IReadOnlyDictionary<string, string>? problems) =>
            Html(
                FormHtml.Page(
                    shown.Form,
                    practice,
                    new FormShowing(
                        $"{Root}/{shown.Slug}",
                        tokens.Make(shown.Id, machine),
                        framed,
                        reader is null ? null : form[FormHtml.ReaderField].ToString(),
                        reader?.Masked(shown.Form),
                        form[FormHtml.FromField].ToString() is { Length: > 0 } from ? Channels.IncomingText.KeepLine(from, 300) : ComesFrom(request),
                        fields,
                        problems,
                        word
                    )
                ),
                problems is null ? StatusCodes.Status200OK : StatusCodes.Status422UnprocessableEntity
            );

        if (tokens.TryRead(mark) is not { } token || token.FormId != shown.Id || machine - token.MadeAt > FormDoubts.Longest)
        {
            // A plain HTML form on another site has no mark, and a page that was left open has an old one.
            return Again(mark.Length == 0 ? Said("Please look it through, and send it.") : Said("This page was open for long. What you wrote is still here; please send it again."), null);
        }

        var result = await intake.TakeAsync(
            shown,
            practice,
            new Posted(
                answered,
                files,
                token,
                FormTokens.IsWorked(mark, form[FormHtml.WorkField]),
                form[FormHtml.HiddenField].ToString().Length > 0,
                brake.IsTooMany(shown.Id, Client.Of(request.HttpContext), request.HttpContext.Connection.RemoteIpAddress),
                reader?.TouchId,
                reader?.PersonId,
                form[FormHtml.FromField].ToString() is { Length: > 0 } came && Uri.TryCreate(came, UriKind.Absolute, out _) ? Channels.IncomingText.KeepLine(came, 300) : null
            ),
            now
        );
        return result.Outcome switch
        {
            FormOutcome.Problems => Again(null, result.Answers.Problems),
            FormOutcome.Closed => ClosedPage(shown.Form, practice, framed, now),
            FormOutcome.ConfirmAsked => Html(
                FormHtml.Says(Said("One more step"), $"<p>{Said("We have sent you an email. Follow the link in it and press the button; only then is it sent. The link works for seven days.")}</p>", practice, framed)
            ),
            FormOutcome.OnWaitingList => Html(FormHtml.Says(shown.Form.Heading, $"<p>{Said("You are on the waiting list. We write to you when there is a place.")}</p>", practice, framed)),
            _ => Thanks(shown.Form, practice, framed),
        };
    }

    /// <summary>What was posted; null for what is cut short, malformed or beyond every form.</summary>
    internal static async Task<IFormCollection?> PostedAsync(HttpRequest request, CancellationToken stop)
    {
        try
        {
            return await request.ReadFormAsync(stop);
        }
        catch (Exception e) when (e is InvalidDataException or IOException and not BadHttpRequestException)
        {
            return null;
        }
    }

    private static IResult Thanks(Form form, PracticeRow practice, bool framed)
    {
        if (form.GoOn is { } address && !framed)
        {
            return Results.Redirect(address, permanent: false);
        }

        var words = form.Thanks.Length > 0 ? form.Thanks : Said("Thank you. It has reached us.");
        var on = form.GoOn is { } next ? $"<p><a href=\"{PublicPages.Encode(next)}\" target=\"_top\">{Said("Go on")}</a></p>" : "";
        return Html(FormHtml.Says(Said("Thank you"), FormHtml.Paragraphs(words) + on, practice, framed));
    }

    /// <summary>What was posted: only what the form asks, and files only where it asks for one.</summary>
    private static async Task<(Dictionary<string, IReadOnlyList<string>> Fields, List<SentFile> Files)> ReadAsync(Form form, IFormCollection posted, CancellationToken stop)
    {
        var fields = form
            .Questions.Where(q => q.Kind != QuestionKind.File && posted.ContainsKey(q.Id))
            .ToDictionary(q => q.Id, q => (IReadOnlyList<string>)[.. posted[q.Id].OfType<string>()], StringComparer.Ordinal);
        var files = new List<SentFile>();
        foreach (var question in form.Questions.Where(q => q.Kind == QuestionKind.File))
        {
            if (files.Count < FormIntake.MostFiles && posted.Files.GetFile(question.Id) is { Length: > 0 } file)
            {
                using var memory = new MemoryStream();
                await file.CopyToAsync(memory, stop);
                files.Add(new SentFile(question.Id, Channels.IncomingText.KeepLine(Path.GetFileName(file.FileName.Replace('\\', '/')), 120), memory.ToArray()));
            }
        }

        return (fields, files);
    }

    /// <summary>The few lines that set a form into any other page: a frame of its own that fits its height.</summary>
    private static async Task<IResult> Embed(string slug, GerminalDb db, FormShelf shelf, HttpContext http, CancellationToken stop)
    {
        if (await shelf.FindAsync(db, slug, stop) is not { } shown)
        {
            return Results.NotFound();
        }

        http.Response.Headers.CacheControl = "public, max-age=300";
        http.Response.Headers["Cross-Origin-Resource-Policy"] = "cross-origin";
        return Results.Text(EmbedScript.Replace("“title”", JsonSerializer.Serialize(shown.Form.Heading), StringComparison.Ordinal), "text/javascript; charset=utf-8");
    }

    // Nothing but the frame's own height is listened to. Sizes are set from script, which a strict policy of the page allows.
    private const string EmbedScript = """
        (() => {
          const script = document.currentScript;
          const address = new URL(script.src);
          const frame = document.createElement('iframe');
          const values = new URLSearchParams(script.dataset.values || '');
          values.set('framed', '1');
          frame.src = address.origin + address.pathname.replace(/\/embed\.js$/, '') + '?' + values;
          frame.title = “title”;
          frame.setAttribute('sandbox', 'allow-forms allow-scripts allow-popups allow-top-navigation-by-user-activation');
          frame.style.width = '100%';
          frame.style.border = '0';
          frame.style.height = '480px';
          window.addEventListener('message', (event) => {
            if (event.source !== frame.contentWindow) return;
            const height = Number(event.data && event.data.formHeight);
            if (height > 0) frame.style.height = Math.min(20000, Math.ceil(height)) + 'px';
          });
          script.after(frame);
        })();
        """;

    /// <summary>Mails whoever a page is shown to a link by which they see all that is known of them.</summary>
    private static async Task<IResult> MailOwnLink(HttpRequest request, GerminalDb db, PublicLinks links, CancellationToken stop)
    {
        if (!request.HasFormContentType || await PostedAsync(request, stop) is not { } posted)
        {
            return Results.Problem(Said("A link is asked for by an HTML form."), statusCode: StatusCodes.Status400BadRequest, title: Said("No form"));
        }

        var (by, page) = (posted[FormHtml.ReaderField].ToString(), posted[FormHtml.PageField].ToString());
        if (links.TryReadReader(by) is not { } touch || !PublicCalls.IsPersonal(page))
        {
            await Notices.ForgeryAsync(db, null, Said("a form"), stop);
            return PublicPages.NotOurs();
        }

        await OwnLinks.MailAsync(db, links, touch, page, LinkWorks, stop);
        return PublicPages.Html(Said("We have sent you a mail"), $"<p>{Said("It went to the address your letter came to. The link in it shows the page with all that we have of you; it works until tomorrow.")}</p>");
    }

    private sealed record Asked(SubmissionRow Row, ShownForm? Shown, PracticeRow Practice, string? Over);

    private static async Task<Asked?> AskedAsync(string token, PublicLinks links, GerminalDb db, CancellationToken stop)
    {
        if (
            links.TryReadFormConfirmation(token) is not { } id
            || await db.Submissions.IgnoreQueryFilters().AsNoTracking().FirstOrDefaultAsync(s => s.Id == id, stop) is not { } row
        )
        {
            return null;
        }

        db.PracticeId = row.PracticeId;
        var form = await db.Forms.AsNoTracking().SingleAsync(f => f.Id == row.FormId, stop);
        return new Asked(row, FormShelf.Of(form), await db.OwnPracticeAsync(stop), await FormIntake.OverAsync(db, row, await PracticeClock.NowAsync(db, stop), stop));
    }

    private static IResult IsOver(Asked asked) => Html(FormHtml.Says(Said("This link is over"), $"<p>{PublicPages.Encode(asked.Over!)}</p>", asked.Practice, false), StatusCodes.Status410Gone);

    private static async Task<IResult> ShowConfirmation(string token, PublicLinks links, GerminalDb db, CancellationToken stop) =>
        await AskedAsync(token, links, db, stop) switch
        {
            null => PublicPages.NotOurs(),
            { Over: not null } asked => IsOver(asked),
            var asked => Html(
                FormHtml.Says(
                    Said("Was it you?"),
                    $"<p>{Say($"Was it you who sent “{PublicPages.Encode(asked.Shown is { } shown ? shown.Form.Heading : Said("a form"))}” to {PublicPages.Encode(asked.Practice.Name)}?")}</p><form method=\"post\"><button type=\"submit\">{Said("Yes, it was me")}</button></form>",
                    asked.Practice,
                    false
                )
            ),
        };

    private static async Task<IResult> Confirm(string token, PublicLinks links, GerminalDb db, FormIntake intake, CancellationToken stop)
    {
        if (await AskedAsync(token, links, db, stop) is not { } asked)
        {
            await Notices.ForgeryAsync(db, null, Said("a confirmation"), stop);
            return PublicPages.NotOurs();
        }

        if (asked.Over is not null)
        {
            return IsOver(asked);
        }

        await intake.ConfirmAsync(db, asked.Row.Id, stop);
        return asked.Shown is { } shown ? Thanks(shown.Form, asked.Practice, false) : Html(FormHtml.Says(Said("Thank you"), $"<p>{Said("It has reached us.")}</p>", asked.Practice, false));
    }
}
