using System.Collections.Frozen;
using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Core.Programs;
using Germinal.Core.Rules;

namespace Germinal.Core.Files;

/// <summary>What a file asks of whoever takes it, and what it brings along.</summary>
public static partial class ProgramFile
{
    private static readonly (string Word, QuestionKind Value)[] QuestionKinds =
    [
        ("stage", QuestionKind.Stage),
        ("tag", QuestionKind.Tag),
        ("member", QuestionKind.Member),
        ("time", QuestionKind.Time),
        ("choice", QuestionKind.Choice),
        ("text", QuestionKind.Text),
    ];

    private static ProgramQuestion? ReadQuestionAsked(JsonObjectReader o)
    {
        var question = new ProgramQuestion(
            o.Needed("id"),
            o.Needed("ask"),
            o.Has("kind") ? o.Choice("kind", QuestionKind.Text, QuestionKinds) : o.Bad<QuestionKind>("kind", Said("A question needs a kind; stage would be right.")),
            o.Text("default"),
            o.Texts("into"),
            o.List("choices", ReadChoice)
        );
        o.Done();
        if (question.Into.Count == 0)
        {
            o.Bad<object>("into", Said("An answer has to go somewhere; [\"/startsWhen/0/stage\"] would be right."));
        }

        if (question.Kind == QuestionKind.Choice != question.Choices.Count > 0)
        {
            o.Bad<object>("choices", Say($"A question of the kind choice needs choices, [{{ \"words\": …, \"value\": … }}], and no other kind has them."));
        }

        return question;
    }

    private static QuestionChoice? ReadChoice(JsonObjectReader o)
    {
        var words = o.Needed("words");
        var value = o.Has("value") ? o.Raw("value").GetRawText() : o.Bad<string>("value", Said("A choice needs a value to put into the file."));
        o.Done();
        return value is null ? null : new QuestionChoice(words, value);
    }

    /// <summary>Each place an answer goes to is one of the file's.</summary>
    private static void CheckQuestionsAsked(ProgramDefinition program, JsonElement json, List<Finding> errors)
    {
        var ids = new HashSet<string>(StringComparer.Ordinal);
        for (var i = 0; i < program.Questions.Count; i++)
        {
            var pointer = string.Create(System.Globalization.CultureInfo.InvariantCulture, $"/questions/{i}");
            if (!ids.Add(program.Questions[i].Id))
            {
                errors.Add(new Finding($"{pointer}/id", Say($"Two questions have the id “{program.Questions[i].Id}”; each needs its own.")));
            }

            foreach (var into in program.Questions[i].Into.Where(p => !Leads(json, p)))
            {
                errors.Add(new Finding($"{pointer}/into", Say($"“{into}” leads to nothing in this file; /startsWhen/0/stage would lead to the stage of its first start.")));
            }
        }
    }

    /// <summary>True where a JSON pointer (RFC 6901) leads to something other than the questions themselves.</summary>
    private static bool Leads(JsonElement json, string pointer)
    {
        if (!pointer.StartsWith('/') || pointer.StartsWith("/questions", StringComparison.Ordinal) || pointer.StartsWith("/format", StringComparison.Ordinal))
        {
            return false;
        }

        var at = json;
        foreach (var part in PointerParts(pointer))
        {
            if (at.ValueKind == JsonValueKind.Object && at.TryGetProperty(part, out var inner))
            {
                at = inner;
            }
            else if (at.ValueKind == JsonValueKind.Array && int.TryParse(part, System.Globalization.CultureInfo.InvariantCulture, out var index) && index >= 0 && index < at.GetArrayLength())
            {
                at = at[index];
            }
            else
            {
                return false;
            }
        }

        return true;
    }

    /// <summary>The keys and places a JSON pointer leads through, in their order (RFC 6901).</summary>
    internal static IEnumerable<string> PointerParts(string pointer) =>
        pointer.Split('/').Skip(1).Select(p => p.Replace("~1", "/", StringComparison.Ordinal).Replace("~0", "~", StringComparison.Ordinal));

    private static FrozenDictionary<string, Rule> ReadSegments(JsonObjectReader root)
    {
        var segments = new Dictionary<string, Rule>(StringComparer.OrdinalIgnoreCase);
        if (root.Object("segments") is not { } named)
        {
            return FrozenDictionary<string, Rule>.Empty;
        }

        foreach (var name in named.Keys.ToList())
        {
            if (RuleReader.Read(named.Raw(name), $"/segments/{name}", root.Errors) is { } rule)
            {
                segments[name] = rule;
            }
        }

        return segments.ToFrozenDictionary(StringComparer.OrdinalIgnoreCase);
    }

    private static JsonObject WriteQuestionAsked(ProgramQuestion q)
    {
        var o = new JsonObject
        {
            ["id"] = q.Id,
            ["ask"] = q.Ask,
            ["kind"] = Contact.ContactWords.WordOf(QuestionKinds, q.Kind),
        };
        Put(o, "default", q.Default);
        o["into"] = new JsonArray([.. q.Into.Select(p => (JsonNode)p)]);
        if (q.Choices.Count > 0)
        {
            o["choices"] = new JsonArray([.. q.Choices.Select(c => (JsonNode)new JsonObject { ["words"] = c.Words, ["value"] = JsonNode.Parse(c.Value) })]);
        }

        return o;
    }
}
