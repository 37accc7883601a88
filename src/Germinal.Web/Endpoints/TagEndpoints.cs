using Germinal.Service;
using Germinal.Service.House;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;

namespace Germinal.Web.Endpoints;

/// <summary>The practice's tags: read by everybody, called otherwise by principals.</summary>
public static class TagEndpoints
{
    /// <param name="Tag">The tag.</param>
    /// <param name="To">What it is to be called.</param>
    /// <param name="AsOne">Where there is one of that name: the two become one.</param>
    public sealed record RenameTagBody([AtMost(Lengths.Name)] string Tag = "", [AtMost(Lengths.Name)] string To = "", bool AsOne = false);

    /// <param name="Tag">The tag.</param>
    public sealed record RemoveTagBody([AtMost(Lengths.Name)] string Tag = "");

    public static void Map(IEndpointRouteBuilder app)
    {
        var tags = app.MapGroup("/api/tags").WithTags("practice").RequireAuthorization(Rights.Work);
        tags.MapGet("", (GerminalDb db, CancellationToken stop) => OwnTags.ReadAsync(db, stop));
        tags.MapPost("/rename", Rename).RequireAuthorization(Rights.ChangeSettings);
        tags.MapPost("/remove", Remove).RequireAuthorization(Rights.ChangeSettings);
    }

    private static async Task<Results<Ok<IReadOnlyList<TagDto>>, ProblemHttpResult>> Rename(RenameTagBody body, GerminalDb db, CancellationToken stop) =>
        await OwnTags.RenameAsync(db, body.Tag, body.To, body.AsOne, stop) is { } problem ? Problems.PutRight(problem) : TypedResults.Ok(await OwnTags.ReadAsync(db, stop));

    private static async Task<Results<Ok<IReadOnlyList<TagDto>>, ProblemHttpResult>> Remove(RemoveTagBody body, GerminalDb db, CancellationToken stop) =>
        await OwnTags.RemoveAsync(db, body.Tag, stop) is { } problem ? Problems.PutRight(problem) : TypedResults.Ok(await OwnTags.ReadAsync(db, stop));
}
