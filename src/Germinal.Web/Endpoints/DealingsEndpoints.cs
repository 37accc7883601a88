using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Inquiries;
using Germinal.Service.Meetings;
using Germinal.Service.People;
using Germinal.Service.Tasks;
using Germinal.Store;
using Germinal.Web.Hosting;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Web.Endpoints;

/// <summary>An opportunity; Status is open, won or lost. Worth is in the practice’s currency; null where nobody has said.</summary>
public sealed record OpportunityDto(Guid Id, string Title, string Stage, string Status, string? LostReason, string OpenedAt, string? ClosedAt, decimal? Worth);

/// <summary>An appointment to come, or one of the last weeks.</summary>
/// <param name="Id">Which.</param>
/// <param name="Type">What kind.</param>
/// <param name="At">When.</param>
/// <param name="Place">Where; null where nobody has said.</param>
/// <param name="Cancelled">Whether it was cancelled.</param>
/// <param name="Missed">Whether they did not come.</param>
/// <param name="Minutes">How long it is.</param>
/// <param name="Chosen">Whether they chose it on a page themselves: then they are told when it is moved or cancelled.</param>
/// <param name="Words">What they wrote when they chose it.</param>
public sealed record AppointmentDto(Guid Id, string Type, string At, string? Place, bool Cancelled, bool Missed, int Minutes, bool Chosen, string Words);

/// <summary>An inquiry.</summary>
public sealed record InquiryDto(Guid Id, string? Form, string How, string Text, string ReceivedAt, string? AnsweredAt, string? AnsweredBy);

/// <summary>A task of a member that no program planned.</summary>
public sealed record TaskDto(Guid Id, string Kind, string Title, string Due, string Source, string? Owner);

/// <summary>What goes on between a person and the practice.</summary>
public sealed record DealingsDto(
    IReadOnlyList<OpportunityDto> Opportunities,
    IReadOnlyList<AppointmentDto> Appointments,
    IReadOnlyList<InquiryDto> Inquiries,
    IReadOnlyList<TaskDto> Tasks
);

/// <summary>Opportunities, appointments, inquiries and tasks of a person, as a member keeps them by hand.</summary>
public static class DealingsEndpoints
{
    private static readonly string[] Ways = ["phone", "email", "text", "hand", "form"];

    public sealed record MissedBody(bool Missed = true);

    public sealed record OpenOpportunityBody([AtMost(Lengths.Name)] string Title, [AtMost(Lengths.Name)] string Stage);

    public sealed record OpportunityStageBody([AtMost(Lengths.Name)] string Stage);

    public sealed record CloseOpportunityBody(bool Won, [AtMost(Lengths.Name)] string? Reason = null);

    /// <summary>At is a local time of the practice: <c>2027-03-09T09:30</c>.</summary>
    public sealed record BookBody([AtMost(Lengths.Name)] string Type, [AtMost(40)] string At, [AtMost(Lengths.Name)] string? Place = null);

    public sealed record MoveAppointmentBody([AtMost(40)] string At);

    public sealed record InquiryBody([AtMost(40)] string How, [AtMost(Lengths.Remark)] string Text, [AtMost(Lengths.Name)] string? Form = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var person = app.MapGroup("/api/people/{id:guid}").WithTags("dealings").RequireAuthorization(Rights.Work);
        person.MapGet("/dealings", Read);
        person.MapPost("/opportunities", Open);
        person.MapPost("/appointments", Book);
        person.MapPost("/inquiries", Inquire);
        person.MapPost("/inquiries/answered", Answer);
        var opportunity = app.MapGroup("/api/opportunities/{id:guid}").WithTags("dealings").RequireAuthorization(Rights.Work);
        opportunity.MapPost("/stage", MoveOpportunity);
        opportunity.MapPost("/close", CloseOpportunity);
        var appointment = app.MapGroup("/api/appointments/{id:guid}").WithTags("dealings").RequireAuthorization(Rights.Work);
        appointment.MapPost("/move", MoveAppointment);
        appointment.MapPost("/cancel", Cancel);
        appointment.MapPost("/missed", Missed);
    }

    internal static async Task<DealingsDesk> DeskAsync(GerminalDb db, Caller caller, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        return new DealingsDesk(db, new PeopleDesk(db, caller.Name, now), now);
    }

    private static Task<bool> KnownAsync(GerminalDb db, Guid person, CancellationToken stop) => db.People.AnyAsync(p => p.Id == person, stop);

