using Germinal.Channels.Letters;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Import;
using Germinal.Service.Inquiries;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Endpoints;

/// <summary>Inquiries that wait, the longest first.</summary>
/// <param name="Rows">Up to 200 of them.</param>
/// <param name="InAll">How many there are.</param>
/// <param name="Mine">How many of them are the caller's.</param>
/// <param name="DayMinutes">Working minutes of a usual day.</param>
public sealed record InquiriesDto(IReadOnlyList<InquiryLine> Rows, int InAll, int Mine, int DayMinutes);

/// <summary>Inquiries that were answered, the latest first, and how long answers took in the last twelve months.</summary>
/// <param name="Rows">A page of them.</param>
/// <param name="Next">Where the next page begins; null for none.</param>
/// <param name="Times">How long answers take.</param>
/// <param name="DayMinutes">Working minutes of a usual day.</param>
public sealed record AnsweredDto(IReadOnlyList<InquiryLine> Rows, string? Next, AnswerTimes Times, int DayMinutes);

/// <summary>A file that was sent with an inquiry.</summary>
public sealed record SentFileDto(Guid Id, string Question, string Name, string ContentType, int Bytes);

/// <summary>A mail that went to somebody about their inquiry.</summary>
public sealed record AboutMailDto(Guid Id, string Kind, string Subject, string Text, string CreatedAt, string Status, string LastAnswer);

/// <summary>Everything known of one inquiry.</summary>
/// <param name="Line">As in the list.</param>
/// <param name="Text">All of what they asked.</param>
/// <param name="Answers">What they answered on the form.</param>
/// <param name="Files">What they sent with it.</param>
/// <param name="Subject">The subject of the mail it came by; null for another way.</param>
/// <param name="Came">What led them to the form, in words; null where nobody knows.</param>
/// <param name="Mails">What went to them about it.</param>
/// <param name="MayNotWrite">Why no mail may go to them; null where one may.</param>
public sealed record OneInquiryDto(
    InquiryLine Line,
    string Text,
    IReadOnlyList<SubmittedAnswer> Answers,
    IReadOnlyList<SentFileDto> Files,
    string? Subject,
    string? Came,
    IReadOnlyList<AboutMailDto> Mails,
    string? MayNotWrite
);

/// <summary>An answer as it would go.</summary>
public sealed record ReadyAnswerDto(string Subject, string Text, string Html);

/// <summary>An inquiry that was taken in, and whose it is.</summary>
/// <param name="Id">The inquiry.</param>
/// <param name="Person">Who asked.</param>
/// <param name="Name">Their name.</param>
public sealed record TakenInDto(Guid Id, Guid Person, string Name);

/// <summary>Those who asked: who waits, and what is done about it.</summary>
public static class InquiryEndpoints
{
    private const int Shown = 200;
    private const int Page = 50;
    private static readonly string[] Ways = ["phone", "hand", "email", "text", "form"];

    /// <param name="Letter">A kept letter; null for own words.</param>
    /// <param name="Subject">Of own words; empty for that of their mail.</param>
    /// <param name="Words">Own words.</param>
    public sealed record AnswerInquiryBody(Guid? Letter = null, [AtMost(Lengths.Name)] string Subject = "", [AtMost(Lengths.Remark)] string Words = "");

    /// <param name="Reached">Whether they were reached; only then it is answered.</param>
    /// <param name="Remark">What was said.</param>
    public sealed record CalledBody(bool Reached = true, [AtMost(Lengths.Remark)] string Remark = "");

    public sealed record GiveInquiryBody(Guid? Member = null);

    /// <param name="Person">Whom it is from, where they are known; null where they are looked for or new.</param>
    /// <param name="Name">Of somebody looked for or new.</param>
    /// <param name="Email">Of somebody looked for or new.</param>
    /// <param name="Mobile">Of somebody looked for or new.</param>
    /// <param name="How">How they asked.</param>
    /// <param name="Topic">What it is about; null where nobody knows.</param>
    /// <param name="Text">What they asked.</param>
    public sealed record TakeInBody(
        Guid? Person = null,
        [AtMost(Lengths.Name)] string Name = "",
        [AtMost(500)] string Email = "",
        [AtMost(Lengths.Name)] string Mobile = "",
        [AtMost(40)] string How = "phone",
        [AtMost(Lengths.Name)] string? Topic = null,
        [AtMost(Lengths.Remark)] string Text = ""
    );

