using Microsoft.AspNetCore.Http.HttpResults;

namespace Germinal.Web.Hosting;

/// <summary>Errors as RFC 9457 problem details that say which field and what would be right.</summary>
public static class Problems
{
    /// <summary>One field is wrong.</summary>
    public static ValidationProblem Field(string field, string message) =>
        TypedResults.ValidationProblem(new Dictionary<string, string[]>(StringComparer.Ordinal) { [field] = [message] }, detail: message, title: "Something has to be put right");

    /// <summary>Several fields are wrong.</summary>
    public static ValidationProblem Fields(IEnumerable<(string Field, string Message)> problems) =>
        TypedResults.ValidationProblem(
            problems.GroupBy(p => p.Field, StringComparer.Ordinal).ToDictionary(g => g.Key, g => g.Select(p => p.Message).ToArray(), StringComparer.Ordinal),
            title: "Something has to be put right");

    /// <summary>Somebody else was faster.</summary>
    public static ProblemHttpResult Conflict(string message) =>
        TypedResults.Problem(message, statusCode: StatusCodes.Status409Conflict, title: "Somebody else has changed this");
}
