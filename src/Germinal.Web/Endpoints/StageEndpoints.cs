using Germinal.Service;
using Germinal.Service.Pipelines;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;

namespace Germinal.Web.Endpoints;

/// <summary>The practice's own pipelines, stages and reasons: read by everybody, changed by principals.</summary>
public static class StageEndpoints
{
    /// <param name="Name">The pipeline.</param>
    /// <param name="Stages">Its stages, in order.</param>
    public sealed record PipelineBody([AtMost(Lengths.Name)] string Name = "", [AtMost(Lengths.Name, Items = 100)] IReadOnlyList<string>? Stages = null);

    /// <param name="Pipelines">All of them.</param>
    /// <param name="Reasons">All reasons, in order.</param>
    public sealed record StagesBody([AtMost(0, Items = 100)] IReadOnlyList<PipelineBody>? Pipelines = null, [AtMost(Lengths.Name, Items = 200)] IReadOnlyList<string>? Reasons = null);

    /// <param name="Pipeline">The pipeline.</param>
    /// <param name="Stage">The stage; null for the pipeline itself.</param>
    /// <param name="To">What it is to be called.</param>
    /// <param name="AsOne">Where there is one of that name: the two become one.</param>
    public sealed record RenameStageBody([AtMost(Lengths.Name)] string Pipeline = "", [AtMost(Lengths.Name)] string? Stage = null, [AtMost(Lengths.Name)] string To = "", bool AsOne = false);

    /// <param name="Reason">The reason.</param>
    /// <param name="To">What it is to be called.</param>
    /// <param name="AsOne">Where there is one of that name: the two become one.</param>
    public sealed record RenameReasonBody([AtMost(Lengths.Name)] string Reason = "", [AtMost(Lengths.Name)] string To = "", bool AsOne = false);

    public static void Map(IEndpointRouteBuilder app)
    {
        var stages = app.MapGroup("/api/stages").WithTags("practice").RequireAuthorization(Rights.Work);
        stages.MapGet("", (GerminalDb db, CancellationToken stop) => StageNames.ReadAsync(db, stop));
        stages.MapPut("", Save).RequireAuthorization(Rights.ChangeSettings);
        stages.MapPost("/rename", Rename).RequireAuthorization(Rights.ChangeSettings);
        stages.MapPost("/reasons/rename", RenameReason).RequireAuthorization(Rights.ChangeSettings);
    }

    private static async Task<Results<Ok<StagesDto>, ValidationProblem>> Save(StagesBody body, GerminalDb db, CancellationToken stop)
    {
        List<PipelineSettings> pipelines = [.. (body.Pipelines ?? []).Select(p => new PipelineSettings { Name = p.Name, Stages = [.. p.Stages ?? []] })];
        var wrong = await StageNames.ChangeAsync(db, pipelines, body.Reasons ?? [], stop);
        return wrong.Count > 0 ? Problems.Fields(wrong) : TypedResults.Ok(await StageNames.ReadAsync(db, stop));
    }

    private static async Task<Results<Ok<StagesDto>, ProblemHttpResult>> Rename(RenameStageBody body, GerminalDb db, CancellationToken stop) =>
        await StageNames.RenameAsync(db, body.Pipeline, body.Stage, body.To, body.AsOne, stop) is { } problem
            ? Problems.PutRight(problem)
            : TypedResults.Ok(await StageNames.ReadAsync(db, stop));

    private static async Task<Results<Ok<StagesDto>, ProblemHttpResult>> RenameReason(RenameReasonBody body, GerminalDb db, CancellationToken stop) =>
        await StageNames.RenameReasonAsync(db, body.Reason, body.To, body.AsOne, stop) is { } problem
            ? Problems.PutRight(problem)
            : TypedResults.Ok(await StageNames.ReadAsync(db, stop));
}
