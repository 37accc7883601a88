namespace Germinal.Web.Hosting;

/// <summary>Refuses addresses that carry NUL or are longer than anything of ours, before anybody looks into them.</summary>
public sealed class PlainAddresses(RequestDelegate next)
{
    private const int Longest = 8_000;

    public Task InvokeAsync(HttpContext context)
    {
        var (path, query) = (context.Request.Path.Value ?? "", context.Request.QueryString.Value ?? "");
        if (
            path.Contains('\0', StringComparison.Ordinal)
            || query.Contains("%00", StringComparison.Ordinal)
            || query.Contains('\0', StringComparison.Ordinal)
            || query.Length > Longest
        )
        {
            return TypedResults
                .Problem(
                    "The address holds a character that no text has (NUL), or is too long.",
                    statusCode: StatusCodes.Status400BadRequest,
                    title: "No address of ours"
                )
                .ExecuteAsync(context);
        }

        return next(context);
    }
}
