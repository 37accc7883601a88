using System.Text.Json.Nodes;

namespace Germinal.Web.Hosting;

/// <summary>What calls of the interface look like: a body for each of those that other programs make most. A test makes each of them.</summary>
public static class ApiExamples
{
    /// <summary>Bodies by method and address, as JSON.</summary>
    public static IReadOnlyDictionary<string, string> Bodies { get; } =
        new Dictionary<string, string>(StringComparer.Ordinal)
        {
            ["POST /api/people"] = """{"firstName":"Ida","lastName":"Rowan","email":"ida.rowan@example.com","source":"Open house"}""",
            ["POST /api/people/tag"] = """{"matching":{"search":"ida rowan"},"tag":"Open house"}""",
            ["POST /api/people/untag"] = """{"matching":{"search":"ida rowan"},"tag":"Open house"}""",
            ["POST /api/people/join"] = """{"matching":{"search":"ida rowan"},"list":"Quarterly letter"}""",
            ["PUT /api/practice"] = """{"pace":[{"max":2,"days":7,"channels":["email","text"]}],"dailyLimits":{"email":400}}""",
            ["POST /api/tags/rename"] = """{"tag":"Open house","to":"Came to see it","asOne":false}""",
            ["POST /api/keys"] = """{"name":"Accounts","rights":["work","bring-people-in"],"days":365}""",
            ["POST /api/hooks"] = """{"address":"https://hooks.example.com/germinal","kinds":["tag-added","inquiry-received"]}""",
        };

    /// <summary>The body of a call as an example; null where there is none.</summary>
    public static JsonNode? Of(string method, string path) => Bodies.TryGetValue($"{method} {path}", out var body) ? JsonNode.Parse(body) : null;
}
