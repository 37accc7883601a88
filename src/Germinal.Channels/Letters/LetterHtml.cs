using System.Net;
using System.Text;
using System.Text.RegularExpressions;
using AngleSharp.Dom;
using AngleSharp.Html.Dom;
using AngleSharp.Html.Parser;
using Ganss.Xss;

namespace Germinal.Channels.Letters;

/// <summary>The HTML of letters: what is allowed in it, and its plain-text twin.</summary>
public static partial class LetterHtml
{
    [GeneratedRegex(
        @"<(p|h[1-3]|ul|ol|li|a|strong|em|b|i|u|br|hr|img|blockquote|table|div|span)\b",
        RegexOptions.ExplicitCapture | RegexOptions.IgnoreCase | RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex AnyTag();

    [GeneratedRegex(@"\s+", RegexOptions.NonBacktracking)]
    private static partial Regex Blanks();

    [GeneratedRegex(@"\n{3,}", RegexOptions.None, matchTimeoutMilliseconds: 1000)]
    private static partial Regex ManyBreaks();

    /// <summary>What keeps a picture within its place, whatever its own size.</summary>
    public const string PictureStyle = "max-width:100%;height:auto";

    private static readonly HtmlSanitizer Sanitizer = MakeSanitizer();

    /// <summary>Only what a letter needs survives: headings, paragraphs, bold, lists, links, pictures, tables, and the parts of <see cref="LetterParts"/>. Scripts, styles and frames do not.</summary>
    public static string Sanitize(string html)
    {
        var shallow = HtmlDepth.Limit(html);
        lock (Sanitizer)
        {
            return Sanitizer.Sanitize(shallow);
        }
    }

    /// <summary>A body as HTML: one written without any tag becomes paragraphs parted by blank lines.</summary>
    public static string FromBody(string body)
    {
        if (AnyTag().IsMatch(body))
        {
            return body;
        }

        var paragraphs = body.ReplaceLineEndings("\n").Split("\n\n", StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        return string.Concat(paragraphs.Select(p => $"<p>{p.Replace("\n", "<br>", StringComparison.Ordinal)}</p>"));
    }

    /// <summary>A letter's HTML as a tree, never deeper than a parser can bear.</summary>
    internal static IHtmlDocument Parse(string html) => new HtmlParser().ParseDocument(HtmlDepth.Limit(html));

    /// <summary>The plain-text part of a letter: links keep their address, list items their dash.</summary>
    public static string ToText(string html) => ToText(Parse(html).Body!);

    private static string ToText(INode node)
    {
        var text = new StringBuilder();
        Write(node, text);
        return ManyBreaks().Replace(text.ToString(), "\n\n").Trim() + "\n";
    }

    private static void Write(INode node, StringBuilder text)
    {
        foreach (var child in node.ChildNodes)
        {
            switch (child)
            {
                case IText t:
                    text.Append(Blanks().Replace(t.Data, " "));
                    break;
                case IElement { LocalName: "br" }:
                    text.Append('\n');
                    break;
                case IElement { LocalName: "a" } a:
                    Write(a, text);
                    var href = a.GetAttribute("href");
                    if (!string.IsNullOrEmpty(href) && !string.Equals(href, a.TextContent.Trim(), StringComparison.Ordinal))
                    {
                        text.Append(" (").Append(href).Append(')');
                    }

                    break;
                case IElement { LocalName: "img" } img:
                    text.Append(img.GetAttribute("alt"));
                    break;
                case IElement { LocalName: "tr" } row:
                    var cells = row.Children.Select(c => ToText(c).Trim()).ToList();
                    text.AppendJoin(" · ", cells).Append('\n');
                    break;
                case IElement { LocalName: "hr" }:
                    text.Append("----\n\n");
                    break;
                case IElement { LocalName: "li" } li:
                    text.Append("- ");
                    Write(li, text);
                    text.Append('\n');
                    break;
                case IElement { LocalName: "p" or "h1" or "h2" or "h3" or "ul" or "ol" or "div" or "blockquote" or "table" } block:
                    Write(block, text);
                    text.Append("\n\n");
                    break;
                case IElement other:
                    Write(other, text);
                    break;
            }
        }
    }

    private static HtmlSanitizer MakeSanitizer()
    {
        var s = new HtmlSanitizer();
        s.AllowedTags.Clear();
        s.AllowedTags.UnionWith([
            "p",
            "h1",
            "h2",
            "h3",
            "ul",
            "ol",
            "li",
            "a",
            "strong",
            "em",
            "b",
            "i",
            "u",
            "br",
            "img",
            "blockquote",
            "hr",
            "span",
            "div",
            "table",
            "thead",
            "tbody",
            "tr",
            "th",
            "td",
        ]);
        s.AllowedAttributes.Clear();
        s.AllowedAttributes.UnionWith([
            "href",
            "src",
            "alt",
            "title",
            "width",
            "height",
            "colspan",
            "rowspan",
            LetterParts.Attribute,
            LetterParts.RuleAttribute,
            LetterParts.AlignAttribute,
            LetterParts.NameAttribute,
            LetterParts.FieldAttribute,
            LetterParts.AreaAttribute,
            LetterParts.MissingAttribute,
            "data-name",
            .. LetterLinks.EffectWords.Select(w => $"data-{w}"),
        ]);
        s.AllowedCssProperties.Clear();
        s.AllowedSchemes.Clear();
        s.AllowedSchemes.UnionWith(["http", "https", "mailto", "tel"]);
        s.PostProcessNode += static (_, e) =>
        {
            if (e.Node is IHtmlImageElement picture)
            {
                // In the picture itself: many mail programs leave a style sheet out. Set after sanitising, which allows no style.
                picture.SetAttribute("style", PictureStyle);
            }
        };
        return s;
    }

    /// <summary>Text made safe to stand in HTML, its line breaks kept.</summary>
    public static string Encode(string text) => WebUtility.HtmlEncode(text).Replace("\n", "<br>", StringComparison.Ordinal);
}
