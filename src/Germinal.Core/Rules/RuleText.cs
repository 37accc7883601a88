using System.Globalization;
using System.Text;

namespace Germinal.Core.Rules;

/// <summary>A rule as one line of text: equal rules give equal lines, whatever file they came from. For keys, not for people.</summary>
public static class RuleText
{
    /// <summary>The line.</summary>
    public static string Of(Rule rule)
    {
        var text = new StringBuilder();
        Write(rule, text);
        return text.ToString();
    }

    private static void Write(Rule rule, StringBuilder text)
    {
        switch (rule)
        {
            case AllOf all:
                Write("all", all.Parts, text);
                break;
            case AnyOf any:
                Write("any", any.Parts, text);
                break;
            case Not not:
                Write("not", [not.Part], text);
                break;
            case Leaf leaf:
                // Lengths before words, so that no value can look like the end of another.
                text.Append(CultureInfo.InvariantCulture, $"[{leaf.Field.Length}:{leaf.Field} {(int)leaf.Op}");
                foreach (var value in leaf.Values)
                {
                    text.Append(CultureInfo.InvariantCulture, $" {value.Length}:{value}");
                }

                text.Append(']');
                break;
            default:
                throw new ArgumentOutOfRangeException(nameof(rule));
        }
    }

    private static void Write(string word, IReadOnlyList<Rule> parts, StringBuilder text)
    {
        text.Append(word).Append('(');
        foreach (var part in parts)
        {
            Write(part, text);
        }

        text.Append(')');
    }
}
