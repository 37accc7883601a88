using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Programs;
using Germinal.Service.Today;
using Germinal.Store;
using Germinal.Web.Hosting;

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
        today.MapPost("/hold", Hold);
    }

    /// <summary>The sheet of everybody, of oneself, or of one member.</summary>
    private static async Task<TodayDto> Read(bool? mine, Guid? member, GerminalDb db, Caller caller, ProgramDesk programs, CancellationToken stop) =>
        await DaySheet.ReadAsync(
            db,
            await programs.EngineAsync(db, stop),
            member is { } other && other != caller.Id ? new Reader(other, false, true) : new Reader(caller.Id, caller.Role == "principal", mine == true || member is not null),
            await PracticeClock.NowAsync(db, stop),
            stop
        );

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
