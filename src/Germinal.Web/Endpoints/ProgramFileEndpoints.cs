using System.Text;
using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>What became of one program file: the program it is now, or what is wrong with it, each with its place.</summary>
public sealed record ProgramTakenDto(string File, Guid? Id, string? Name, IReadOnlyList<FindingDto> Findings);

/// <summary>Programs as files, out and in, and copied.</summary>
public static class ProgramFileEndpoints
{
    private static readonly JsonSerializerOptions Readable = new() { WriteIndented = true, Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    private const int MostAtOnce = 50;
    private const int LongestFile = 1_000_000;

    /// <summary>One file; a program with long letters has a few ten thousand letters.</summary>
    public sealed record FileBody([AtMost(Lengths.Name)] string Name, [AtMost(LongestFile)] string Text);

    public sealed record FilesBody([AtMost(LongestFile, Items = MostAtOnce)] IReadOnlyList<FileBody> Files);

    public static void Map(IEndpointRouteBuilder app)
    {
        var programs = app.MapGroup("/api/programs").WithTags("programs").RequireAuthorization(Rights.WritePrograms);
        programs.MapGet("/{id:guid}/file", Download).ExcludeFromDescription();
        programs.MapPost("/files", Take);
        programs.MapPost("/{id:guid}/copy", Copy);
    }

    /// <summary>The program as it is written now, as a file that this or another practice can take in.</summary>
    private static async Task<IResult> Download(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.Programs.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id, stop) is not { } row)
        {
            return Results.NotFound();
        }

        return Results.File(
            Encoding.UTF8.GetBytes(JsonNode.Parse(row.Draft)!.ToJsonString(Readable) + "\n"),
            "application/json",
            $"{FileNames.Of(row.Name, "program")}.program.json"
        );
    }

    /// <summary>Takes in files; each that can be read becomes a program being written, whatever the others are.</summary>
    private static async Task<Results<Ok<IReadOnlyList<ProgramTakenDto>>, ValidationProblem>> Take(
        FilesBody body,
        GerminalDb db,
        ProgramDesk desk,
        Caller caller,
        CancellationToken stop
    )
    {
        var files = body.Files.OfType<FileBody>().Select(f => (f.Name, f.Text)).ToList();
        return files.Count == 0
            ? Problems.Field("files", Say($"Give between one and {MostAtOnce} program files at a time."))
            : TypedResults.Ok(await TakeAsync(files, db, desk, caller, stop));
    }

    /// <summary>The same program once more, being written, under a name of its own.</summary>
    private static async Task<Results<Ok<ProgramTakenDto>, NotFound>> Copy(Guid id, GerminalDb db, ProgramDesk desk, Caller caller, CancellationToken stop) =>
        await db.Programs.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id, stop) is { } row
            ? TypedResults.Ok((await TakeAsync([(row.Name, row.Draft)], db, desk, caller, stop))[0])
            : TypedResults.NotFound();

    internal static async Task<IReadOnlyList<ProgramTakenDto>> TakeAsync(
        IReadOnlyList<(string File, string Text)> files,
        GerminalDb db,
        ProgramDesk desk,
        Caller caller,
        CancellationToken stop
    )
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var taken = await new ProgramsTaken(db, desk, caller.Name, caller.Id, await PracticeClock.NowAsync(db, stop)).TakeAsync(files, stop);
        await transaction.CommitAsync(stop);
        return [.. taken.Select(t => new ProgramTakenDto(t.File, t.Id, t.Name, [.. t.Findings.Select(f => new FindingDto(f.Pointer, f.Message, f.IsWarning))]))];
    }
}
