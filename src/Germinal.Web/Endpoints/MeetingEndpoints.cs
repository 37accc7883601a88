using Germinal.Channels;
using Germinal.Channels.Post;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Forms;
using Germinal.Service.Meetings;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A span of hours on a week day: mon, tue, …; times are HH:mm.</summary>
public sealed record FreeSpanDto([AtMost(10)] string Day, [AtMost(10)] string From, [AtMost(10)] string To);

/// <summary>A page on which one chooses a time to meet a member.</summary>
/// <param name="Id">Which.</param>
/// <param name="Edition">For saving: which edition this is.</param>
/// <param name="Member">Whom one meets.</param>
/// <param name="Address">Its public page.</param>
/// <param name="Title">What stands above it.</param>
/// <param name="Words">What stands above its times.</param>
/// <param name="Type">The kind of appointment that is made.</param>
/// <param name="Place">Where.</param>
/// <param name="Minutes">How long a meeting is.</param>
/// <param name="GapMinutes">How long before and after one there is none.</param>
/// <param name="NoticeHours">How long before it a meeting can be chosen at the latest.</param>
/// <param name="MostADay">How many the member has a day; null for as many as there is room for.</param>
/// <param name="AheadDays">How many days ahead one can be chosen.</param>
/// <param name="Hours">When the member is free.</param>
/// <param name="Shown">Whether everybody can open it.</param>
/// <param name="Next">The next times that can be chosen.</param>
/// <param name="Free">How many can be chosen.</param>
/// <param name="Chosen">How many were chosen, those that were cancelled left out.</param>
public sealed record MeetingPageDto(
    Guid Id,
    int Edition,
    Guid Member,
    string Address,
    string Title,
    string Words,
    string Type,
    string? Place,
    int Minutes,
    int GapMinutes,
    int NoticeHours,
    int? MostADay,
    int AheadDays,
    IReadOnlyList<FreeSpanDto> Hours,
    bool Shown,
    IReadOnlyList<string> Next,
    int Free,
    int Chosen
);

/// <summary>The practice's pages for choosing a time, and the kinds of appointments there are.</summary>
public sealed record MeetingPagesDto(IReadOnlyList<MeetingPageDto> Pages, IReadOnlyList<string> Types);

/// <summary>When members can be met, and the pages on which one chooses.</summary>
public static class MeetingEndpoints
{
    private const int MostPages = 100;
    private const int ShownTimes = 6;

    /// <param name="Title">What stands above it.</param>
    /// <param name="Member">Whom one meets; null for oneself.</param>
    public sealed record NewMeetingBody([AtMost(Lengths.Name)] string Title = "", Guid? Member = null);

    public sealed record MeetingBody(
        int Edition = 0,
        [AtMost(Lengths.Name)] string Title = "",
        [AtMost(Lengths.Remark)] string Words = "",
        [AtMost(Lengths.Name)] string Type = "",
        [AtMost(Lengths.Name)] string? Place = null,
        int Minutes = 0,
        int GapMinutes = 0,
        int NoticeHours = 0,
        int? MostADay = null,
        int AheadDays = 0,
        [AtMost(Lengths.Name, Items = 50)] IReadOnlyList<FreeSpanDto>? Hours = null,
        bool Shown = false
    );

    public static void Map(IEndpointRouteBuilder app)
    {
        var meetings = app.MapGroup("/api/meetings").WithTags("meetings").RequireAuthorization(Rights.Work);
        meetings.MapGet("", List);
        meetings.MapPost("", Create);
        meetings.MapPut("/{id:guid}", Save);
        meetings.MapDelete("/{id:guid}", Delete);
        meetings.MapGet("/{id:guid}/code.svg", Code).ExcludeFromDescription();
    }

    private static async Task<MeetingPagesDto> List(GerminalDb db, PublicLinks links, CancellationToken stop)
    {
        var rows = await db.MeetingPages.AsNoTracking().OrderBy(p => p.Title).ThenBy(p => p.Id).Take(MostPages).ToListAsync(stop);
        var types = (await db.OwnPracticeAsync(stop)).Settings.AppointmentTypes;
        return new MeetingPagesDto(await DtosAsync(db, rows, links, stop), types);
    }

    private static async Task<IReadOnlyList<MeetingPageDto>> DtosAsync(GerminalDb db, List<MeetingPageRow> rows, PublicLinks links, CancellationToken stop)
    {
        var practice = await PracticeReading.LoadAsync(db, stop);
        var now = await PracticeClock.NowAsync(db, stop);
        var chosen = await db.Appointments.AsNoTracking().Where(a => a.PageId != null && a.CancelledAt == null).GroupBy(a => a.PageId!.Value).Select(g => new { g.Key, Count = g.Count() }).ToDictionaryAsync(g => g.Key, g => g.Count, stop);
        var free = await MeetingTimes.FreeAsync(db, rows, practice, now, null, stop);
        return
        [
            .. rows.Select(row => new MeetingPageDto(
                row.Id,
                row.Edition,
                row.MemberId,
                links.Meeting(row.Slug),
                row.Title,
                row.Words,
                row.Type,
                row.Place,
                row.Minutes,
                row.GapMinutes,
                row.NoticeHours,
                row.MostADay,
                row.AheadDays,
                [.. row.Hours.Select(h => new FreeSpanDto(h.Day, h.From, h.To))],
                row.Shown,
                [.. free[row.Id].Take(ShownTimes).Select(t => t.Iso())],
                free[row.Id].Count,
                chosen.GetValueOrDefault(row.Id)
            )),
        ];
    }

