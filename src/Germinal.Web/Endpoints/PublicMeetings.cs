using System.Globalization;
using Germinal.Channels;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Forms;
using Germinal.Service.Incoming;
using Germinal.Service.Meetings;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.WebUtilities;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>Pages on which anybody chooses a time to meet a member, and the signed ones by which they move or cancel it. No cookies.</summary>
public static class PublicMeetings
{
    /// <summary>Where they are.</summary>
    public const string Root = PublicLinks.MeetingRoot;

    private const string AnswerField = "g.do";

    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapGet(Root + "/{slug}", Show).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Pages);
        app.MapPost(Root + "/{slug}", Take).ExcludeFromDescription().DisableAntiforgery().RequireRateLimiting(PublicBrake.Letters);
        app.MapGet("/a/{token}", ShowOwn).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Pages);
        app.MapGet("/a/{token}/calendar.ics", Calendar).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Pages);
        app.MapPost("/a/{token}", Change).ExcludeFromDescription().DisableAntiforgery().RequireRateLimiting(PublicBrake.Pages);
    }

    private static IResult Html(string page, int status = 200) => Results.Content(page, "text/html; charset=utf-8", statusCode: status);

    private static IResult NoPage() => PublicPages.Html(Said("There is no such page"), $"<p>{Said("Its address may have been cut short, or it was taken back. Ask whoever gave it to you.")}</p>", 404);

    private static Instant? TimeOf(string? text) => text is { Length: > 0 and < 40 } && InstantPattern.ExtendedIso.Parse(text) is { Success: true, Value: var at } ? at : null;

    private static LocalDate? DayOf(string? text) => text is { Length: > 0 and < 20 } ? Dates.TryParse(text) : null;

    private static string Here(MeetingPageRow page, string? by) => by is { Length: > 0 } ? QueryHelpers.AddQueryString($"{Root}/{page.Slug}", "by", by) : $"{Root}/{page.Slug}";

    private static async Task<IResult> Show(string slug, HttpRequest request, GerminalDb db, FormTokens tokens, PublicLinks links, CancellationToken stop)
    {
        if (await MeetingPages.FindAsync(db, slug, stop) is not { } page)
        {
            return NoPage();
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var practice = await PracticeReading.LoadAsync(db, stop);
        var row = await db.OwnPracticeAsync(stop);
        var by = request.Query["by"].ToString();
        var reader = await ReaderOf.FindAsync(db, links, by, PublicForms.LinkWorks, now, stop);
        var free = await MeetingTimes.FreeAsync(db, page, practice, now, null, stop);
        var form = MeetingPages.Asks(page);
        return Html(
            FormHtml.Page(
                form,
                row,
                new FormShowing(
                    $"{Root}/{page.Slug}",
                    tokens.Make(page.Id, SystemClock.Instance.GetCurrentInstant()),
                    Reader: reader is null ? null : by,
                    Known: reader?.Masked(form),
                    Sent: reader?.Filled(form),
                    Choose: About(page, practice) + MeetingHtml.Times(free, DayOf(request.Query["from"]), practice.Zone, null, Here(page, reader is null ? null : by), null),
                    Press: Said("Choose this time")
                )
            )
        );
    }

    private static string About(MeetingPageRow page, Practice practice)
    {
        string?[] said = [practice.Members.FirstOrDefault(m => m.Id == page.MemberId) is { } member ? Say($"with {member.Name}") : null, Say($"{page.Minutes.ToString(CultureInfo.InvariantCulture)} minutes"), page.Place];
        return $"<p>{PublicPages.Encode(string.Join(" · ", said.OfType<string>()))}</p>";
    }

    private static async Task<IResult> Take(string slug, HttpRequest request, GerminalDb db, FormTokens tokens, MeetingActs acts, FormBrake brake, PublicLinks links, CancellationToken stop)
    {
        if (await MeetingPages.FindAsync(db, slug, stop) is not { } page)
        {
            return NoPage();
        }

        if (!request.HasFormContentType || await PublicForms.PostedAsync(request, stop) is not { } posted)
        {
            return Results.Problem(Said("A time is chosen by an HTML form: application/x-www-form-urlencoded or multipart/form-data."), statusCode: StatusCodes.Status400BadRequest, title: Said("No form"));
        }

        var row = await db.OwnPracticeAsync(stop);
        var practice = await PracticeReading.LoadAsync(db, stop);
        var (now, machine) = (await PracticeClock.NowAsync(db, stop), SystemClock.Instance.GetCurrentInstant());
        var by = posted[FormHtml.ReaderField].ToString();
        var reader = await ReaderOf.FindAsync(db, links, by, PublicForms.LinkWorks, now, stop);
        var form = MeetingPages.Asks(page);
        var fields = form.Questions.Where(q => posted.ContainsKey(q.Id)).ToDictionary(q => q.Id, q => (IReadOnlyList<string>)[.. posted[q.Id].OfType<string>()], StringComparer.Ordinal);
        var answers = FormIntake.Read(form, reader is null ? fields : reader.FillBlanks(form, fields), [], row.Settings.PhoneRegion);
        var chosen = TimeOf(posted[MeetingHtml.TimeField]);
        var mark = posted[FormHtml.TokenField].ToString();

        // The page as it was sent, with the times that are free now.
        async Task<IResult> AgainAsync(string? word, string? time, int status)
        {
            var free = await MeetingTimes.FreeAsync(db, page, practice, now, null, stop);
            return Html(
                FormHtml.Page(
                    form,
                    row,
                    new FormShowing(
                        $"{Root}/{page.Slug}",
                        tokens.Make(page.Id, machine),
                        Reader: reader is null ? null : by,
                        Known: reader?.Masked(form),
                        Sent: fields,
                        Problems: answers.Problems,
                        Word: word,
                        Choose: About(page, practice) + MeetingHtml.Times(free, null, practice.Zone, time is null ? chosen : null, Here(page, reader is null ? null : by), time),
                        Press: Said("Choose this time")
                    )
                ),
                status
            );
        }

        if (tokens.TryRead(mark) is not { } token || token.FormId != page.Id || machine - token.MadeAt > FormDoubts.Longest)
        {
            return await AgainAsync(Said("This page was open for long. What you wrote is still here; please send it again."), null, StatusCodes.Status200OK);
        }

        if (answers.Problems.Count > 0 || chosen is null)
        {
            return await AgainAsync(null, chosen is null ? Said("Choose one of the times.") : null, StatusCodes.Status422UnprocessableEntity);
        }

        if (IsDoubtful(posted, token, mark, answers.Values.Values, brake.IsTooMany(page.Id, Client.Of(request.HttpContext), request.HttpContext.Connection.RemoteIpAddress), machine))
        {
            return await AgainAsync(Said("This could not be taken by itself. What you wrote is still here: look it through and send it once more, or write to us or ring us."), null, StatusCodes.Status422UnprocessableEntity);
        }

        // A link in a letter proves the address; whoever says that they are somebody else by it is not the one it was written to.
        var proven = reader is not null && await FormIntake.IsTheirsAsync(db, reader.PersonId, answers.Values.GetValueOrDefault("first-name"), stop) ? reader.PersonId : (Guid?)null;
        var wish = new MeetingWish(chosen.Value, answers, token.Key, proven, reader?.TouchId, posted[MeetingHtml.ZoneField]);
        var (outcome, booked) = await Tries.AgainAsync(db, d => acts.BookAsync(d, page, wish, now, stop), stop);
        return outcome switch
        {
            MeetingOutcome.TooMany => await AgainAsync(Say($"There are {MeetingActs.MostToCome} appointments to come under this address already. Move or cancel one by the link in its mail, or ring us."), null, StatusCodes.Status409Conflict),
            MeetingOutcome.Taken => await AgainAsync(null, Said("This time has just been taken. What you wrote is still here; choose another."), StatusCodes.Status409Conflict),
            _ => Html(FormHtml.Says(Said("It is yours"), OwnHtml(booked!, practice, links, $"<p>{Said("We have sent you a mail with it.")}</p>"), row, false, script: true)),
        };
    }

    private static bool IsDoubtful(IFormCollection posted, FormToken token, string mark, IEnumerable<string> words, bool tooMany, Instant machine) =>
        FormDoubts.Of(
            new SentHow(posted[FormHtml.HiddenField].ToString().Length > 0, machine - token.MadeAt, FormTokens.IsWorked(mark, posted[FormHtml.WorkField]), string.Join('\n', words), 0, 0, tooMany)
        ).Length > 0;

    private static string OwnHtml(AppointmentRow row, Practice practice, PublicLinks links, string more)
    {
        var member = practice.Members.FirstOrDefault(m => m.Id == row.WithId);
        var change = links.Appointment(row.Id);
        return $"""
            <p><b>{PublicPages.Encode(row.Type)}</b>{(member is null ? "" : Say($" with {PublicPages.Encode(member.Name)}"))}<br>{MeetingHtml.Moment(row.At, MeetingMail.ZoneOf(row, practice))}<br>{Say($"{row.Minutes} minutes")}{(row.Place is { } place ? $"<br>{PublicPages.Encode(place)}" : "")}</p>
            {more}
            <p><a href="{change}/calendar.ics">{Said("Put it into your calendar")}</a> · <a href="{change}">{Said("Move or cancel it")}</a></p>
            """;
    }

    private sealed record Own(AppointmentRow Row, PersonRow Person, MeetingPageRow? Page, Practice Practice, PracticeRow PracticeRow, Instant Now)
    {
        public string? Over =>
            Row.CancelledAt is not null ? Said("This appointment was cancelled.")
            : Row.At <= Now ? Said("This appointment has been.")
            : null;
    }

    private static async Task<Own?> OwnAsync(string token, PublicLinks links, GerminalDb db, CancellationToken stop)
    {
        if (links.TryReadAppointment(token) is not { } id || await db.Appointments.IgnoreQueryFilters().AsNoTracking().FirstOrDefaultAsync(a => a.Id == id && a.PageId != null, stop) is not { } row)
        {
            return null;
        }

        db.PracticeId = row.PracticeId;
        return new Own(
            row,
            await db.People.AsNoTracking().SingleAsync(p => p.Id == row.PersonId, stop),
            await db.MeetingPages.AsNoTracking().FirstOrDefaultAsync(p => p.Id == row.PageId && p.Shown, stop),
            await PracticeReading.LoadAsync(db, stop),
            await db.OwnPracticeAsync(stop),
            await PracticeClock.NowAsync(db, stop)
        );
    }

    private static async Task<IResult> ShowOwn(string token, HttpRequest request, PublicLinks links, GerminalDb db, CancellationToken stop) =>
        await OwnAsync(token, links, db, stop) is { } own ? await OwnPageAsync(own, token, DayOf(request.Query["from"]), null, links, db, stop) : PublicPages.NotOurs();

    private static async Task<IResult> OwnPageAsync(Own own, string token, LocalDate? from, string? problem, PublicLinks links, GerminalDb db, CancellationToken stop)
    {
        if (own.Over is { } over)
        {
            var again = own.Page is { } page ? $"<p><a href=\"{links.Meeting(page.Slug)}\">{Said("Choose another time")}</a></p>" : "";
            return Html(FormHtml.Says(Said("Your appointment"), $"<p>{PublicPages.Encode(over)}</p>{again}", own.PracticeRow, false), StatusCodes.Status410Gone);
        }

        var move = "";
        if (own.Page is { } shown)
        {
            var free = await MeetingTimes.FreeAsync(db, shown, own.Practice, own.Now, own.Row.Id, stop);
            var times = MeetingHtml.Times([.. free.Where(t => t != own.Row.At)], from, own.Practice.Zone, null, $"/a/{token}", problem);
            move = $"<h2>{Said("Move it")}</h2><form method=\"post\" action=\"/a/{token}\">{times}<button type=\"submit\" name=\"{AnswerField}\" value=\"move\">{Said("Move it to this time")}</button></form>";
        }

        var cancel = $"<h2>{Said("Cancel it")}</h2><form method=\"post\" action=\"/a/{token}\"><button type=\"submit\" name=\"{AnswerField}\" value=\"cancel\">{Said("Cancel the appointment")}</button></form>";
        return Html(
            FormHtml.Says(Said("Your appointment"), OwnHtml(own.Row, own.Practice, links, "") + move + cancel, own.PracticeRow, false, script: true),
            problem is null ? StatusCodes.Status200OK : StatusCodes.Status409Conflict
        );
    }

    private static async Task<IResult> Change(string token, HttpRequest request, PublicLinks links, GerminalDb db, MeetingActs acts, CancellationToken stop)
    {
        if (await OwnAsync(token, links, db, stop) is not { } own)
        {
            await Notices.ForgeryAsync(db, null, Said("an appointment"), stop);
            return PublicPages.NotOurs();
        }

        if (!request.HasFormContentType || await PublicForms.PostedAsync(request, stop) is not { } posted)
        {
            return Results.Problem(Said("An appointment is changed by an HTML form."), statusCode: StatusCodes.Status400BadRequest, title: Said("No form"));
        }

        var id = own.Row.Id;
        if (posted[AnswerField] == "cancel")
        {
            await Tries.AgainAsync(db, d => acts.CancelAsync(d, id, own.Now, stop), stop);
        }
        else if (TimeOf(posted[MeetingHtml.TimeField]) is not { } to)
        {
            return await OwnPageAsync(own, token, null, Said("Choose one of the times."), links, db, stop);
        }
        else if (await Tries.AgainAsync(db, d => acts.MoveAsync(d, id, to, own.Now, stop), stop) == MeetingOutcome.Taken)
        {
            return await OwnPageAsync(own, token, null, Said("This time has just been taken. Choose another."), links, db, stop);
        }

        // Read again by a page of its own: whoever loads it once more changes nothing.
        return Results.Redirect($"/a/{token}", permanent: false);
    }

    private static async Task<IResult> Calendar(string token, PublicLinks links, GerminalDb db, CancellationToken stop) =>
        await OwnAsync(token, links, db, stop) is { } own && MeetingMail.Calendar(own.Row, own.Person, own.Practice, links.Appointment(own.Row.Id), own.Now) is { } calendar
            ? Results.File(System.Text.Encoding.UTF8.GetBytes(calendar), "text/calendar; charset=utf-8", "appointment.ics")
            : Results.NotFound();
}
