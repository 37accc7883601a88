using System.Text;

namespace Germinal.Channels.Tables;

/// <summary>One property of a card.</summary>
/// <param name="Name">In capitals, without its group.</param>
/// <param name="Types">The values of its TYPE parameters, in lower case.</param>
/// <param name="Parameters">Its other parameters by name in capitals.</param>
/// <param name="Raw">The value as it stands there, unfolded, still with its backslashes.</param>
public sealed record VCardProperty(string Name, IReadOnlyList<string> Types, IReadOnlyDictionary<string, string> Parameters, string Raw)
{
    /// <summary>The value as one text.</summary>
    public string Text => VCard.Unescaped(Raw);

    /// <summary>The parts of a structured value (<c>N</c>, <c>ADR</c>), each with its own values.</summary>
    public IReadOnlyList<IReadOnlyList<string>> Parts => [.. VCard.Split(Raw, ';').Select(p => (IReadOnlyList<string>)[.. VCard.Split(p, ',').Select(VCard.Unescaped)])];

    /// <summary>The values of a list (<c>CATEGORIES</c>).</summary>
    public IReadOnlyList<string> Values => [.. VCard.Split(Raw, ',').Select(VCard.Unescaped)];
}

/// <summary>
/// Cards of vCard 4.0 (RFC 6350) and 3.0 (RFC 2426), and as far as telephones still write them of 2.1; several in a file. No package that
/// is kept up and can be had reads and writes them.
/// </summary>
/// <param name="Line">The line of the file it begins on, from 1.</param>
/// <param name="Properties">Its properties in their order.</param>
public sealed record VCard(int Line, IReadOnlyList<VCardProperty> Properties)
{
    /// <summary>The type its file is sent as (RFC 6350, 10.1).</summary>
    public const string MediaType = "text/vcard; charset=utf-8";

    /// <summary>The most octets a line has before it is folded (RFC 6350, 3.2).</summary>
    private const int LongestLine = 75;

    /// <summary>Whether a text is a file of cards.</summary>
    public static bool IsCards(string text) => text.AsSpan().TrimStart().StartsWith("BEGIN:VCARD", StringComparison.OrdinalIgnoreCase);

    /// <summary>The cards of a file; what stands outside of cards, or is no property, is passed over.</summary>
    /// <exception cref="InvalidDataException">A card is not ended.</exception>
    public static IReadOnlyList<VCard> Read(string text)
    {
        var cards = new List<VCard>();
        List<VCardProperty>? open = null;
        var began = 0;
        foreach (var (line, content) in Unfolded(text))
        {
            if (Property(content) is not { } property)
            {
                continue;
            }

            switch (property.Name)
            {
                case "BEGIN" when open is not null:
                    throw new InvalidDataException(Say($"The card that begins on line {began} has no END:VCARD."));
                case "BEGIN":
                    (open, began) = ([], line);
                    break;
                case "END" when open is not null:
                    cards.Add(new VCard(began, open));
                    open = null;
                    break;
                default:
                    open?.Add(property);
                    break;
            }
        }

        return open is null ? cards : throw new InvalidDataException(Say($"The card that begins on line {began} has no END:VCARD."));
    }

    /// <summary>A line of a card, its value escaped already, folded where it is too long.</summary>
    public static void WriteLine(TextWriter output, string name, string value)
    {
        var line = $"{name}:{value}";
        var length = 0;
        foreach (var rune in line.EnumerateRunes())
        {
            if (length + rune.Utf8SequenceLength > LongestLine)
            {
                output.Write("\r\n ");
                length = 1;
            }

            output.Write(rune.ToString());
            length += rune.Utf8SequenceLength;
        }

        output.Write("\r\n");
    }

    /// <summary>A text as a value: backslash, comma, semicolon and line break escaped (RFC 6350, 3.4).</summary>
    public static string Escaped(string text) =>
        text.ReplaceLineEndings("\n")
            .Replace("\\", "\\\\", StringComparison.Ordinal)
            .Replace(",", "\\,", StringComparison.Ordinal)
            .Replace(";", "\\;", StringComparison.Ordinal)
            .Replace("\n", "\\n", StringComparison.Ordinal);

