using Microsoft.AspNetCore.Http.HttpResults;

namespace Germinal.Web.Hosting;

/// <summary>Files that members bring in.</summary>
internal static class Uploads
{
    private const int Megabyte = 1024 * 1024;

    /// <summary>How far above what is taken a file may be, in megabytes, to be told so: what people drop by mistake is a film or a camera's picture.</summary>
    public const int TooLargeToSay = 90;

    /// <summary>How long a request may be, so that a file that is a little too large is still told what would be right.</summary>
    public static int RequestBytes(int mostMegabytes) => (mostMegabytes + 10) * Megabyte;

    /// <summary>A file's bytes, or what is wrong with it.</summary>
    public static Task<(byte[] Bytes, ValidationProblem? Problem)> ReadAsync(IFormFile file, int mostMegabytes, CancellationToken stop) =>
        ReadAsync(file, mostMegabytes, Said("Split it and bring it in in parts."), stop);

    /// <summary>A file's bytes, or what is wrong with it.</summary>
    /// <param name="file">The file.</param>
    /// <param name="mostMegabytes">How large it may be.</param>
    /// <param name="instead">What is to be done with one that is larger.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<(byte[] Bytes, ValidationProblem? Problem)> ReadAsync(IFormFile file, int mostMegabytes, string instead, CancellationToken stop)
    {
        if (SizeProblem(file, mostMegabytes, instead) is { } problem)
        {
            return ([], problem);
        }

        using var memory = new MemoryStream();
        await file.CopyToAsync(memory, stop);
        return (memory.ToArray(), null);
    }

    /// <summary>What is wrong with a file's size; null where nothing is.</summary>
    /// <inheritdoc cref="ReadAsync(IFormFile, int, string, CancellationToken)"/>
    public static ValidationProblem? SizeProblem(IFormFile file, int mostMegabytes, string instead) =>
        file.Length == 0 ? Problems.Field("file", Said("The file is empty."))
        : file.Length > (long)mostMegabytes * Megabyte
            ? Problems.Field("file", Say($"The file is {file.Length / (double)Megabyte:0.0} MB; {mostMegabytes} MB is the most. {instead}"))
        : null;
}
