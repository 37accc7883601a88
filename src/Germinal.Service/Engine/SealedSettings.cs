using System.Text.Json.Nodes;

namespace Germinal.Service.Engine;

/// <summary>What is sealed with the installation's keys among a practice's settings: everything whose name begins with <c>sealed</c>.</summary>
public static class SealedSettings
{
    /// <summary>Each of them that holds something, as the object it stands in and its name there.</summary>
    /// <param name="settings">Settings as they are stored, or a part of them.</param>
    public static IEnumerable<(JsonObject In, string Name)> Of(JsonNode? settings) =>
        settings switch
        {
            JsonObject fields => fields.SelectMany(f =>
                !f.Key.StartsWith("sealed", StringComparison.Ordinal) ? Of(f.Value)
                : f.Value?.GetValue<string>() is { Length: > 0 } ? [(fields, f.Key)]
                : []
            ),
            JsonArray items => items.SelectMany(Of),
            _ => [],
        };
}
