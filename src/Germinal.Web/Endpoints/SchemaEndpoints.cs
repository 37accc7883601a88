using Germinal.Core.Files;

namespace Germinal.Web.Endpoints;

/// <summary>The JSON Schemas of the files, for anybody who writes them.</summary>
public static class SchemaEndpoints
{
    public static void Map(IEndpointRouteBuilder app)
    {
        app.MapGet("/schemas/germinal.program-1.json", () => TypedResults.Text(FileSchemas.Program, "application/schema+json"))
            .AllowAnonymous()
            .ExcludeFromDescription();
        app.MapGet("/schemas/germinal.practice-1.json", () => TypedResults.Text(FileSchemas.Practice, "application/schema+json"))
            .AllowAnonymous()
            .ExcludeFromDescription();
        app.MapGet("/schemas/germinal.form-1.json", () => TypedResults.Text(FileSchemas.Form, "application/schema+json"))
            .AllowAnonymous()
            .ExcludeFromDescription();
    }
}
