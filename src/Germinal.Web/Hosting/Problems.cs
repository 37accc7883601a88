using Germinal.Service.People;
using Microsoft.AspNetCore.Http.HttpResults;

namespace Germinal.Web.Hosting;

/// <summary>Errors as RFC 9457 problem details that say which field and what would be right.</summary>
public static class Problems
{
    private static string Title => Said("Something has to be put right");

    /// <summary>What the framework finds wrong with a body looks like what we find: fields by the names they were sent with.</summary>
    public static void InOneShape(ProblemDetailsOptions options) =>
        options.CustomizeProblemDetails = context =>
        {
            if (context.ProblemDetails is HttpValidationProblemDetails { Errors.Count: > 0 } found && found.Title != Title)
            {
                var errors = found.Errors.ToDictionary(
                    e => string.Join('.', e.Key.Split('.').Select(System.Text.Json.JsonNamingPolicy.CamelCase.ConvertName)),
                    e => e.Value,
                    StringComparer.Ordinal
                );
                (found.Title, found.Detail, found.Errors) = (Title, errors.First().Value[0], errors);
            }
        };

    /// <summary>One field is wrong.</summary>
    public static ValidationProblem Field(string field, string message) =>
        TypedResults.ValidationProblem(new Dictionary<string, string[]>(StringComparer.Ordinal) { [field] = [message] }, detail: message, title: Title);

    /// <summary>Several fields are wrong.</summary>
    public static ValidationProblem Fields(IEnumerable<(string Field, string Message)> problems) =>
        TypedResults.ValidationProblem(
            problems.GroupBy(p => p.Field, StringComparer.Ordinal).ToDictionary(g => g.Key, g => g.Select(p => p.Message).ToArray(), StringComparer.Ordinal),
            title: Title
        );

    /// <summary>
    /// Somebody has the same already. It may be meant: the answer names them by field under <c>others</c>, and the call says
    /// <c>anyway</c> when it is.
    /// </summary>
    public static ValidationProblem There(IReadOnlyList<SameAs> same) =>
        TypedResults.ValidationProblem(
            same.ToDictionary(s => s.Field, s => new[] { s.Message }, StringComparer.Ordinal),
            detail: same[0].Message,
            title: Title,
            extensions: new Dictionary<string, object?>(StringComparer.Ordinal)
            {
                ["others"] = same.ToDictionary(s => s.Field, s => s.Person, StringComparer.Ordinal),
            }
        );

    /// <summary>A member's role does not go so far.</summary>
    public static ProblemHttpResult NotYours(Right? missing, Caller? caller = null) =>
        TypedResults.Problem(
            missing is null
                ? Said("Your role does not go so far.")
                : caller is { SeesAll: false } && missing.Roles.Contains(caller.Role, StringComparer.Ordinal)
                    ? Say($"To {Said(missing.What)} one has to see everybody, and you see some of the people. Ask somebody who does.")
                : Say($"To {Said(missing.What)} one has to be {string.Join(Said(" or "), missing.Roles.Select(Said))} of the {(missing.Name == Rights.KeepInstallation ? Said("installation") : Said("practice"))}. Ask somebody who is."),
            statusCode: StatusCodes.Status403Forbidden,
            title: Said("Not yours to do")
        );

    /// <summary>As above, by the right's name.</summary>
    public static ProblemHttpResult NotYours(string right) => NotYours(Rights.All.First(r => r.Name == right));

    /// <summary>What was sent is not right as a whole.</summary>
    public static ProblemHttpResult PutRight(string message) =>
        TypedResults.Problem(message, statusCode: StatusCodes.Status400BadRequest, title: Said("Something has to be put right"));

    /// <summary>Somebody else was faster.</summary>
    public static ProblemHttpResult Conflict(string message) =>
        TypedResults.Problem(message, statusCode: StatusCodes.Status409Conflict, title: Said("Somebody else has changed this"));
}
