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
    private const int MostBytes = 5 * 1024 * 1024;

    public static void Map(IEndpointRouteBuilder app) => app.MapPost("/api/images", Upload).WithTags("images").RequireAuthorization(Rights.WritePrograms);

    private static async Task<Results<Ok<ImageDto>, ValidationProblem>> Upload(IFormFile file, GerminalDb db, Caller caller, CancellationToken stop)
    {
        if (file.Length > MostBytes)
        {
            return Problems.Field("file", $"The picture is {file.Length / 1024d / 1024d:0.0} MB; 5 MB is the most. Make it smaller and try again.");
        }

        using var memory = new MemoryStream();
        await file.CopyToAsync(memory, stop);
        var content = memory.ToArray();
        if (TypeOf(content) is not { } type)
        {
            return Problems.Field("file", "This is not a picture that mail programs show. PNG, JPEG, GIF and WebP are.");
        }

        var row = new ImageRow
        {
            Id = Guid.NewGuid(),
            PracticeId = caller.PracticeId,
            ContentType = type,
            Content = content,
        };
        db.Images.Add(row);
        await db.SaveChangesAsync(stop);
        return TypedResults.Ok(new ImageDto($"/i/{row.Id}"));
    }

    /// <summary>The media type by the file's first bytes; null for anything else.</summary>
    private static string? TypeOf(ReadOnlySpan<byte> content) =>
        content.StartsWith((ReadOnlySpan<byte>)[0x89, 0x50, 0x4E, 0x47, 0x0D, 0x0A, 0x1A, 0x0A]) ? "image/png"
        : content.StartsWith((ReadOnlySpan<byte>)[0xFF, 0xD8, 0xFF]) ? "image/jpeg"
        : content.StartsWith("GIF87a"u8) || content.StartsWith("GIF89a"u8) ? "image/gif"
        : content.Length > 12 && content.StartsWith("RIFF"u8) && content[8..12].SequenceEqual("WEBP"u8) ? "image/webp"
        : null;
}
