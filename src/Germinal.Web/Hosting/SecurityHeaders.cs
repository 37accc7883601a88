using Germinal.Web.Endpoints;

namespace Germinal.Web.Hosting;

/// <summary>Headers of every answer: everything comes from here, nothing frames us, nothing is guessed.</summary>
internal sealed class SecurityHeaders(RequestDelegate next)
{
    // Styles may be inline: floating layers are placed, and letters are shown, with style attributes.
    private const string Policy = Own + "frame-ancestors 'self'";

    // A form stands in whatever page its practice sets it into.
    private const string FormPolicy = Own + "frame-ancestors *";

    private const string Own =
        "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: http: https:; font-src 'self'; media-src 'self' blob:; connect-src 'self'; frame-src 'self'; form-action 'self'; base-uri 'none'; ";

    public Task InvokeAsync(HttpContext context)
    {
        var headers = context.Response.Headers;
        headers.ContentSecurityPolicy = context.Request.Path.StartsWithSegments(PublicForms.Root, StringComparison.Ordinal) ? FormPolicy : Policy;
        headers.XContentTypeOptions = "nosniff";
        headers["Referrer-Policy"] = "same-origin";
        headers["Cross-Origin-Opener-Policy"] = "same-origin";
        if (context.Request.Path.StartsWithSegments("/api", StringComparison.OrdinalIgnoreCase))
        {
            headers.CacheControl = "no-store";
        }

        return next(context);
    }
}
