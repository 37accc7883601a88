using System.Net;
using System.Text.RegularExpressions;
using Germinal.Core.Rules;

namespace Germinal.Core.Files;

/// <summary>The rules of passages in a letter that stand only for some, which its HTML carries in <c>data-rule</c>.</summary>
public static partial class PassageRules
{
    // What only the engine remembers of a person is not at hand where a letter is filled in.
    private static readonly string[] OnlyInSteps = ["programs", "been-in", "last-touch", "last-reply", "next-touch"];

    /// <summary>The rules in the order they stand in a body.</summary>
    /// <param name="body">The body of an email, HTML or not.</param>
    /// <param name="pointer">Where it stands in the file.</param>
    /// <param name="errors">Takes what is wrong with them.</param>
    public static IReadOnlyList<Rule> In(string body, string pointer, List<Finding> errors)
    {
        var rules = new List<Rule>();
        foreach (var written in Written().Matches(body).Select(m => m.Value[(m.Value.IndexOf('=', StringComparison.Ordinal) + 2)..^1]))
        {
            var wrong = new List<Finding>();
            if (RuleReader.Read(WebUtility.HtmlDecode(written), wrong) is { } rule)
            {
                rules.Add(rule);
                if (rule.Leaves.FirstOrDefault(l => OnlyInSteps.Contains(l.Field, StringComparer.Ordinal)) is { } leaf)
                {
                    errors.Add(new Finding(pointer, Say($"A passage of a letter cannot ask for “{leaf.Field}”; the step’s “only if” can.")));
                }
            }

            errors.AddRange(wrong.Select(w => new Finding(pointer, Say($"A passage that stands only for some: {w.Message}"))));
        }

        return rules;
    }

    [GeneratedRegex("data-rule=(\"[^\"]*\"|'[^']*')", RegexOptions.ExplicitCapture | RegexOptions.NonBacktracking | RegexOptions.IgnoreCase)]
    private static partial Regex Written();
}
