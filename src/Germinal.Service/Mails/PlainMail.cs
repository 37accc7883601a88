using System.Text;

namespace Germinal.Service.Mails;

/// <summary>Mail in plain words.</summary>
public static class PlainMail
{
    /// <summary>Letters of a line (RFC 5322, 2.1.1: no more than 78).</summary>
    private const int Line = 76;

    /// <summary>Words in lines that mail programs leave as they are.</summary>
    /// <param name="text">What they are put behind.</param>
    /// <param name="before">What the first line begins with.</param>
    /// <param name="words">The words; nothing is written for none.</param>
    public static void Wrap(StringBuilder text, string before, string words)
    {
        var line = new StringBuilder(before);
        foreach (var word in words.Split(' ', StringSplitOptions.RemoveEmptyEntries))
        {
            if (line.Length + word.Length + 1 > Line && line.Length > before.Length)
            {
                text.AppendLine(line.ToString().TrimEnd());
                line.Clear().Append("  ");
            }

            line.Append(word).Append(' ');
        }

        if (line.Length > before.Length)
        {
            text.AppendLine(line.ToString().TrimEnd());
        }
    }
}
