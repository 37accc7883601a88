using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.House;
using Germinal.Service.Programs;
using Germinal.Service.Today;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;

namespace Germinal.Web.Endpoints;

/// <summary>How calls can end, in the practice's own words: read by everybody, changed by principals.</summary>
public static class OutcomeEndpoints
{
    /// <param name="Outcomes">In the order of their keys; Again is worked out and not read.</param>
    public sealed record OutcomesBody([AtMost(Lengths.Name, Items = 50)] IReadOnlyList<OutcomeDto>? Outcomes = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var outcomes = app.MapGroup("/api/outcomes").WithTags("practice").RequireAuthorization(Rights.Work);
        outcomes.MapGet("", Read);
        outcomes.MapPut("", Save).RequireAuthorization(Rights.ChangeSettings);
    }

    private static async Task<IReadOnlyList<OutcomeDto>> Read(GerminalDb db, CancellationToken stop)
    {
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        return CallOutcomes.Of(settings, practice.Calendar, (await PracticeClock.NowAsync(db, stop)).InZone(practice.Zone).Date);
    }

    private static async Task<Results<Ok<IReadOnlyList<OutcomeDto>>, ValidationProblem>> Save(OutcomesBody body, GerminalDb db, ProgramDesk programs, CancellationToken stop)
    {
        var wished = CallOutcomes.Stored(body.Outcomes ?? []);
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var change = await SettingsChange.LockAsync(db, stop);
        var wrong = await CallOutcomes.WrongAsync(db, change.Settings, change.Settings, wished, (await programs.EngineAsync(db, stop)).Shelf, stop);
        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong);
        }

        change.Settings.CallOutcomes = wished;
        await change.SaveAsync(stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(await Read(db, stop));
    }
}
