using Germinal.Channels.Post;
using Germinal.Core.Almanac;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Programs;
using Germinal.Service.Today;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>The day sheet: what to do now.</summary>
public static class TodayEndpoints
{
    /// <param name="Program">The program.</param>
    /// <param name="Step">The step whose letters are meant.</param>
    /// <param name="IsToday">Those of today, else those of tomorrow.</param>
    /// <param name="Hold">True to hold them, false to let them go again.</param>
    public sealed record HoldBody(Guid Program, [AtMost(Service.Lengths.Name)] string Step, bool IsToday, bool Hold);

    public static void Map(IEndpointRouteBuilder app)
    {
        var today = app.MapGroup("/api/today").WithTags("today").RequireAuthorization(Rights.Work);
        today.MapGet("", Read);
        today.MapGet("/not-on", (GerminalDb db, CancellationToken stop) => NotSwitchedOn.ReadAsync(db, stop));
        today.MapGet("/sheet.pdf", Print).ExcludeFromDescription();
        today.MapPost("/hold", Hold);
    }

    /// <summary>The sheet of everybody, of oneself, or of one member.</summary>
    private static async Task<TodayDto> Read(bool? mine, Guid? member, GerminalDb db, Caller caller, ProgramDesk programs, CancellationToken stop)
    {
        var (engine, now) = (await programs.EngineAsync(db, stop), await PracticeClock.NowAsync(db, stop));
        var whose = member ?? caller.Id;
        var standsInFor = CallDays.StandsInFor(engine.Practice, whose, now.InZone(engine.Practice.Zone).Date);
        var reader = new Reader(whose, whose == caller.Id && caller.Role == "principal", whose != caller.Id || mine == true || member is not null, standsInFor);
        return await DaySheet.ReadAsync(db, engine, reader, now, stop);
    }

    /// <summary>The sheet as a PDF, on US Letter or A4.</summary>
    private static async Task<IResult> Print(Guid? member, string? paper, GerminalDb db, Caller caller, ProgramDesk programs, CancellationToken stop)
    {
        if (paper is not (null or "a4" or "letter"))
        {
            return Problems.PutRight(Say($"“{paper}” is no paper it can be printed on; a4 and letter are."));
        }

        var day = await Read(null, member, db, caller, programs, stop);
        var whose = member is { } id ? await db.Users.Where(u => u.Id == id && u.PracticeId == db.PracticeId).Select(u => u.Name).FirstOrDefaultAsync(stop) : null;
        var pdf = DayPrint.Pdf(DayInWords.Title(day, whose), DayInWords.Stretches(day), paper == "letter");
        return Results.File(pdf, "application/pdf", $"day-sheet-{day.Now[..10]}.pdf");
    }

    /// <summary>Holds, or lets go again, all letters of one step that go on one day; gives back how many.</summary>
    private static async Task<PeopleEndpoints.Counted> Hold(HoldBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var zone = (await PracticeReading.LoadAsync(db, stop)).Zone;
        var (tomorrow, after) = DaySheet.EndsOf(now, zone);
        var (from, until) = body.IsToday ? (NodaTime.Instant.MinValue, tomorrow) : (tomorrow, after);
        return new PeopleEndpoints.Counted(await HoldMany.MarkAsync(db, body.Program, body.Step, from, until, body.Hold, now, caller.Name, stop));
    }
}
