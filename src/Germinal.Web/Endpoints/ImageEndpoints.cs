using Germinal.Service.Letters;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Http.HttpResults;

namespace Germinal.Web.Endpoints;

/// <summary>Where an uploaded picture is.</summary>
public sealed record ImageDto(string Url);

/// <summary>Pictures for letters: told apart by their content, never by their name.</summary>
public static class ImageEndpoints
{
    private const int MostMegabytes = 5;

    public static void Map(IEndpointRouteBuilder app) =>
        app.MapPost("/api/images", Upload)
            .WithTags("images")
            .RequireAuthorization(Rights.WritePrograms)
            .WithMetadata(new Microsoft.AspNetCore.Mvc.RequestSizeLimitAttribute(Uploads.RequestBytes(Uploads.TooLargeToSay)));

    private static async Task<Results<Ok<ImageDto>, ValidationProblem>> Upload(IFormFile file, GerminalDb db, Caller caller, CancellationToken stop)
    {
        var (content, problem) = await Uploads.ReadAsync(file, MostMegabytes, Said("Make the picture smaller and try again."), stop);
        if (problem is not null)
        {
            return problem;
        }

        if (FileKind.PictureOf(content) is not { } kind)
        {
            return Problems.Field("file", Said("This is not a picture that mail programs show. PNG, JPEG, GIF and WebP are."));
        }

        var row = new ImageRow
        {
            Id = Guid.NewGuid(),
            PracticeId = caller.PracticeId,
            ContentType = kind.Type,
            Content = content,
        };
        db.Images.Add(row);
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(new ImageDto($"/i/{row.Id}"));
    }
}
