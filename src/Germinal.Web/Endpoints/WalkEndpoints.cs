using Germinal.Core.Programs;
using Germinal.Service;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>Walking through a program with somebody, keeping walks as tests, and sending a letter to oneself.</summary>
public static class WalkEndpoints
{
    private const int MostMoves = 60;

    public sealed record WalkBody(Guid? Person = null, [AtMost(2000, Items = MostMoves)] IReadOnlyList<WalkMoveDto>? Moves = null);

    public sealed record KeepWalkBody([AtMost(Lengths.Name)] string? Name = null, Guid? Person = null, [AtMost(2000, Items = MostMoves)] IReadOnlyList<WalkMoveDto>? Moves = null);

    public sealed record TrialBody([AtMost(Lengths.Name)] string? StepId = null, Guid? Person = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var walks = app.MapGroup("/api/programs/{id:guid}").WithTags("programs").RequireAuthorization(Rights.WritePrograms);
        walks.MapPost("/walk", WalkThrough);
        walks.MapGet("/walks", Kept);
        walks.MapPost("/walks", Keep);
        walks.MapDelete("/walks/{walk:guid}", Forget);
        walks.MapPost("/trial", Trial);
    }

    private static async Task<Results<Ok<WalkDto>, NotFound, ValidationProblem>> WalkThrough(Guid id, WalkBody body, GerminalDb db, ProgramWalk walks, CancellationToken stop)
    {
        if (await ProgramEndpoints.DraftAsync(db, id, stop) is not { } draft)
        {
            return TypedResults.NotFound();
        }

        var moves = Moves(body.Moves);
        return ProgramWalk.ProblemOf(moves) is { } problem ? Problems.Field("moves", problem)
            : await walks.WalkAsync(db, id, draft.Program, body.Person, moves, stop) is { } walk ? TypedResults.Ok(walk)
            : TypedResults.NotFound();
    }

    private static List<WalkMoveDto> Moves(IReadOnlyList<WalkMoveDto>? moves) => [.. (moves ?? []).OfType<WalkMoveDto>()];

    private static async Task<Results<Ok<IReadOnlyList<KeptWalkDto>>, NotFound>> Kept(Guid id, GerminalDb db, ProgramWalk walks, CancellationToken stop) =>
        await ProgramEndpoints.DraftAsync(db, id, stop) is { } draft ? TypedResults.Ok(await walks.KeptAsync(db, id, draft.Program, stop)) : TypedResults.NotFound();

    private static async Task<Results<NoContent, NotFound, ValidationProblem>> Keep(
        Guid id,
        KeepWalkBody body,
        GerminalDb db,
        ProgramWalk walks,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await ProgramEndpoints.DraftAsync(db, id, stop) is not { } draft)
        {
            return TypedResults.NotFound();
        }

        var (name, moves) = ((body.Name ?? "").Trim(), Moves(body.Moves));
        if (name.Length == 0)
        {
            return Problems.Field("name", Said("Say what must happen: “opens the first, follows Book, stands in First meeting”."));
        }

        if (body.Person is not { } person)
        {
            return Problems.Field("person", Said("Say with whom it is walked."));
        }

        if (ProgramWalk.ProblemOf(moves) is { } problem)
        {
            return Problems.Field("moves", problem);
        }

        var (kept, noPerson) = await walks.KeepAsync(db, id, draft.Program, name, person, moves, caller.Name, stop);
        return noPerson ? TypedResults.NotFound()
            : kept is null ? TypedResults.NoContent()
            : Problems.Field("name", kept);
    }

    private static async Task<Results<NoContent, NotFound>> Forget(Guid id, Guid walk, GerminalDb db, CancellationToken stop) =>
        await db.KeptWalks.Where(w => w.Id == walk && w.ProgramId == id).ExecuteDeleteAsync(stop) > 0 ? TypedResults.NoContent() : TypedResults.NotFound();

    /// <summary>Sends one of its letters to whoever asks, as somebody would get it.</summary>
    private static async Task<Results<NoContent, NotFound, ValidationProblem, ProblemHttpResult>> Trial(
        Guid id,
        TrialBody body,
        GerminalDb db,
        TrialMail trials,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await ProgramEndpoints.DraftAsync(db, id, stop) is not { } draft)
        {
            return TypedResults.NotFound();
        }

        if (draft.Program.StepOf(body.StepId ?? "") is not EmailStep email)
        {
            return Problems.Field("stepId", Said("This is no email of the program. Choose one of its letters."));
        }

        if (await Somebody.OfAsync(db, Somebody.WhoGetsMail(db), body.Person, 0, stop) is not { } person)
        {
            return TypedResults.NotFound();
        }

        var facts = (await FactsReading.LoadAsync(db, [person], stop))[person];
        return await trials.SendAsync(db, draft.Program, email, facts, caller.Id, stop) is { } problem ? Problems.PutRight(problem) : TypedResults.NoContent();
    }
}
