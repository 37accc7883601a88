using Germinal.Service.Clock;
using Germinal.Service.Programs;
using Germinal.Service.Today;
using Germinal.Store;
using Germinal.Web.Hosting;

namespace Germinal.Web.Endpoints;

/// <summary>The day sheet: what to do now.</summary>
public static class TodayEndpoints
{
    public static void Map(IEndpointRouteBuilder app)
    {
        var today = app.MapGroup("/api/today").WithTags("today").RequireAuthorization(Rights.Work);
        today.MapGet("", Read);
    }

    private static async Task<TodayDto> Read(GerminalDb db, Caller caller, ProgramDesk programs, CancellationToken stop) =>
        await DaySheet.ReadAsync(db, await programs.EngineAsync(db, stop), new Reader(caller.Id, caller.Role == "principal"), await PracticeClock.NowAsync(db, stop), stop);
}
