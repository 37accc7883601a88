using System.Text;

namespace Germinal.Channels;

/// <summary>Text that came from outside, made such that it can be kept: whoever writes to us decides what is in it, not how much.</summary>
public static class IncomingText
{
    /// <summary>Of a message, kept beside it; what is longer is kept as a file.</summary>
    public const int Most = 100_000;

    /// <summary>Of names, subjects and addresses.</summary>
    public const int Line = 500;

    /// <summary>Without NUL and half characters, and cut to a length, never in the middle of a character.</summary>
    /// <param name="text">Any text; null is none.</param>
    /// <param name="most">Characters (UTF-16) that are kept.</param>
    public static string Keep(string? text, int most = Most)
    {
        if (string.IsNullOrEmpty(text))
        {
            return "";
        }

        var kept = text.Length <= most ? text : text[..(char.IsHighSurrogate(text[most - 1]) ? most - 1 : most)];
        if (!kept.Any(c => c == '\0' || char.IsSurrogate(c)))
        {
            return kept;
        }

        var whole = new StringBuilder(kept.Length);
        foreach (var rune in kept.EnumerateRunes())
        {
            // Half a character is enumerated as U+FFFD.
            if (rune.Value != 0)
            {
                whole.Append(rune);
            }
        }

        return whole.ToString();
    }

    /// <summary>As <see cref="Keep"/>, on one line.</summary>
    public static string KeepLine(string? text, int most = Line) => Keep(text, most).ReplaceLineEndings(" ").Trim();
}
