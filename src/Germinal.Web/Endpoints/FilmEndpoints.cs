using Germinal.Channels;
using Germinal.Channels.Films;
using Germinal.Service;
using Germinal.Service.Clock;
using Germinal.Service.Films;
using Germinal.Service.Letters;
using Germinal.Store;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Endpoints;

/// <summary>Films of the practice: brought in, named, and who saw what of them.</summary>
public static class FilmEndpoints
{
    /// <param name="Edition">The edition that is changed.</param>
    /// <param name="Name">What it is called.</param>
    /// <param name="Words">What stands below it.</param>
    /// <param name="Still">Where its still is; null for none.</param>
    public sealed record FilmBody(int Edition = 0, [AtMost(Lengths.Name)] string Name = "", [AtMost(Lengths.Remark)] string Words = "", [AtMost(Lengths.Name)] string? Still = null);

    public static void Map(IEndpointRouteBuilder app)
    {
        var films = app.MapGroup("/api/films").WithTags("films").RequireAuthorization(Rights.Work);
        films.MapGet("", (GerminalDb db, PublicLinks links, CancellationToken stop) => FilmShelf.ReadAsync(db, links, stop));
        films
            .MapPost("", Bring)
            .RequireAuthorization(Rights.WritePrograms)
            .WithMetadata(new Microsoft.AspNetCore.Mvc.RequestSizeLimitAttribute(Uploads.RequestBytes(FilmKind.MostMegabytes + Uploads.TooLargeToSay)))
            .WithMetadata(new Microsoft.AspNetCore.Mvc.RequestFormLimitsAttribute { MultipartBodyLengthLimit = Uploads.RequestBytes(FilmKind.MostMegabytes + Uploads.TooLargeToSay) });
        films.MapPut("/{id:guid}", Change).RequireAuthorization(Rights.WritePrograms);
        films.MapDelete("/{id:guid}", Remove).RequireAuthorization(Rights.WritePrograms);
        films.MapGet("/{id:guid}/seen", Seen);
    }

    private static async Task<Results<Ok<FilmDto>, ValidationProblem>> Bring(IFormFile file, GerminalDb db, PublicLinks links, Caller caller, CancellationToken stop)
    {
        if (Uploads.SizeProblem(file, FilmKind.MostMegabytes, Said("Save it smaller (720 lines are enough for a page), or cut it shorter.")) is { } problem)
        {
            return problem;
        }

        // It lies in a file of the server's while it is looked at; of what is in it no more than a piece is in memory.
        await using var film = file.OpenReadStream();
        var (kind, wrong) = FilmKind.Of(film);
        if (kind is null)
        {
            return Problems.Field("file", wrong!);
        }

        if (await db.Films.CountAsync(stop) >= FilmShelf.Most || await db.Films.SumAsync(f => f.Bytes, stop) + file.Length > FilmShelf.MostForAll)
        {
            return Problems.Field("file", Said("There is no room for another film. Take one out that nobody needs any more."));
        }

        var name = await NameAsync(db, file.FileName, stop);
        return TypedResults.Ok(await FilmShelf.KeepAsync(db, film, kind, name, caller.Name, links, await PracticeClock.NowAsync(db, stop), stop));
    }

    /// <summary>The file's own name; where there is a film of that name, with a number.</summary>
    private static async Task<string> NameAsync(GerminalDb db, string file, CancellationToken stop)
    {
        var name = new string([.. Path.GetFileNameWithoutExtension(file).Where(c => !char.IsControl(c) && !char.IsSurrogate(c))]).Trim();
        name = name.Length == 0 ? Said("A film") : name.Length > 100 ? name[..100].Trim() : name;
        var taken = await db.Films.Where(f => f.Name.StartsWith(name)).Select(f => f.Name).ToListAsync(stop);
        return FreeName.Of(name, taken);
    }

    private static async Task<Results<Ok<IReadOnlyList<FilmDto>>, NotFound, ValidationProblem, ProblemHttpResult>> Change(Guid id, FilmBody body, GerminalDb db, PublicLinks links, CancellationToken stop)
    {
        if (await db.Films.FirstOrDefaultAsync(f => f.Id == id, stop) is not { } row)
        {
            return TypedResults.NotFound();
        }

        if (body.Edition != row.Edition)
        {
            return Problems.Conflict(Said("Somebody else has changed this film meanwhile. Load the page again."));
        }

        var name = body.Name.Trim();
        if (await FilmShelf.NameProblemAsync(db, id, name, stop) is { } wrong)
        {
            return Problems.Field("name", wrong);
        }

        Guid? still = null;
        if (body.Still is { Length: > 0 } address)
        {
            still = await OwnPictures.FindAsync(db, address, stop);
            if (still is null)
            {
                return Problems.Field("still", OwnPictures.NoSuch);
            }
        }

        (row.Name, row.Words, row.StillId) = (name, body.Words.Trim(), still);
        row.Edition++;
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(await FilmShelf.ReadAsync(db, links, stop));
    }

    private static async Task<Results<Ok<IReadOnlyList<FilmDto>>, NotFound>> Remove(Guid id, GerminalDb db, PublicLinks links, CancellationToken stop) =>
        await db.Films.Where(f => f.Id == id).ExecuteDeleteAsync(stop) == 0 ? TypedResults.NotFound() : TypedResults.Ok(await FilmShelf.ReadAsync(db, links, stop));

    private static async Task<Results<Ok<IReadOnlyList<FilmSeenBy>>, NotFound>> Seen(Guid id, GerminalDb db, CancellationToken stop) =>
        await db.Films.AsNoTracking().FirstOrDefaultAsync(f => f.Id == id, stop) is { } film ? TypedResults.Ok(await FilmShelf.SeenAsync(db, film, stop)) : TypedResults.NotFound();
}
