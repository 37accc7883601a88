using System.Net;
using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace Germinal.Core.Files;

/// <summary>
/// Stages, reasons and tags under new names, wherever a file of ours says them: programs, forms, rules, and what links of letters set off. Two
/// names that become one are put together: a rule that asked for either asks for it once.
/// </summary>
/// <param name="Stages">New names by old ones, both written <c>Pipeline/Stage</c>; found without regard to case.</param>
/// <param name="Reasons">New reasons of lost opportunities by old ones; found without regard to case.</param>
public sealed record Renaming(IReadOnlyDictionary<string, string> Stages, IReadOnlyDictionary<string, string> Reasons)
{
    private const string LinkOpens = "data-opportunity=\"";
    private const string LinkTags = "data-tag=\"";

    /// <summary>New tags by old ones; found without regard to case.</summary>
    public IReadOnlyDictionary<string, string> Tags { get; init; } = new Dictionary<string, string>();

    private static readonly JsonSerializerOptions AsIs = new() { Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    /// <summary>Renames in a file.</summary>
    /// <param name="json">A program, a form, a rule, or somebody as they were, as JSON.</param>
    /// <returns>The file anew; null where it says none of these names, or is no JSON.</returns>
    public string? In(string json)
    {
        if (!Mentions(json))
        {
            return null;
        }

        try
        {
            var file = JsonNode.Parse(json);
            return Walk(file) ? file!.ToJsonString(AsIs) : null;
        }
        catch (JsonException)
        {
            return null;
        }
    }

    /// <summary>Renames the stages in which links of a letter open opportunities, and the tags they put on.</summary>
    /// <param name="letter">The letter's body, in our HTML.</param>
    /// <returns>The body; the same object where nothing is renamed in it.</returns>
    public string InLetter(string letter)
    {
        letter = InLinks(letter, LinkOpens, Stages);
        return InLinks(letter, LinkTags, Tags);
    }

    private static string InLinks(string letter, string opens, IReadOnlyDictionary<string, string> names)
    {
        if (names.Count == 0 || !letter.Contains(opens, StringComparison.Ordinal))
        {
            return letter;
        }

        foreach (var (from, to) in names)
        {
            letter = letter.Replace($"{opens}{WebUtility.HtmlEncode(from)}\"", $"{opens}{WebUtility.HtmlEncode(to)}\"", StringComparison.OrdinalIgnoreCase);
        }

        return letter;
    }

    /// <summary>A look that costs little: most files say none of the names. A name with signs that may be written in several ways is always looked for in earnest.</summary>
    private bool Mentions(string json) =>
        Stages.Keys.Concat(Reasons.Keys).Concat(Tags.Keys).Any(n => !n.All(c => char.IsAsciiLetterOrDigit(c) || c is ' ' or '/' or '-') || json.Contains(n, StringComparison.OrdinalIgnoreCase));

    private bool Walk(JsonNode? node) =>
        node switch
        {
            JsonObject o => InObject(o),
            JsonArray list => list.Aggregate(false, (changed, item) => Walk(item) || changed),
            _ => false,
        };

    private bool InObject(JsonObject o)
    {
        var changed = false;
        foreach (var (key, value) in o.ToList())
        {
            if (value is not JsonValue text || text.GetValueKind() != JsonValueKind.String)
            {
                changed |= Walk(value);
                continue;
            }

            var said = text.GetValue<string>();
            var names = key.ToUpperInvariant() switch
            {
                "STAGE" or "OPPORTUNITY" => Stages,
                "REASON" or "LOSTREASON" => Reasons,
                "TAG" or "TAGOFF" => Tags,
                "VALUE" => OfField(o),
                _ => null,
            };
            var anew = names is null ? InLetter(said) : names.FirstOrDefault(n => Same(n.Key, said)).Value ?? said;
            if (!string.Equals(anew, said, StringComparison.Ordinal))
            {
                (o[key], changed) = (anew, true);
            }
        }

        changed |= o["tags"] is JsonArray put && InList(put, Tags);
        return (o["value"] is JsonArray values && OfField(o) is { } several && InList(values, several)) || changed;
    }

    /// <summary>What a rule's values are names of; null for something else.</summary>
    private IReadOnlyDictionary<string, string>? OfField(JsonObject leaf) =>
        leaf["field"] is JsonValue field && field.TryGetValue<string>(out var name)
            ? name switch
            {
                "stage" => Stages,
                "lost-reason" => Reasons,
                "tags" => Tags,
                _ => null,
            }
            : null;

    private static bool InList(JsonArray values, IReadOnlyDictionary<string, string> names)
    {
        var before = values.Select(v => v?.ToString() ?? "").ToList();
        if (!before.Exists(v => names.Any(n => Same(n.Key, v))))
        {
            return false;
        }

        values.Clear();
        foreach (var value in before.Select(v => names.FirstOrDefault(n => Same(n.Key, v)).Value ?? v).Distinct(StringComparer.OrdinalIgnoreCase))
        {
            values.Add(value);
        }

        return true;
    }

    private static bool Same(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);
}
