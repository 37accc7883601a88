using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Letters;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A file that letters carry or lead to.</summary>
/// <param name="Id">Which.</param>
/// <param name="Name">Its name.</param>
/// <param name="What">What it is, in words.</param>
/// <param name="Bytes">How large it is.</param>
/// <param name="Address">Where anybody reads it who has the address.</param>
/// <param name="By">Who brought it.</param>
/// <param name="At">When.</param>
/// <param name="Uses">Who carries it.</param>
public sealed record KeptFileDto(Guid Id, string Name, string What, int Bytes, string Address, string By, string At, IReadOnlyList<KeptUse> Uses);

/// <summary>Files that letters carry, or lead to as a link that is followed.</summary>
public static class KeptFileEndpoints
{
    private const int MostMegabytes = KeptFile.MostBytes / (1024 * 1024);
    private const int MostForAll = 500 * 1024 * 1024;

    /// <param name="Name">Its new name, with the ending it has.</param>
    public sealed record FileName([AtMost(Lengths.Name)] string Name = "");

    public static void Map(IEndpointRouteBuilder app)
    {
        var files = app.MapGroup("/api/files").WithTags("files").RequireAuthorization(Rights.WritePrograms);
        files.MapGet("", List);
        files.MapPost("", Keep).WithMetadata(new Microsoft.AspNetCore.Mvc.RequestSizeLimitAttribute(Uploads.RequestBytes(Uploads.TooLargeToSay)));
        files.MapPut("/{id:guid}", Rename);
        files.MapDelete("/{id:guid}", Delete);
        app.MapGet("/f/{id:guid}/{name}", Read).ExcludeFromDescription().RequireRateLimiting(PublicBrake.Letters);
    }

    private static async Task<IReadOnlyList<KeptFileDto>> List(GerminalDb db, Channels.PublicLinks links, CancellationToken stop)
    {
        var uses = await KeptNames.UsesAsync(db, stop);
        var rows = await db
            .KeptFiles.AsNoTracking()
            .Select(f => new KeptFileRow
            {
                Id = f.Id,
                Name = f.Name,
                FormerNames = f.FormerNames,
                ContentType = f.ContentType,
                Bytes = f.Bytes,
                Content = Array.Empty<byte>(),
                By = f.By,
                At = f.At,
            })
            .ToListAsync(stop);
        return
        [
            .. rows.OrderBy(f => f.Name, StringComparer.OrdinalIgnoreCase)
                .Select(f => new KeptFileDto(
                    f.Id,
                    f.Name,
                    FileKind.All.FirstOrDefault(k => k.Type == f.ContentType)?.What ?? f.ContentType,
                    f.Bytes,
                    $"{links.BaseUrl}/f/{f.Id}/{Uri.EscapeDataString(f.Name)}",
                    f.By,
                    f.At.Iso(),
                    KeptNames.UsesOf(f, KeptNames.FilePart, uses)
                )),
        ];
    }

    private static async Task<Results<Ok<KeptFileDto>, ValidationProblem>> Keep(IFormFile file, GerminalDb db, Channels.PublicLinks links, Caller caller, CancellationToken stop)
    {
        var (content, problem) = await Uploads.ReadAsync(file, MostMegabytes, Said("Make it smaller, or lead to a page that has it."), stop);
        if (problem is not null)
        {
            return problem;
        }

        var name = Path.GetFileName(file.FileName.Replace('\\', '/')).Trim();
        if (await KeptNames.ProblemAsync<KeptFileRow>(db, Guid.Empty, name, Said("a file"), stop) is { } named)
        {
            return Problems.Field("file", named);
        }

        var (kind, wrong) = FileKind.Of(content, name);
        if (kind is null)
        {
            return Problems.Field("file", wrong!);
        }

        if (await db.KeptFiles.SumAsync(f => (long)f.Bytes, stop) + content.Length > MostForAll)
        {
            return Problems.Field("file", Said("The practice keeps 500 MB of files already. Throw away some that no letter carries any more."));
        }

        var row = new KeptFileRow
        {
            Id = Guid.NewGuid(),
            PracticeId = caller.PracticeId,
            Name = name,
            ContentType = kind.Type,
            Bytes = content.Length,
            Content = content,
            By = caller.Name,
            At = await PracticeClock.NowAsync(db, stop),
        };
        db.KeptFiles.Add(row);
        return await KeptSaving.SaveAsync(db, () => KeptSaving.Taken(Said("a file"), name), stop) is { } taken
            ? taken
            : TypedResults.Ok((await List(db, links, stop)).First(f => f.Id == row.Id));
    }

    private static async Task<Results<Ok<KeptFileDto>, NotFound, ValidationProblem>> Rename(Guid id, FileName body, GerminalDb db, Channels.PublicLinks links, CancellationToken stop)
    {
        if (await db.KeptFiles.FirstOrDefaultAsync(f => f.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        var name = body.Name.Trim();
        if (await KeptNames.ProblemAsync<KeptFileRow>(db, id, name, Said("a file"), stop) is { } named)
        {
            return Problems.Field("name", named);
        }

        if (FileKind.Of(row.Content, name).Problem is { } wrong)
        {
            return Problems.Field("name", wrong);
        }

        KeptNames.Rename(row, name);
        return await KeptSaving.SaveAsync(db, () => KeptSaving.Taken(Said("a file"), name), stop) is { } taken ? taken : TypedResults.Ok((await List(db, links, stop)).First(f => f.Id == id));
    }

    private static async Task<Results<NoContent, NotFound, ProblemHttpResult>> Delete(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.KeptFiles.AsNoTracking().FirstOrDefaultAsync(f => f.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        return KeptNames.KeepsIt(row, KeptNames.UsesOf(row, KeptNames.FilePart, await KeptNames.UsesAsync(db, stop))) is { } used
            ? Problems.Conflict(used)
            : await KeptSaving.RemoveAsync(db, db.KeptFiles.Where(f => f.Id == id), stop);
    }

    /// <summary>A file for whoever follows a link to it: always saved, never run as a page of ours.</summary>
    private static async Task<IResult> Read(Guid id, string name, GerminalDb db, CancellationToken stop) =>
        await db.KeptFiles.IgnoreQueryFilters().AsNoTracking().FirstOrDefaultAsync(f => f.Id == id, stop) is { } file
            ? Results.File(file.Content, file.ContentType, file.Name)
            : PublicPages.NotOurs();
}