    public static void Map(IEndpointRouteBuilder app)
    {
        var inquiries = app.MapGroup("/api/inquiries").WithTags("inquiries").RequireAuthorization(Rights.Work);
        inquiries.MapGet("", List);
        inquiries.MapPost("", TakeIn);
        inquiries.MapGet("/answered", Answered);
        var one = inquiries.MapGroup("/{id:guid}");
        one.MapGet("", Read);
        one.MapPost("/ready", Ready);
        one.MapPost("/answer", Answer);
        one.MapPost("/called", Called);
        one.MapPost("/answered", (Guid id, GerminalDb db, Caller caller, CancellationToken stop) => End(id, InquiryOutcomes.Marked, db, caller, stop));
        one.MapPost("/nothing", (Guid id, GerminalDb db, Caller caller, CancellationToken stop) => End(id, InquiryOutcomes.Nothing, db, caller, stop));
        one.MapPost("/give", Give);
        one.MapPost("/touched", Touched);
        one.MapGet("/files/{file:guid}", SentFile).ExcludeFromDescription();
    }

    private static async Task<InquiriesDto> List(bool? mine, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var waiting = db.Inquiries.AsNoTracking().Where(i => i.AnsweredAt == null);
        var own = InquiryReading.Of(db, waiting, caller.Id);
        var rows = await (mine == true ? own : waiting).OrderBy(i => i.ReceivedAt).ThenBy(i => i.Id).Take(Shown).ToListAsync(stop);
        var practice = await PracticeReading.LoadWithSettingsAsync(db, stop);
        return new InquiriesDto(
            await InquiryReading.LinesAsync(db, practice, rows, now, stop),
            await waiting.CountAsync(stop),
            await own.CountAsync(stop),
            InquiryReading.DayMinutes(practice)
        );
    }

    private static async Task<Results<Ok<AnsweredDto>, ValidationProblem>> Answered(string? after, GerminalDb db, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var answered = db.Inquiries.AsNoTracking().Where(i => i.AnsweredAt != null);
        if (after is not null)
        {
            var parts = after.Split('_');
            if (parts.Length != 2 || !NodaTime.Text.InstantPattern.ExtendedIso.Parse(parts[0]).TryGetValue(default, out var at) || !Guid.TryParse(parts[1], out var last))
            {
                return Problems.Field("after", Said("This is no place in the list; begin again without it."));
            }

            answered = answered.Where(i => EF.Functions.LessThan(ValueTuple.Create(i.AnsweredAt!.Value, i.Id), ValueTuple.Create(at, last)));
        }

        var rows = await answered.OrderByDescending(i => i.AnsweredAt).ThenByDescending(i => i.Id).Take(Page + 1).ToListAsync(stop);
        var practice = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var shown = rows.Take(Page).ToList();
        var next = rows.Count > Page ? $"{NodaTime.Text.InstantPattern.ExtendedIso.Format(shown[^1].AnsweredAt!.Value)}_{shown[^1].Id}" : null;
        return TypedResults.Ok(
            new AnsweredDto(
                await InquiryReading.LinesAsync(db, practice, shown, now, stop),
                next,
                await InquiryReading.TimesAsync(db, practice, now - Duration.FromDays(365), now, stop),
                InquiryReading.DayMinutes(practice)
            )
        );
    }

