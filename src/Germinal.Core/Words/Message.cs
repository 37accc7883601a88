using System.Globalization;
using System.Text;

namespace Germinal.Core.Words;

/// <summary>
/// A message in the form of ICU messages, as far as ours go: <c>{0}</c>, <c>{0, number}</c>, <c>{0, plural, one {# call} other {# calls}}</c>
/// and <c>{0, select, true {…} other {…}}</c>. Tests hold it against the formatter the pages use.
/// </summary>
public sealed class Message
{
    private abstract record Part;

    private sealed record Text(string Words) : Part;

    private sealed record Value(string Name, bool IsNumber) : Part;

    private sealed record Count : Part;

    private sealed record Choice(string Name, bool IsPlural, Dictionary<string, Part[]> Options) : Part;

    private readonly Part[] _parts;

    private Message(Part[] parts) => _parts = parts;

    /// <summary>Reads a message.</summary>
    /// <exception cref="FormatException">It is none.</exception>
    public static Message Read(string message)
    {
        var at = 0;
        var parts = Parts(message, ref at, false);
        return at == message.Length ? new Message(parts) : throw new FormatException($"A brace is closed that was not opened, at {at.ToString(CultureInfo.InvariantCulture)}: {message}");
    }

    /// <summary>Says it with these values, each by its name, as a culture writes numbers.</summary>
    public string Say(Func<string, object?> valueOf, CultureInfo culture)
    {
        var said = new StringBuilder();
        Put(said, _parts, valueOf, culture, null);
        return said.ToString();
    }

    private static void Put(StringBuilder said, Part[] parts, Func<string, object?> valueOf, CultureInfo culture, object? counted)
    {
        foreach (var part in parts)
        {
            switch (part)
            {
                case Text text:
                    said.Append(text.Words);
                    break;
                case Value value:
                    said.Append(Written(valueOf(value.Name), culture, value.IsNumber));
                    break;
                case Count:
                    said.Append(Written(counted, culture, true));
                    break;
                case Choice choice:
                    var chosen = valueOf(choice.Name);
                    var key = choice.IsPlural ? PluralOf(chosen, choice.Options) : Convert.ToString(chosen, CultureInfo.InvariantCulture) ?? "";
                    Put(said, choice.Options.GetValueOrDefault(key) ?? choice.Options["other"], valueOf, culture, choice.IsPlural ? chosen : counted);
                    break;
            }
        }
    }

    /// <summary>The form of a count in English and German (CLDR): <c>one</c> is one, and nothing but one.</summary>
    private static string PluralOf(object? value, Dictionary<string, Part[]> options)
    {
        var number = Convert.ToDecimal(value, CultureInfo.InvariantCulture);
        var exactly = $"={number.ToString(CultureInfo.InvariantCulture)}";
        return options.ContainsKey(exactly) ? exactly
            : number == 1 ? "one"
            : "other";
    }

    private static string Written(object? value, CultureInfo culture, bool isNumber) =>
        value switch
        {
            null => "",
            byte or short or int or long => isNumber ? ((IFormattable)value).ToString("N0", culture) : ((IFormattable)value).ToString(null, culture),
            float or double or decimal => ((IFormattable)value).ToString(isNumber ? "#,##0.###" : null, culture),
            IFormattable other => other.ToString(null, culture),
            _ => value.ToString() ?? "",
        };

    private static Part[] Parts(string message, ref int at, bool inPlural)
    {
        var parts = new List<Part>();
        var text = new StringBuilder();
        void Finish()
        {
            if (text.Length > 0)
            {
                parts.Add(new Text(text.ToString()));
                text.Clear();
            }
        }

        while (at < message.Length && message[at] != '}')
        {
            var c = message[at];
            if (c == '\'' && at + 1 < message.Length && message[at + 1] == '\'')
            {
                text.Append('\'');
                at += 2;
            }
            else if (c == '\'' && at + 1 < message.Length && (message[at + 1] is '{' or '}' or '<' or '>' || (inPlural && message[at + 1] == '#')))
            {
                // Quoted up to the next apostrophe.
                at++;
                while (at < message.Length && message[at] != '\'')
                {
                    text.Append(message[at++]);
                }

                at++;
            }
            else if (c == '#' && inPlural)
            {
                Finish();
                parts.Add(new Count());
                at++;
            }
            else if (c == '{' && at + 1 < message.Length && message[at + 1] == '}')
            {
                // The place of a name in a line of the journal, which its reader fills.
                text.Append("{}");
                at += 2;
            }
            else if (c == '{')
            {
                Finish();
                parts.Add(Argument(message, ref at, inPlural));
            }
            else
            {
                text.Append(c);
                at++;
            }
        }

        Finish();
        return [.. parts];
    }

    private static Part Argument(string message, ref int at, bool inPlural)
    {
        at++;
        var name = Word(message, ref at);
        if (Take(message, ref at, '}'))
        {
            return new Value(name, false);
        }

        Need(message, ref at, ',');
        var kind = Word(message, ref at);
        if (kind == "number")
        {
            Need(message, ref at, '}');
            return new Value(name, true);
        }

        if (kind is not ("plural" or "select"))
        {
            throw new FormatException($"“{kind}” is no kind of argument that messages have here: {message}");
        }

        Need(message, ref at, ',');
        var options = new Dictionary<string, Part[]>(StringComparer.Ordinal);
        Blanks(message, ref at);
        while (!Take(message, ref at, '}'))
        {
            var key = Word(message, ref at);
            Need(message, ref at, '{');
            options[key] = Parts(message, ref at, kind == "plural" || inPlural);
            Need(message, ref at, '}');
            Blanks(message, ref at);
        }

        return options.ContainsKey("other") ? new Choice(name, kind == "plural", options) : throw new FormatException($"{{{name}}} has no “other”: {message}");
    }

    private static void Blanks(string message, ref int at)
    {
        while (at < message.Length && char.IsWhiteSpace(message[at]))
        {
            at++;
        }
    }

    private static string Word(string message, ref int at)
    {
        Blanks(message, ref at);
        var from = at;
        while (at < message.Length && !char.IsWhiteSpace(message[at]) && message[at] is not ('{' or '}' or ','))
        {
            at++;
        }

        return at > from ? message[from..at] : throw new FormatException($"A word is missing at {at.ToString(CultureInfo.InvariantCulture)}: {message}");
    }

    private static bool Take(string message, ref int at, char wanted)
    {
        Blanks(message, ref at);
        if (at < message.Length && message[at] == wanted)
        {
            at++;
            return true;
        }

        return false;
    }

    private static void Need(string message, ref int at, char wanted)
    {
        if (!Take(message, ref at, wanted))
        {
            throw new FormatException($"“{wanted}” is missing at {at.ToString(CultureInfo.InvariantCulture)}: {message}");
        }
    }
}
