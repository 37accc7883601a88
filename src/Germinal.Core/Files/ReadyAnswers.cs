using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Core.Programs;

namespace Germinal.Core.Files;

/// <summary>Answers to what a ready program asks, put into its file.</summary>
public static class ReadyAnswers
{
    /// <summary>The file with each answer in its places, asking nothing any more.</summary>
    /// <param name="file">A program file that reads without error.</param>
    /// <param name="answers">By the question's id: a text, or for a choice its words. Null or missing: the default.</param>
    /// <param name="errors">Takes questions that stay without an answer, and answers that are none of the choices; under <c>/answers/ID</c>.</param>
    public static JsonObject Put(string file, IReadOnlyDictionary<string, string?> answers, List<Finding> errors)
    {
        var program = ProgramFile.Read(file).Program ?? throw new ArgumentException("The file does not read.", nameof(file));
        var json = JsonNode.Parse(file)!.AsObject();
        json.Remove("questions");
        foreach (var question in program.Questions)
        {
            var given = answers.GetValueOrDefault(question.Id)?.Trim();
            var answer = string.IsNullOrEmpty(given) ? question.Default : given;
            if (string.IsNullOrEmpty(answer))
            {
                errors.Add(new Finding($"/answers/{question.Id}", Say($"“{question.Ask}” needs an answer.")));
                continue;
            }

            var value = question.Kind == QuestionKind.Choice ? question.Choices.FirstOrDefault(c => c.Words == answer)?.Value : JsonSerializer.Serialize(answer);
            if (value is null)
            {
                errors.Add(new Finding($"/answers/{question.Id}", Say($"“{answer}” is none of the choices: {string.Join(", ", question.Choices.Select(c => c.Words))}.")));
                continue;
            }

            foreach (var place in question.Into)
            {
                Set(json, place, JsonNode.Parse(value));
            }
        }

        return json;
    }

    private static void Set(JsonObject file, string pointer, JsonNode? value)
    {
        var parts = ProgramFile.PointerParts(pointer).ToList();
        JsonNode at = file;
        foreach (var part in parts.Take(parts.Count - 1))
        {
            at = at is JsonArray list ? list[int.Parse(part, System.Globalization.CultureInfo.InvariantCulture)]! : at[part]!;
        }

        if (at is JsonArray array)
        {
            array[int.Parse(parts[^1], System.Globalization.CultureInfo.InvariantCulture)] = value;
        }
        else
        {
            at[parts[^1]] = value;
        }
    }
}