    /// <summary>Everybody says when they are free themselves; a principal of anybody.</summary>
    private static bool IsTheirs(Caller caller, Guid member) => member == caller.Id || caller.May(Rights.ChangeSettings);

    private static async Task<Results<Ok<MeetingPageDto>, ValidationProblem, ProblemHttpResult>> Create(NewMeetingBody body, GerminalDb db, PublicLinks links, Caller caller, CancellationToken stop)
    {
        var member = body.Member ?? caller.Id;
        if (!IsTheirs(caller, member))
        {
            return Problems.NotYours(Rights.ChangeSettings);
        }

        if (!await db.Users.AnyAsync(m => m.Id == member && m.PracticeId == db.PracticeId, stop))
        {
            return Problems.Field("member", Said("There is no such member."));
        }

        if (await db.MeetingPages.CountAsync(stop) >= MostPages)
        {
            return Problems.Conflict(Say($"There are {MostPages} pages already. Throw one away that nobody uses."));
        }

        var settings = (await db.OwnPracticeAsync(stop)).Settings;
        var before = await db.MeetingPages.AsNoTracking().Where(p => p.MemberId == member).OrderByDescending(p => p.ChangedAt).FirstOrDefaultAsync(stop);
        var row = new MeetingPageRow
        {
            Id = Guid.CreateVersion7(),
            PracticeId = caller.PracticeId,
            MemberId = member,
            Slug = FormDesk.NewSlug(body.Title),
            Title = body.Title.Trim(),
            Type = settings.AppointmentTypes.FirstOrDefault() ?? "",
            Place = before?.Place,
            Minutes = 60,
            GapMinutes = before?.GapMinutes ?? 15,
            NoticeHours = before?.NoticeHours ?? 24,
            MostADay = before?.MostADay ?? 4,
            AheadDays = before?.AheadDays ?? 30,
            Hours = before?.Hours ?? [.. settings.WorkingDays.Select(day => new ReachedSettings { Day = day, From = "09:00", To = "12:00" })],
            By = caller.Name,
            ChangedAt = await PracticeClock.NowAsync(db, stop),
        };
        if (MeetingPages.Problems(row, settings).ToList() is { Count: > 0 } wrong)
        {
            return Problems.Fields(wrong);
        }

        db.MeetingPages.Add(row);
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok((await DtosAsync(db, [row], links, stop))[0]);
    }

    private static async Task<Results<Ok<MeetingPageDto>, NotFound, ValidationProblem, ProblemHttpResult>> Save(Guid id, MeetingBody body, GerminalDb db, PublicLinks links, Caller caller, CancellationToken stop)
    {
        if (await db.MeetingPages.FirstOrDefaultAsync(p => p.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (!IsTheirs(caller, row.MemberId))
        {
            return Problems.NotYours(Rights.ChangeSettings);
        }

        if (row.Edition != body.Edition)
        {
            return Problems.Conflict(Say($"{row.By} has changed this page since you opened it. Load it again to see their version."));
        }

        (row.Title, row.Words, row.Type, row.Place) = (body.Title.Trim(), body.Words.Trim(), body.Type, body.Place?.Trim() is { Length: > 0 } place ? place : null);
        (row.Minutes, row.GapMinutes, row.NoticeHours, row.MostADay, row.AheadDays) = (body.Minutes, body.GapMinutes, body.NoticeHours, body.MostADay, body.AheadDays);
        row.Hours = [.. (body.Hours ?? []).Select(h => new ReachedSettings { Day = h.Day, From = h.From, To = h.To })];
        row.Shown = body.Shown;
        if (MeetingPages.Problems(row, (await db.OwnPracticeAsync(stop)).Settings).ToList() is { Count: > 0 } wrong)
        {
            return Problems.Fields(wrong);
        }

        row.Edition++;
        (row.By, row.ChangedAt) = (caller.Name, await PracticeClock.NowAsync(db, stop));
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok((await DtosAsync(db, [row], links, stop))[0]);
    }

    /// <summary>Throws a page away that nobody can open. Appointments that were chosen on it stay.</summary>
    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Delete(Guid id, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (await db.MeetingPages.FirstOrDefaultAsync(p => p.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (!IsTheirs(caller, row.MemberId))
        {
            return Problems.NotYours(Rights.ChangeSettings);
        }

        if (row.Shown)
        {
            return Problems.Conflict(Said("Everybody can open it. Take it back first."));
        }

        db.MeetingPages.Remove(row);
        await db.SaveChangesAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<IResult> Code(Guid id, GerminalDb db, PublicLinks links, CancellationToken stop) =>
        await db.MeetingPages.Where(p => p.Id == id).Select(p => p.Slug).FirstOrDefaultAsync(stop) is { } slug ? Results.Text(SignUpSheet.CodeSvg(links.Meeting(slug)), "image/svg+xml") : Results.NotFound();
}
