using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>What a merge would do.</summary>
public sealed record MergePreviewDto(
    string Kept,
    string Merged,
    IReadOnlyDictionary<string, int> Moves,
    IReadOnlyList<MergeChoice> Choices,
    IReadOnlyList<string> Stops,
    IReadOnlyList<string> Warnings
);

/// <summary>A merge that was made.</summary>
public sealed record MergedDto(Guid Merge);

/// <summary>A person's data as a whole: merging two people, handing everything out, erasing.</summary>
public static class PersonDataEndpoints
{
    /// <summary>The one that goes, and the fields whose value is taken from them; null for the choices already made.</summary>
    public sealed record MergeBody(Guid Other, [AtMost(100, Items = 40)] IReadOnlyList<string>? Take = null);

    public sealed record EraseBody([AtMost(2 * Lengths.Name)] string Name);

    public static void Map(IEndpointRouteBuilder app)
    {
        var person = app.MapGroup("/api/people/{id:guid}").WithTags("person data").RequireAuthorization(Rights.Work);
        person.MapGet("/merge/{other:guid}", Preview).RequireAuthorization(Rights.MergePeople);
        person.MapPost("/merge", Merge).RequireAuthorization(Rights.MergePeople);
        person.MapGet("/export", Export).ExcludeFromDescription().RequireAuthorization(Rights.ExportPeople);
        person.MapPost("/erase", Erase).RequireAuthorization(Rights.ErasePeople);
        app.MapPost("/api/merges/{id:guid}/undo", Undo).WithTags("person data").RequireAuthorization(Rights.MergePeople);
    }

    private static async Task<(PersonRow Kept, PersonRow Merged)?> BothAsync(GerminalDb db, Guid id, Guid other, CancellationToken stop)
    {
        var kept = await db.People.FirstOrDefaultAsync(p => p.Id == id && !p.Archived, stop);
        var merged = await db.People.FirstOrDefaultAsync(p => p.Id == other && !p.Archived, stop);
        return kept is null || merged is null || id == other ? null : (kept, merged);
    }

    private static async Task<PeopleMerge> MergeOfAsync(GerminalDb db, ProgramDesk programs, Caller caller, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        return new PeopleMerge(db, await programs.EngineAsync(db, stop), new PeopleDesk(db, caller.Name, now), now, caller.Name);
    }

    private static async Task<Results<Ok<MergePreviewDto>, NotFound>> Preview(
        Guid id,
        Guid other,
        GerminalDb db,
        ProgramDesk programs,
        Caller caller,
        CancellationToken stop
    )
    {
        if (await BothAsync(db, id, other, stop) is not { } both)
        {
            return TypedResults.NotFound();
        }

        var preview = await (await MergeOfAsync(db, programs, caller, stop)).PreviewAsync(both.Kept, both.Merged, stop);
        return TypedResults.Ok(
            new MergePreviewDto(
                both.Kept.Name,
                both.Merged.Name,
                preview.Moves,
                preview.Choices,
                preview.Stops,
                preview.Warnings
            )
        );
    }

    private static async Task<Results<Ok<MergedDto>, NotFound, ProblemHttpResult>> Merge(
        Guid id,
        MergeBody body,
        GerminalDb db,
        ProgramDesk programs,
        Caller caller,
        CancellationToken stop
    )
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var known = await db.People.CountAsync(p => p.Id == id || p.Id == body.Other, stop);
        if (known < 2)
        {
            return TypedResults.NotFound();
        }

        await PersonLock.TakeAsync(db, [id, body.Other], stop);
        if (await BothAsync(db, id, body.Other, stop) is not { } both)
        {
            return Problems.Conflict(Said("One of the two has been merged or archived meanwhile. Load the page again."));
        }

        var row = await (await MergeOfAsync(db, programs, caller, stop)).MergeAsync(both.Kept, both.Merged, body.Take?.ToHashSet(StringComparer.Ordinal), stop);
        await transaction.CommitAsync(stop);
        return TypedResults.Ok(new MergedDto(row.Id));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Undo(
        Guid id,
        GerminalDb db,
        ProgramDesk programs,
        Caller caller,
        CancellationToken stop
    )
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var pair = await db.Merges.AsNoTracking().Where(m => m.Id == id).Select(m => new[] { m.KeptId, m.MergedId }).FirstOrDefaultAsync(stop) ?? [];
        if (!await PersonLock.TakeAsync(db, pair, stop) || await db.Merges.FirstOrDefaultAsync(m => m.Id == id && m.UndoneAt == null, stop) is not { } merge)
        {
            return TypedResults.NotFound();
        }

        if (await (await MergeOfAsync(db, programs, caller, stop)).UndoAsync(merge, stop) is { } problem)
        {
            return Problems.Conflict(problem);
        }

        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }

    private static async Task<IResult> Export(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.People.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id, stop) is not { } person)
        {
            return Results.NotFound();
        }

        var memory = new MemoryStream();
        await new PersonData(db).WriteAsync(id, memory, stop);
        memory.Position = 0;
        return Results.File(memory, "application/zip", $"{PersonNames.Fold(person.Name).Replace(' ', '-')}.zip");
    }

    /// <summary>Erasing cannot be undone, so the caller names whom.</summary>
    private static async Task<Results<NoContent, NotFound, ValidationProblem>> Erase(Guid id, EraseBody body, GerminalDb db, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await db.People.FirstOrDefaultAsync(p => p.Id == id, stop) is not { } person)
        {
            return TypedResults.NotFound();
        }

        if (!string.Equals(body.Name.Trim(), person.Name, StringComparison.OrdinalIgnoreCase))
        {
            return Problems.Field("name", Say($"Write “{person.Name}” to erase them; this cannot be undone."));
        }

        await new PersonData(db).EraseAsync(person, await PracticeClock.NowAsync(db, stop), stop);
        await transaction.CommitAsync(stop);
        return TypedResults.NoContent();
    }
}