    internal static async Task<string?> StageProblemAsync(GerminalDb db, string stage, CancellationToken stop)
    {
        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        return settings.HasStage(stage) ? null : Say($"There is no stage “{stage}”; {string.Join(", ", settings.AllStages())} are.");
    }

    private static async Task<Results<Ok<DealingsDto>, NotFound>> Read(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (!await KnownAsync(db, id, stop))
        {
            return TypedResults.NotFound();
        }

        var recent = await PracticeClock.NowAsync(db, stop) - Duration.FromDays(60);
        var opportunities = await db.Opportunities.AsNoTracking().Where(o => o.PersonId == id).OrderByDescending(o => o.OpenedAt).Take(20).ToListAsync(stop);
        var appointments = await db.Appointments.AsNoTracking().Where(a => a.PersonId == id && a.At > recent).OrderBy(a => a.At).Take(20).ToListAsync(stop);
        var inquiries = await db.Inquiries.AsNoTracking().Where(i => i.PersonId == id).OrderByDescending(i => i.ReceivedAt).Take(20).ToListAsync(stop);
        var tasks = await db.Tasks.AsNoTracking().Where(t => t.PersonId == id && t.DoneAt == null).OrderBy(t => t.Due).Take(20).ToListAsync(stop);
        var members = await db.Users.AsNoTracking().Where(u => u.PracticeId == db.PracticeId).ToDictionaryAsync(u => u.Id, u => u.Name, stop);
        return TypedResults.Ok(
            new DealingsDto(
                [.. opportunities.Select(o => new OpportunityDto(o.Id, o.Title, o.Stage, o.Status, o.LostReason, o.OpenedAt.Iso(), o.ClosedAt?.Iso(), o.Worth))],
                [.. appointments.Select(a => new AppointmentDto(a.Id, a.Type, a.At.Iso(), a.Place, a.CancelledAt is not null, a.MissedAt is not null, a.Minutes, a.PageId is not null, a.Words))],
                [.. inquiries.Select(i => new InquiryDto(i.Id, i.Form, i.How, i.Text, i.ReceivedAt.Iso(), i.AnsweredAt?.Iso(), i.AnsweredBy))],
                [
                    .. tasks.Select(t => new TaskDto(
                        t.Id,
                        t.Kind,
                        t.Title,
                        LocalDatePattern.Iso.Format(t.Due),
                        TaskDesk.SourceWords(t.Source),
                        t.MemberId is { } m ? members.GetValueOrDefault(m) : null
                    )),
                ]
            )
        );
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> Open(
        Guid id,
        OpenOpportunityBody body,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        if (!await KnownAsync(db, id, stop))
        {
            return TypedResults.NotFound();
        }

        if (string.IsNullOrWhiteSpace(body.Title) || body.Title.Length > 200)
        {
            return Problems.Field("title", Said("Say in a few words what it is about, at most 200 letters."));
        }

        if (await StageProblemAsync(db, body.Stage, stop) is { } problem)
        {
            return Problems.Field("stage", problem);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await (await DeskAsync(db, caller, stop)).OpenOpportunityAsync(id, body.Title.Trim(), body.Stage, caller.Id, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> MoveOpportunity(
        Guid id,
        OpportunityStageBody body,
        GerminalDb db,
        Caller caller,
        JournalNote note,
        CancellationToken stop
    )
    {
        if (await db.Opportunities.FirstOrDefaultAsync(o => o.Id == id && o.Status == "open", stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (await StageProblemAsync(db, body.Stage, stop) is { } problem)
        {
            return Problems.Field("stage", problem);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await (await DeskAsync(db, caller, stop)).MoveOpportunityAsync(row, body.Stage, stop);
        await transaction.CommitAsync(stop);
        note.Say(Say($"to “{body.Stage}”"));
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> CloseOpportunity(
        Guid id,
        CloseOpportunityBody body,
        GerminalDb db,
        Caller caller,
        JournalNote note,
        CancellationToken stop
    )
    {
        if (await db.Opportunities.FirstOrDefaultAsync(o => o.Id == id && o.Status == "open", stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (!body.Won && string.IsNullOrWhiteSpace(body.Reason))
        {
            return Problems.Field("reason", Said("Say why it was lost; programs can start by the reason."));
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (!await (await DeskAsync(db, caller, stop)).CloseOpportunityAsync(row, body.Won, body.Reason?.Trim(), stop))
        {
            return TypedResults.NotFound();
        }

        await transaction.CommitAsync(stop);
        note.Say(body.Won ? "won" : Say($"lost: {body.Reason?.Trim()}"));
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound>> Cancel(Guid id, GerminalDb db, Caller caller, MeetingActs meetings, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (
            await db.Appointments.FirstOrDefaultAsync(a => a.Id == id && a.CancelledAt == null, stop) is not { } row
            || !await (await DeskAsync(db, caller, stop)).CancelAsync(row, stop)
        )
        {
            return TypedResults.NotFound();
        }

        await meetings.ToldByMemberAsync(db, row, MeetingNews.Cancelled, await PracticeClock.NowAsync(db, stop), stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    /// <summary>Whether they came is known once it has been.</summary>
    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Missed(Guid id, MissedBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await db.Appointments.AsNoTracking().FirstOrDefaultAsync(a => a.Id == id && a.CancelledAt == null, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (row.At > await PracticeClock.NowAsync(db, stop))
        {
            return Problems.Conflict(Said("It is still to be. Whether they came can be noted once its time has come; until then, move or cancel it."));
        }

        await (await DeskAsync(db, caller, stop)).MissedAsync(row, body.Missed, stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound>> Answer(Guid id, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var answered = await (await DeskAsync(db, caller, stop)).AnswerAsync(id, caller.Name, InquiryOutcomes.Marked, stop);
        await transaction.CommitAsync(stop);
        return answered > 0 ? TypedResults.NoContent() : TypedResults.NotFound();
    }

    private static async Task<(Instant? At, string? Problem)> MomentAsync(GerminalDb db, string local, CancellationToken stop)
    {
        return MomentOf(local, (await PracticeReading.LoadAsync(db, stop)).Zone) is { } at
            ? (at, null)
            : (null, Say($"“{local}” is no date and time; 2027-03-09T09:30 would be."));
    }

    /// <summary>A local time of the practice as a moment; null for what is none.</summary>
    internal static Instant? MomentOf(string? local, DateTimeZone zone) =>
        LocalMinutes.Parse(local ?? "").TryGetValue(default, out var time) && Dates.IsMeant(time.Date) ? LocalClock.At(time, zone) : null;

    private static readonly LocalDateTimePattern LocalMinutes = LocalDateTimePattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mm");

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> Book(
        Guid id,
        BookBody body,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        if (!await KnownAsync(db, id, stop))
        {
            return TypedResults.NotFound();
        }

        if (string.IsNullOrWhiteSpace(body.Type) || body.Type.Length > 80)
        {
            return Problems.Field("type", Said("Say what kind of meeting it is, at most 80 letters."));
        }

        var (at, problem) = await MomentAsync(db, body.At, stop);
        if (at is not { } moment)
        {
            return Problems.Field("at", problem!);
        }

        await (await DeskAsync(db, caller, stop)).BookAsync(
            id,
            body.Type.Trim(),
            moment,
            string.IsNullOrWhiteSpace(body.Place) ? null : body.Place.Trim(),
            caller.Id,
            stop
        );
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> MoveAppointment(
        Guid id,
        MoveAppointmentBody body,
        GerminalDb db,
        Caller caller,
        MeetingActs meetings,
        CancellationToken stop
    )
    {
        if (await db.Appointments.FirstOrDefaultAsync(a => a.Id == id && a.CancelledAt == null, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var (at, problem) = await MomentAsync(db, body.At, stop);
        if (at is not { } moment)
        {
            return Problems.Field("at", problem!);
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await (await DeskAsync(db, caller, stop)).MoveAsync(row, moment, stop);
        await meetings.ToldByMemberAsync(db, row, MeetingNews.Moved, await PracticeClock.NowAsync(db, stop), stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> Inquire(
        Guid id,
        InquiryBody body,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        if (!await KnownAsync(db, id, stop))
        {
            return TypedResults.NotFound();
        }

        if (!Ways.Contains(body.How, StringComparer.Ordinal))
        {
            return Problems.Field("how", Say($"Say how they asked: {string.Join(", ", Ways)}."));
        }

        if (string.IsNullOrWhiteSpace(body.Text) || body.Text.Length > Lengths.Remark)
        {
            return Problems.Field("text", Said("Say what they asked for, at most 20,000 letters."));
        }

        await (await DeskAsync(db, caller, stop)).InquireAsync(
            id,
            string.IsNullOrWhiteSpace(body.Form) ? null : body.Form.Trim(),
            body.How,
            body.Text.Trim(),
            stop
        );
        return TypedResults.NoContent();
    }
}
