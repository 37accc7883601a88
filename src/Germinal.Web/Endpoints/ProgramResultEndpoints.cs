using Germinal.Core.Broadcasts;
using Germinal.Core.Files;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Programs;
using Germinal.Service.Today;
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
        results.MapGet("/results/beside", Beside);
        results.MapPut("/hold-out", SetHoldOut).RequireAuthorization(Rights.SwitchPrograms);
    }

    /// <summary>Which results are asked for.</summary>
    public sealed record ResultsQuery
    {
        /// <summary>Only runs of this version; null for all.</summary>
        public int? Version { get; init; }

        /// <summary>A kind of goal; null for an opportunity that is won.</summary>
        public string? Goal { get; init; }

        /// <summary>Its detail.</summary>
        public string? What { get; init; }

        /// <summary>Within which span of the start, ISO 8601; null for ninety days.</summary>
        public string? Within { get; init; }
    }

    private static async Task<Results<Ok<ProgramResultsDto>, NotFound, ValidationProblem>> Read(Guid id, [AsParameters] ResultsQuery query, GerminalDb db, CancellationToken stop)
    {
        var (found, wrong) = await FindAsync(db, id, query.Version, query, stop);
        return wrong is not null ? wrong
            : found is null ? TypedResults.NotFound()
            : TypedResults.Ok(found);
    }

    /// <summary>A program or a version of it beside another.</summary>
    /// <param name="other">The other program; null for another version of this one.</param>
    /// <param name="otherVersion">The other's version; null for all of its runs.</param>
    private static async Task<Results<Ok<BesideDto>, NotFound, ValidationProblem>> Beside(
        Guid id,
        [AsParameters] ResultsQuery query,
        Guid? other,
        int? otherVersion,
        GerminalDb db,
        CancellationToken stop
    )
    {
        var (one, wrong) = await FindAsync(db, id, query.Version, query, stop);
        var (beside, wrongToo) = await FindAsync(db, other ?? id, otherVersion, query, stop);
        if ((wrong ?? wrongToo) is { } problem)
        {
            return problem;
        }

        if (one is null || beside is null)
        {
            return TypedResults.NotFound();
        }

        var areVersions = other is null || other == id;
        if (areVersions && (query.Version is null || otherVersion is null || query.Version == otherVersion))
        {
            return Problems.Field("otherVersion", Said("Choose two versions, or another program."));
        }

        return TypedResults.Ok(ProgramsBeside.Of(one, beside, areVersions, CallOutcomes.Reaching((await db.OwnPracticeAsync(stop)).Settings)));
    }

    /// <summary>The results of a program; nothing where there is none such, or what was asked is wrong.</summary>
    private static async Task<(ProgramResultsDto? Found, ValidationProblem? Wrong)> FindAsync(GerminalDb db, Guid id, int? version, ResultsQuery query, CancellationToken stop)
    {
        if (await db.Programs.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id && p.CurrentVersion > 0, stop) is not { } row)
        {
            return (null, null);
        }

        var asked = new BroadcastGoal(query.Goal ?? BroadcastGoal.Kinds[0], query.What ?? "", query.Within ?? BroadcastGoal.Span);
        var wrong = BroadcastCheck.Goal(asked).ToList();
        if (wrong.Count > 0)
        {
            return (null, Problems.Fields(wrong.Select(f => (f.Pointer.Split('/')[^1], f.Message))));
        }

        return await db.ProgramVersions.AsNoTracking().FirstOrDefaultAsync(v => v.ProgramId == id && v.Version == (version ?? row.CurrentVersion), stop) is not { } published
            ? (null, Problems.Field("version", Said("It has had no such version.")))
            : (await new ProgramResults(db, id, version, await PracticeClock.NowAsync(db, stop)).ReadAsync(ShelfReading.Definition(published.Definition), asked, stop), null);
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
            return Problems.Field("percent", Say($"Between 0 and {MostHeldOut} in a hundred can be held out; 10 is usual."));
        }

        if (await ProgramStanding.RefusalAsync(db, row, caller, stop) is { } notTheirs)
        {
            return notTheirs;
        }

        if (row.Status != "on" || !await ProgramDesk.AsPublished(db).AnyAsync(p => p.Id == id, stop))
        {
            return Problems.Conflict(Said("It is not on as it is written: switch it on, or switch its changes on, and then hold some out."));
        }

        row.Draft = ProgramFile.Write(ShelfReading.Definition(row.Draft) with { HoldOut = body.Percent }).ToJsonString();
        (row.DraftNumber, row.DraftBy) = (row.DraftNumber + 1, caller.Name);
        var version = await ProgramDesk.PublishAsync(db, row, caller.Name, await PracticeClock.NowAsync(db, stop), stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(new HoldOutSet(version, body.Percent));
    }
}
