using Germinal.Core.Broadcasts;
using Germinal.Core.Files;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>What a program did, and holding some out of it so that this can be said.</summary>
public static class ProgramResultEndpoints
{
    private const int MostHeldOut = 50;

    /// <param name="Percent">The share of people that is held out from now on; 0 for none.</param>
    public sealed record HoldOutBody(int Percent = 0);

    /// <param name="Version">The version that new runs start with now.</param>
    /// <param name="Percent">The share held out.</param>
    public sealed record HoldOutSet(int Version, int Percent);

    public static void Map(IEndpointRouteBuilder app)
    {
        var results = app.MapGroup("/api/programs/{id:guid}").WithTags("programs").RequireAuthorization(Rights.Work);
        results.MapGet("/results", Read);
        results.MapPut("/hold-out", SetHoldOut).RequireAuthorization(Rights.SwitchPrograms);
    }

    /// <param name="version">Only runs of this version; null for all.</param>
    /// <param name="goal">A kind of goal; null for an opportunity that is won.</param>
    /// <param name="what">Its detail.</param>
    /// <param name="within">Within which span of the start, ISO 8601; null for ninety days.</param>
    private static async Task<Results<Ok<ProgramResultsDto>, NotFound, ValidationProblem>> Read(
        Guid id,
        int? version,
        [AtMost(20)] string? goal,
        [AtMost(Lengths.Name)] string? what,
        [AtMost(20)] string? within,
        GerminalDb db,
        CancellationToken stop
    )
    {
        if (await db.Programs.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id && p.CurrentVersion > 0, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var asked = new BroadcastGoal(goal ?? BroadcastGoal.Kinds[0], what ?? "", within ?? BroadcastGoal.Span);
        var wrong = BroadcastCheck.Goal(asked).ToList();
        if (wrong.Count > 0)
        {
            return Problems.Fields(wrong.Select(f => (f.Pointer.Split('/')[^1], f.Message)));
        }

        if (await db.ProgramVersions.AsNoTracking().FirstOrDefaultAsync(v => v.ProgramId == id && v.Version == (version ?? row.CurrentVersion), stop) is not { } published)
        {
            return Problems.Field("version", "It has had no such version.");
        }

        return TypedResults.Ok(await new ProgramResults(db, id, version, await PracticeClock.NowAsync(db, stop)).ReadAsync(ShelfReading.Definition(published.Definition), asked, stop));
    }

    private static async Task<Results<Ok<HoldOutSet>, NotFound, ValidationProblem, ProblemHttpResult>> SetHoldOut(Guid id, HoldOutBody body, GerminalDb db, Caller caller, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await db.Programs.FromSql($"SELECT * FROM programs WHERE id = {id} FOR UPDATE").AsTracking().FirstOrDefaultAsync(stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (body.Percent is < 0 or > MostHeldOut)
        {
            return Problems.Field("percent", $"Between 0 and {MostHeldOut} in a hundred can be held out; 10 is usual.");
        }

        if (await ProgramStanding.RefusalAsync(db, row, caller, stop) is { } notTheirs)
        {
            return notTheirs;
        }

        if (row.Status != "on" || !await ProgramDesk.AsPublished(db).AnyAsync(p => p.Id == id, stop))
        {
            return Problems.Conflict("It is not on as it is written: switch it on, or switch its changes on, and then hold some out.");
        }

        row.Draft = ProgramFile.Write(ShelfReading.Definition(row.Draft) with { HoldOut = body.Percent }).ToJsonString();
        (row.DraftNumber, row.DraftBy) = (row.DraftNumber + 1, caller.Name);
        var version = await ProgramDesk.PublishAsync(db, row, caller.Name, await PracticeClock.NowAsync(db, stop), stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(new HoldOutSet(version, body.Percent));
    }
}
