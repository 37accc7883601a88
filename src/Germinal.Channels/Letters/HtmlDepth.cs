using MimeKit.Text;

namespace Germinal.Channels.Letters;

/// <summary>
/// Keeps HTML from being nested without end. A parser that builds a tree looks up through all open elements at each tag, so
/// that 25,000 open ones take it many seconds, and whoever walks the tree runs out of stack. Tags beyond a depth are left out
/// here, in one pass over the text; the words between them stay.
/// </summary>
public static class HtmlDepth
{
    /// <summary>Elements inside each other; letters need about ten.</summary>
    public const int Most = 100;

    /// <summary>HTML in which nothing stands deeper than <see cref="Most"/>; the very same text where nothing does.</summary>
    /// <param name="html">Any text.</param>
    public static string Limit(string html)
    {
        if (FewerTagsThan(Most, html))
        {
            return html;
        }

        var open = new Stack<string>();
        var (left, kept) = (0, new StringWriter());
        var tokenizer = new HtmlTokenizer(new StringReader(html)) { DecodeCharacterReferences = false };
        while (tokenizer.ReadNextToken(out var token))
        {
            if (token is not HtmlTagToken tag || tag.IsEmptyElement || IsVoid(tag.Id))
            {
                token.WriteTo(kept);
                continue;
            }

            if (!tag.IsEndTag)
            {
                // A paragraph or list item that was not closed ends where the next begins.
                if (open.TryPeek(out var top) && EndsByItself(tag.Id) && string.Equals(top, tag.Name, StringComparison.OrdinalIgnoreCase))
                {
                    token.WriteTo(kept);
                    continue;
                }

                if (open.Count >= Most)
                {
                    left++;
                    continue;
                }

                open.Push(tag.Name);
                token.WriteTo(kept);
                continue;
            }

            if (left > 0)
            {
                left--;
                continue;
            }

            // What was never closed ends with what it stands in, as a parser would have it.
            if (open.Contains(tag.Name, StringComparer.OrdinalIgnoreCase))
            {
                while (!string.Equals(open.Pop(), tag.Name, StringComparison.OrdinalIgnoreCase)) { }

                token.WriteTo(kept);
            }
        }

        return kept.ToString();
    }

    private static bool FewerTagsThan(int many, string html)
    {
        var tags = 0;
        foreach (var c in html)
        {
            if (c == '<' && ++tags >= many)
            {
                return false;
            }
        }

        return true;
    }

    private static bool EndsByItself(HtmlTagId tag) =>
        tag is HtmlTagId.P or HtmlTagId.LI or HtmlTagId.TR or HtmlTagId.TD or HtmlTagId.TH or HtmlTagId.DT or HtmlTagId.DD or HtmlTagId.Option;

    private static bool IsVoid(HtmlTagId tag) =>
        tag
            is HtmlTagId.Br
                or HtmlTagId.Image
                or HtmlTagId.HR
                or HtmlTagId.Input
                or HtmlTagId.Link
                or HtmlTagId.Meta
                or HtmlTagId.Area
                or HtmlTagId.Base
                or HtmlTagId.Col
                or HtmlTagId.Embed
                or HtmlTagId.Param
                or HtmlTagId.Source
                or HtmlTagId.Track
                or HtmlTagId.Wbr;
}