    /// <summary>A text as the value of a parameter, in quotes (RFC 6868 for what may not stand in them).</summary>
    public static string Parameter(string text) =>
        $"\"{text.Replace("^", "^^", StringComparison.Ordinal).Replace("\"", "^'", StringComparison.Ordinal).ReplaceLineEndings("^n")}\"";

    internal static string Unescaped(string raw)
    {
        var text = new StringBuilder(raw.Length);
        for (var i = 0; i < raw.Length; i++)
        {
            if (raw[i] == '\\' && i + 1 < raw.Length)
            {
                i++;
                text.Append(raw[i] is 'n' or 'N' ? '\n' : raw[i]);
            }
            else
            {
                text.Append(raw[i]);
            }
        }

        return text.ToString().Trim();
    }

    internal static IEnumerable<string> Split(string raw, char by)
    {
        var from = 0;
        for (var i = 0; i < raw.Length; i++)
        {
            if (raw[i] == '\\')
            {
                i++;
            }
            else if (raw[i] == by)
            {
                yield return raw[from..i];
                from = i + 1;
            }
        }

        yield return raw[from..];
    }

    /// <summary>Lines joined where they were folded; those of quoted-printable (2.1) where they end with an equals sign.</summary>
    private static IEnumerable<(int Line, string Content)> Unfolded(string text)
    {
        var lines = text.ReplaceLineEndings("\n").Split('\n');
        for (var i = 0; i < lines.Length; i++)
        {
            var content = lines[i];
            var line = i + 1;
            while (i + 1 < lines.Length && lines[i + 1] is [' ' or '\t', ..])
            {
                content += lines[++i][1..];
            }

            while (content.EndsWith('=') && IsPrintable(content) && i + 1 < lines.Length)
            {
                content = content[..^1] + lines[++i];
            }

            if (content.Length > 0)
            {
                yield return (line, content);
            }
        }
    }

    private static bool IsPrintable(string content)
    {
        var colon = content.IndexOf(':', StringComparison.Ordinal);
        return colon > 0 && content.AsSpan(0, colon).Contains("QUOTED-PRINTABLE", StringComparison.OrdinalIgnoreCase);
    }

    private static VCardProperty? Property(string content)
    {
        var colon = Outside(content, ':', 0);
        if (colon <= 0)
        {
            return null;
        }

        var head = new List<string>();
        for (var from = 0; from <= colon;)
        {
            var end = Outside(content, ';', from) is var e && e >= 0 && e < colon ? e : colon;
            head.Add(content[from..end]);
            from = end + 1;
        }

        var name = head[0][(head[0].LastIndexOf('.') + 1)..].Trim().ToUpperInvariant();
        var types = new List<string>();
        var parameters = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var parameter in head.Skip(1))
        {
            // A word alone is a type of 2.1: TEL;CELL:…
            var parts = parameter.Split('=', 2);
            var (key, value) = parts.Length == 2 ? (parts[0].Trim().ToUpperInvariant(), parts[1].Trim().Trim('"')) : ("TYPE", parts[0].Trim());
            if (key == "TYPE")
            {
                types.AddRange(value.Split(',').Select(v => v.Trim().Trim('"').ToLowerInvariant()));
            }
            else
            {
                parameters[key] = Uncircumflexed(value);
            }
        }

        var raw = content[(colon + 1)..];
        return new VCardProperty(name, types, parameters, IsPrintable(content) ? Printable(raw) : raw);
    }

    /// <summary>RFC 6868: ^n, ^' and ^^ of a parameter.</summary>
    private static string Uncircumflexed(string value)
    {
        var text = new StringBuilder(value.Length);
        for (var i = 0; i < value.Length; i++)
        {
            var meant = value[i] == '^' && i + 1 < value.Length ? value[i + 1] switch { 'n' => '\n', '\'' => '"', '^' => '^', _ => '\0' } : '\0';
            text.Append(meant == '\0' ? value[i] : meant);
            i += meant == '\0' ? 0 : 1;
        }

        return text.ToString();
    }

    /// <summary>Where a sign stands outside of quotes; -1 for nowhere.</summary>
    private static int Outside(string content, char sign, int from)
    {
        var quoted = false;
        for (var i = from; i < content.Length; i++)
        {
            if (content[i] == '"')
            {
                quoted = !quoted;
            }
            else if (content[i] == sign && !quoted)
            {
                return i;
            }
        }

        return -1;
    }

    private static string Printable(string raw)
    {
        var bytes = new List<byte>(raw.Length);
        for (var i = 0; i < raw.Length; i++)
        {
            if (raw[i] == '=' && i + 2 < raw.Length && byte.TryParse(raw.AsSpan(i + 1, 2), System.Globalization.NumberStyles.AllowHexSpecifier, null, out var b))
            {
                bytes.Add(b);
                i += 2;
            }
            else
            {
                bytes.AddRange(Encoding.UTF8.GetBytes(raw[i].ToString()));
            }
        }

        return Encoding.UTF8.GetString([.. bytes]).ReplaceLineEndings("\\n");
    }
}
