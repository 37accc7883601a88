using System.Text.RegularExpressions;

namespace Germinal.Channels.Mail;

/// <summary>Tells what is new in an answer from what it quotes. Common practice of mail programs, no source.</summary>
public static partial class QuotedText
{
    [GeneratedRegex(@"^\s*on\b.{4,200}\bwrote\s*:\s*\z", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant, matchTimeoutMilliseconds: 1000)]
    private static partial Regex Announcement();

    [GeneratedRegex(
        @"^\s*-{2,}\s*(original message|forwarded message)\s*-{2,}\s*\z",
        RegexOptions.ExplicitCapture | RegexOptions.IgnoreCase | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex Divider();

    [GeneratedRegex(
        @"^\s*\*?(from|sent|to|subject|date|cc)\s*:\*?\s",
        RegexOptions.ExplicitCapture | RegexOptions.IgnoreCase | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex HeaderLine();

    /// <summary>The new part and the quoted part, each without blank lines around it.</summary>
    public static (string New, string Quoted) Split(string text)
    {
        var lines = text.ReplaceLineEndings("\n").Split('\n');
        var from = 0;
        while (from < lines.Length && !BeginsQuote(lines, from))
        {
            from++;
        }

        if (from == lines.Length)
        {
            return (string.Join('\n', lines).Trim(), "");
        }

        from = WithAnnouncement(lines, from);
        var before = Joined(lines, 0, from);
        if (before.Length > 0)
        {
            return (before, Joined(lines, from, lines.Length));
        }

        // Nothing above the quote: what was written stands below it.
        var to = Math.Max(from, Array.FindLastIndex(lines, IsQuoted) + 1);
        while (to < lines.Length && lines[to].Trim().Length == 0)
        {
            to++;
        }

        var after = Joined(lines, to, lines.Length);
        return after.Length > 0 ? (after, Joined(lines, from, to)) : ("", Joined(lines, from, lines.Length));
    }

    private static string Joined(string[] lines, int from, int to) => string.Join('\n', lines[from..to]).Trim();

    private static bool IsQuoted(string line) => line.TrimStart().StartsWith('>');

    private static bool BeginsQuote(string[] lines, int at) =>
        IsQuoted(lines[at])
        || Divider().IsMatch(lines[at])
        || Announcement().IsMatch(lines[at])
        || (HeaderLine().IsMatch(lines[at]) && lines.Skip(at).Take(4).Count(l => HeaderLine().IsMatch(l)) >= 3);

    /// <summary>
    /// What leads to the quote belongs to it: “On Monday Ada wrote:” in whatever language, over one line or two, and a ruled
    /// line above copied headers.
    /// </summary>
    private static int WithAnnouncement(string[] lines, int from)
    {
        var at = from - 1;
        while (at >= 0 && lines[at].Trim().Length == 0)
        {
            at--;
        }

        if (at >= 0 && lines[at].Trim() is { Length: > 9 } rule && rule.All(c => c == '_'))
        {
            return at;
        }

        if (at < 0 || !IsQuoted(lines[from]) || !lines[at].TrimEnd().EndsWith(':'))
        {
            return from;
        }

        // A date is somewhere in it; a line without one goes on from the line above.
        return lines[at].Any(char.IsDigit) || at == 0 || !lines[at - 1].Any(char.IsDigit) ? at : at - 1;
    }
}
