using System.Text;
using Germinal.Service.Import;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>A row of a consent file that is left out, and why.</summary>
public sealed record ConsentProblemDto(int Line, string Text);

/// <summary>What a consent file brings, or brought.</summary>
public sealed record ConsentFileDto(int Rows, int New, int Known, bool Written, int ProblemsInAll, IReadOnlyList<ConsentProblemDto> Problems);

/// <summary>The consent ledger as a file: out for a person, in for many.</summary>
public static class ConsentEndpoints
{
    private const int MostMegabytes = 20;
    private const int ProblemsShown = 300;

    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapPost("/api/consent-files", Take)
            .WithTags("consent")
            .RequireAuthorization(Rights.BringConsentIn)
            .WithMetadata(new Microsoft.AspNetCore.Mvc.RequestSizeLimitAttribute(Uploads.RequestBytes(MostMegabytes)));
        app.MapGet("/api/people/{id:guid}/consent.csv", Give).ExcludeFromDescription().RequireAuthorization(Rights.ExportPeople);
    }

    /// <summary>Says what a file brings; with <paramref name="write"/> it is added to the ledger as well.</summary>
    private static async Task<Results<Ok<ConsentFileDto>, ValidationProblem>> Take(
        IFormFile file,
        bool? write,
        GerminalDb db,
        Caller caller,
        CancellationToken stop
    )
    {
        var (bytes, problem) = await Uploads.ReadAsync(file, MostMegabytes, stop);
        if (problem is not null)
        {
            return problem;
        }

        try
        {
            var read = await ConsentFile.ReadAsync(db, bytes, caller.Name, stop);
            if (write == true)
            {
                await read.AddAsync(stop);
            }

            var report = read.Report;
            return TypedResults.Ok(
                new ConsentFileDto(
                    report.Rows,
                    report.New,
                    report.Known,
                    write == true,
                    report.Problems.Count,
                    [.. report.Problems.Take(ProblemsShown).Select(p => new ConsentProblemDto(p.Line, p.Text))]
                )
            );
        }
        catch (UnreadableFileException e)
        {
            return Problems.Field("file", e.Message);
        }
    }

    private static async Task<IResult> Give(Guid id, GerminalDb db, CancellationToken stop)
    {
        if (await db.People.AsNoTracking().FirstOrDefaultAsync(p => p.Id == id, stop) is not { } person)
        {
            return Results.NotFound();
        }

        await using var words = new StringWriter();
        await ConsentFile.WriteAsync(db, person, words, stop);
        return Results.File(
            Encoding.UTF8.GetBytes(words.ToString()),
            "text/csv; charset=utf-8",
            $"consent-{PersonNames.Fold(person.Name).Replace(' ', '-')}.csv"
        );
    }
}
