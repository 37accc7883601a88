using System.Text.Json;
using Microsoft.AspNetCore.OpenApi;
using Microsoft.OpenApi;

namespace Germinal.Web.Hosting;

/// <summary>The OpenAPI document, from which the front end's client is generated.</summary>
internal static class ApiDescription
{
    public static void Configure(OpenApiOptions options)
    {
        options.AddDocumentTransformer(
            (document, _, _) =>
            {
                document.Info.Title = "Germinal";
                document.Info.Version = "1";
                document.Servers = [];
                document.Components ??= new OpenApiComponents();
                document.Components.SecuritySchemes = new Dictionary<string, IOpenApiSecurityScheme>(StringComparer.Ordinal)
                {
                    ["key"] = new OpenApiSecurityScheme
                    {
                        Type = SecuritySchemeType.Http,
                        Scheme = "bearer",
                        Description = "A key that a principal makes under The practice, Other programs. It works for that member, with what both may.",
                    },
                };
                document.Security = [new OpenApiSecurityRequirement { [new OpenApiSecuritySchemeReference("key", document)] = [] }];
                return Task.CompletedTask;
            }
        );

        // Filters that are records of their own are named like everything else; what is asked for is read without regard to case.
        options.AddOperationTransformer(
            (operation, context, _) =>
            {
                if (
                    operation.RequestBody?.Content is { } contents
                    && contents.TryGetValue("application/json", out var body)
                    && ApiExamples.Of(context.Description.HttpMethod ?? "", $"/{context.Description.RelativePath?.TrimEnd('/')}") is { } example
                )
                {
                    body.Example = example;
                }

                foreach (var parameter in operation.Parameters?.OfType<OpenApiParameter>() ?? [])
                {
                    parameter.Name = JsonNamingPolicy.CamelCase.ConvertName(parameter.Name ?? "");
                }

                return Task.CompletedTask;
            }
        );

        // Numbers are numbers: the web defaults would also allow them as text, and the client would have to doubt each one.
        options.AddSchemaTransformer(
            (schema, context, _) =>
            {
                if (
                    schema.Type is { } type
                    && type.HasFlag(JsonSchemaType.String)
                    && (type.HasFlag(JsonSchemaType.Integer) || type.HasFlag(JsonSchemaType.Number))
                )
                {
                    schema.Type = type & ~JsonSchemaType.String;
                    schema.Pattern = null;
                }

                if (context.JsonTypeInfo.Type == typeof(JsonElement))
                {
                    schema.Type = JsonSchemaType.Object;
                }

                return Task.CompletedTask;
            }
        );
    }
}