    private static async Task<Results<Ok<OneInquiryDto>, NotFound>> Read(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.Inquiries.AsNoTracking().FirstOrDefaultAsync(i => i.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var practice = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var person = await db.People.AsNoTracking().SingleAsync(p => p.Id == row.PersonId, stop);
        var facts = (await FactsReading.LoadAsync(db, [person.Id], stop))[person.Id];
        var submission = row.SubmissionId is { } sent ? await db.Submissions.AsNoTracking().FirstOrDefaultAsync(s => s.Id == sent, stop) : null;
        var files = await db
            .SubmittedFiles.AsNoTracking()
            .Where(f => f.SubmissionId == row.SubmissionId)
            .Select(f => new SentFileDto(f.Id, f.Question, f.Name, f.ContentType, f.Bytes))
            .ToListAsync(stop);
        var mails = await db.OwnMails.AsNoTracking().Where(m => m.InquiryId == id).OrderBy(m => m.CreatedAt).ToListAsync(stop);
        var subject = row.ReceivedId is { } received ? await db.Received.Where(r => r.Id == received).Select(r => r.Subject).FirstOrDefaultAsync(stop) : null;
        return TypedResults.Ok(
            new OneInquiryDto(
                (await InquiryReading.LinesAsync(db, practice, [row], now, stop))[0],
                row.Text,
                submission?.Answers ?? [],
                files,
                subject,
                await CameAsync(db, row.TouchId, submission?.CameFrom, stop),
                [.. mails.Select(m => new AboutMailDto(m.Id, m.Kind, m.Subject, m.Text, m.CreatedAt.Iso(), m.Status, m.LastAnswer))],
                await InquiryActs.MayNotAsync(db, person, facts, practice.Practice, now, stop)
            )
        );
    }

    /// <summary>What led somebody to a form: the letter or text whose link they followed, and the page the form stood in.</summary>
    private static async Task<string?> CameAsync(GerminalDb db, Guid? touch, string? page, CancellationToken stop)
    {
        var message = touch is null
            ? null
            : await db
                .Messages.AsNoTracking()
                .Where(m => m.TouchId == touch)
                .Join(db.Touches, m => m.TouchId, t => t.Id, (m, t) => new { m.Subject, m.Channel, t.ProgramId })
                .Join(db.ProgramsAndBroadcasts, m => m.ProgramId, p => p.Id, (m, p) => new { m.Subject, m.Channel, p.Name })
                .FirstOrDefaultAsync(stop);
        var parts = new[]
        {
            message is null ? null : message.Channel == "text" ? Say($"by a text of “{message.Name}”") : Say($"by the letter “{message.Subject}” of “{message.Name}”"),
            page is null ? null : $"on {page}",
        };
        return parts.OfType<string>().ToList() is { Count: > 0 } came ? string.Join(", ", came) : null;
    }

    /// <summary>What they sent, as a file to keep: it is never shown as a page of ours.</summary>
    private static async Task<Results<FileContentHttpResult, NotFound>> SentFile(Guid id, Guid file, GerminalDb db, CancellationToken stop) =>
        await db.Inquiries.Where(i => i.Id == id).Select(i => i.SubmissionId).FirstOrDefaultAsync(stop) is { } submission
        && await db.SubmittedFiles.AsNoTracking().FirstOrDefaultAsync(f => f.Id == file && f.SubmissionId == submission, stop) is { } found
            ? TypedResults.File(found.Content, "application/octet-stream", found.Name)
            : TypedResults.NotFound();

    private static Task<InquiryRow?> FindAsync(GerminalDb db, Guid id, CancellationToken stop) => db.Inquiries.AsNoTracking().FirstOrDefaultAsync(i => i.Id == id, stop);

    private static string Over => Said("This inquiry was answered meanwhile. What you wrote is still here.");

    private static async Task<Results<Ok<ReadyAnswerDto>, NotFound, ValidationProblem>> Ready(Guid id, AnswerInquiryBody body, GerminalDb db, InquiryActs desk, Caller caller, CancellationToken stop)
    {
        if (await FindAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var ready = await desk.ReadyAsync(db, row, caller.Id, body.Letter, body.Subject, body.Words, Guid.Empty, await PracticeClock.NowAsync(db, stop), stop);
        return ready.Problem is { } problem ? Problems.Field("letter", problem) : TypedResults.Ok(new ReadyAnswerDto(ready.Subject, ready.Text, LetterHtml.Sanitize(ready.Shown)));
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem, ProblemHttpResult>> Answer(
        Guid id,
        AnswerInquiryBody body,
        GerminalDb db,
        InquiryActs desk,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await FindAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (body.Letter is null && string.IsNullOrWhiteSpace(body.Words))
        {
            return Problems.Field("words", Said("Write an answer, or choose a letter."));
        }

        var (mailId, now) = (Guid.CreateVersion7(), await PracticeClock.NowAsync(db, stop));
        var ready = await desk.ReadyAsync(db, row, caller.Id, body.Letter, body.Subject, body.Words, mailId, now, stop);
        if (ready.Problem is { } problem)
        {
            return Problems.Field(body.Letter is null ? "words" : "letter", problem);
        }

        // Pressed twice at one moment is one answer.
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (!await InquiryActs.AnswerAsync(db, row, caller.Id, caller.Name, ready, mailId, now, stop))
        {
            return Problems.Conflict(Over);
        }

        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Called(Guid id, CalledBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var now = await PracticeClock.NowAsync(db, stop);
        if (await FindAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (!await InquiryActs.TouchAsync(db, id, now, stop))
        {
            return Problems.Conflict(Over);
        }

        var said = body.Remark.Trim() is { Length: > 0 } remark ? $": {remark}" : "";
        db.Events.Add(new PeopleDesk(db, caller.Name, now).NewNote(row.PersonId, EventKinds.Remark, ("text", Say($"Called about their inquiry{(body.Reached ? "" : Said(", not reached"))}{said}"))));
        await db.SaveChangesAsync(stop);
        await InquiryActs.CalledAsync(db, row.PersonId, caller.Name, body.Reached, now, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> End(Guid id, string outcome, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await FindAsync(db, id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var now = await PracticeClock.NowAsync(db, stop);
        if (!await InquiryActs.TouchAsync(db, id, now, stop))
        {
            return Problems.Conflict(Over);
        }

        await new DealingsDesk(db, new PeopleDesk(db, caller.Name, now), now).AnswerAsync(row.PersonId, caller.Name, outcome, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem, ProblemHttpResult>> Give(Guid id, GiveInquiryBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await FindAsync(db, id, stop) is null)
        {
            return TypedResults.NotFound();
        }

        if (body.Member is not { } member || !await db.Users.AnyAsync(u => u.Id == member && u.PracticeId == db.PracticeId && u.BlockedAt == null, stop))
        {
            return Problems.Field("member", Said("There is no such member."));
        }

        if (!await InquiryGiving.GiveToAsync(db, id, member, caller.Name, await PracticeClock.NowAsync(db, stop), stop))
        {
            return Problems.Conflict(Over);
        }

        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    /// <summary>A member is at it (an opportunity opened, a program started): it goes to no deputy.</summary>
    private static async Task<Results<NoContent, NotFound>> Touched(Guid id, GerminalDb db, CancellationToken stop) =>
        await InquiryActs.TouchAsync(db, id, await PracticeClock.NowAsync(db, stop), stop) ? TypedResults.NoContent() : TypedResults.NotFound();

    /// <summary>Takes an inquiry in by hand: by somebody who is known, who is found by what is said of them, or who is new.</summary>
    private static async Task<Results<Ok<TakenInDto>, NotFound, ValidationProblem>> TakeIn(TakeInBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (!Ways.Contains(body.How, StringComparer.Ordinal))
        {
            return Problems.Field("how", Say($"Say how they asked: {string.Join(", ", Ways)}."));
        }

        if (string.IsNullOrWhiteSpace(body.Text))
        {
            return Problems.Field("text", Said("Say in a few words what they ask."));
        }

        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        if (body.Topic is { } topic && !settings.Topics.Contains(topic, StringComparer.OrdinalIgnoreCase))
        {
            return Problems.Field("topic", Say($"There is no topic “{topic}”; {string.Join(", ", settings.Topics)} are."));
        }

        var now = await PracticeClock.NowAsync(db, stop);
        var desk = new PeopleDesk(db, caller.Name, now);
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        Guid person;
        PersonRow? made = null;
        if (body.Person is { } known)
        {
            if (!await db.People.AnyAsync(p => p.Id == known, stop))
            {
                return TypedResults.NotFound();
            }

            person = known;
        }
        else
        {
            var (asking, problems) = WhoOf(body, settings.PhoneRegion);
            if (asking is null)
            {
                return Problems.Fields(problems);
            }

            await WhoAsks.LockAsync(db, asking, stop);
            var (row, isNew) = await WhoAsks.FindOrMakeAsync(db, desk, asking, Say($"asked by {body.How}"), stop);
            made = isNew ? row : null;
            person = row.Id;
        }

        var inquiry = await new DealingsDesk(db, desk, now).InquireAsync(person, null, body.How, body.Text.Trim(), stop, new Arrival(Topic: body.Topic));
        if (made is not null)
        {
            // Somebody new is looked after by whoever gets what they ask.
            made.OwnerId ??= inquiry.OwnerId ?? caller.Id;
            await db.SaveChangesAsync(stop);
        }

        await transaction.CommitAsync(stop);
        var name = (await db.NamesAsync([person], stop))[person];
        return TypedResults.Ok(new TakenInDto(inquiry.Id, person, name));
    }

    /// <summary>Who they say they are, or what is wrong with it.</summary>
    private static (Asking? Who, IReadOnlyList<(string Field, string Message)> Problems) WhoOf(TakeInBody body, string region)
    {
        var wrong = new List<(string, string)>();
        var (first, last) = CellReading.Names("", "", CellReading.Clean(body.Name));
        var email = CellReading.Emails(body.Email).Value.Email;
        if (email is null && body.Email.Trim().Length > 0)
        {
            wrong.Add(("email", Say($"“{body.Email.Trim()}” is not an email address; name@example.com would be.")));
        }

        var phone = CellReading.Phone(body.Mobile, region);
        if (phone.Doubt is not null)
        {
            wrong.Add(("mobile", Say($"“{body.Mobile.Trim()}” is not a telephone number; (207) 555-0123 would be.")));
        }

        if (first is null && last is null && email is null && phone.Value.Number is null && wrong.Count == 0)
        {
            wrong.Add(("name", Said("Give at least a name, an email address or a mobile number.")));
        }

        return wrong.Count > 0 ? (null, wrong) : (new Asking(first, last, email, phone.Value.Number), []);
    }
}
