using System.Collections.Concurrent;
using AngleSharp.Dom;
using AngleSharp.Html.Dom;

namespace Germinal.Channels.Letters;

/// <summary>
/// A letter's words as HTML that works in mail programs: tables for what stands beside each other, the look put into each element,
/// 600 pixels at most, one column on a phone, its own colours in the dark. Worked out once for a body, before anybody is known.
/// </summary>
internal static class MailLayout
{
    /// <summary>What mail programs show of a letter before they cut it off, in bytes (common practice, no source).</summary>
    public const int MostBytes = 100_000;

    /// <summary>The widest a letter becomes, in pixels.</summary>
    public const int Width = 600;

    // Stand in the page until they are known; private-use characters, which survive the layout untouched.
    /// <summary>Stands where the language of whoever reads it goes.</summary>
    public const string LanguagePlace = "\uE02A";

    public const string SubjectPlace = "\uE020";
    public const string FooterPlace = "\uE021";
    public const string PixelPlace = "\uE022";
    public const string SignOffPlace = "\uE023";

    private static readonly Lazy<string> Look = new(() => Resource("letter.css"));
    private static readonly Lazy<string> Wide = new(() => Resource("letter-wide.css"));

    // A sign-off stands under thousands of letters; a practice has as many as it has members.
    private static readonly ConcurrentDictionary<string, string> Signed = new(StringComparer.Ordinal);

    /// <summary>The whole page around a letter's words.</summary>
    /// <param name="words">Sanitised HTML, which may hold merge fields, marks of passages and places of links.</param>
    public static string Page(string words)
    {
        var document = LetterHtml.Parse(words);
        Buttons(document);
        Columns(document);
        Tables(document);
        Pictures(document);
        return Inlined(
            $"""
            <!doctype html><html lang="{LanguagePlace}"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width, initial-scale=1"><meta name="color-scheme" content="light dark"><meta name="supported-color-schemes" content="light dark"><title>{SubjectPlace}</title><style id="wide">{Wide.Value}</style></head>
            <body style="margin:0;padding:0"><table role="presentation" class="ground" cellpadding="0" cellspacing="0" border="0"><tr><td class="around" align="center"><!--[if mso]><table role="presentation" width="{Width}"><tr><td><![endif]--><table role="presentation" class="sheet" cellpadding="0" cellspacing="0" border="0"><tr><td class="words">{document.Body!.InnerHtml}</td></tr><tr><td class="foot">{FooterPlace}</td></tr></table><!--[if mso]></td></tr></table><![endif]--></td></tr></table>{PixelPlace}</body></html>
            """
        );
    }

    /// <summary>How somebody signs, as it stands in a mail.</summary>
    /// <param name="words">Their words, sanitised HTML.</param>
    /// <param name="photograph">Where their photograph is; null for none.</param>
    /// <param name="name">Their name, said where the photograph is not shown.</param>
    public static string SignedBy(string words, string? photograph, string name) =>
        Signed.GetOrAdd(
            $"{photograph}\n{name}\n{words}",
            _ =>
            {
                var inside = photograph is null
                    ? words
                    : $"""<table role="presentation" class="signed" cellpadding="0" cellspacing="0" border="0"><tr><td><img src="{photograph}" alt="{LetterHtml.Encode(name)}" width="64" height="64"></td><td>{words}</td></tr></table>""";
                var page = LetterHtml.Parse(Inlined($"<html><body><div class=\"words\">{inside}</div></body></html>"));
                return page.QuerySelector(".words")!.InnerHtml;
            }
        );

    private static string Inlined(string page) =>
        PreMailer.Net.PreMailer.MoveCssInline(page, removeStyleElements: true, ignoreElements: "#wide", css: Look.Value).Html;

    private static List<IElement> Parts(IHtmlDocument document, string part) => [.. document.QuerySelectorAll($"[{LetterParts.Attribute}={part}]")];

    private static void Buttons(IHtmlDocument document)
    {
        foreach (var button in Parts(document, LetterParts.Button))
        {
            if (button.QuerySelector("a") is { } link)
            {
                button.OuterHtml =
                    $"""<table role="presentation" class="press" cellpadding="0" cellspacing="0" border="0"><tr><td>{link.OuterHtml}</td></tr></table>""";
            }
        }
    }

    private static void Columns(IHtmlDocument document)
    {
        foreach (var beside in Parts(document, LetterParts.Columns))
        {
            var columns = beside.Children.Where(c => c.GetAttribute(LetterParts.Attribute) == LetterParts.Column).ToList();
            if (columns.Count == 0)
            {
                continue;
            }

            var cells = columns.Select(c => $"""<td class="column" width="{100 / columns.Count}%">{c.InnerHtml}</td>""");
            beside.OuterHtml =
                $"""<table role="presentation" class="beside" cellpadding="0" cellspacing="0" border="0"><tr>{string.Concat(cells)}</tr></table>""";
        }
    }

    private static void Tables(IHtmlDocument document)
    {
        foreach (var table in document.QuerySelectorAll("table:not([role])"))
        {
            table.ClassName = "data";
        }
    }

    private static void Pictures(IHtmlDocument document)
    {
        foreach (var picture in document.QuerySelectorAll("img").OfType<IHtmlImageElement>())
        {
            // One size that old programs read, and the phone's own width where that is less.
            var width = Math.Clamp(picture.DisplayWidth, 0, Width - 56);
            picture.RemoveAttribute("height");
            if (width > 0)
            {
                picture.SetAttribute("width", width.ToString(System.Globalization.CultureInfo.InvariantCulture));
            }

            var side = picture.GetAttribute(LetterParts.AlignAttribute);
            picture.RemoveAttribute(LetterParts.AlignAttribute);
            if (side is "middle" or "right")
            {
                picture.OuterHtml = $"""<p style="text-align:{(side == "middle" ? "center" : "right")}">{picture.OuterHtml}</p>""";
            }
        }
    }

    private static string Resource(string name)
    {
        using var stream = typeof(MailLayout).Assembly.GetManifestResourceStream("letters/" + name)!;
        using var reader = new StreamReader(stream);
        return reader.ReadToEnd();
    }
}
