using Microsoft.AspNetCore.Http.HttpResults;

namespace Germinal.Web.Hosting;

/// <summary>Files that members bring in.</summary>
internal static class Uploads
{
    private const int Megabyte = 1024 * 1024;

    /// <summary>How long a request may be, so that a file that is a little too large is still told what would be right.</summary>
    public static int RequestBytes(int mostMegabytes) => (mostMegabytes + 10) * Megabyte;

    /// <summary>A file's bytes, or what is wrong with it.</summary>
    public static async Task<(byte[] Bytes, ValidationProblem? Problem)> ReadAsync(IFormFile file, int mostMegabytes, CancellationToken stop)
    {
        if (file.Length == 0)
        {
            return ([], Problems.Field("file", "The file is empty."));
        }

        if (file.Length > mostMegabytes * Megabyte)
        {
            return ([], Problems.Field("file", $"The file is over {mostMegabytes} MB. Split it and bring it in in parts."));
        }

        using var memory = new MemoryStream();
        await file.CopyToAsync(memory, stop);
        return (memory.ToArray(), null);
    }
}
