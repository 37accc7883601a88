using System.Text.RegularExpressions;
using Germinal.Core.Programs;

namespace Germinal.Channels.Letters;

/// <summary>
/// A message as it is written, for whoever has to read all of it and not what one person gets: fields by their names, passages only for
/// some marked, pictures by their words.
/// </summary>
public static partial class LetterOutline
{
    [GeneratedRegex(@"\{\{-?\s*(?<i>""[^""]*""|'[^']*')\s*\|\s*we:\s*(?<we>""[^""]*""|'[^']*')\s*-?\}\}", RegexOptions.ExplicitCapture, matchTimeoutMilliseconds: 1000)]
    private static partial Regex TwoVoices();

    [GeneratedRegex(@"\{\{-?\s*(?<field>[A-Za-z_][\w.\[\]'-]*)[^}]*\}\}", RegexOptions.ExplicitCapture, matchTimeoutMilliseconds: 1000)]
    private static partial Regex Field();

    /// <summary>A subject, text or script.</summary>
    /// <param name="template">As it is written.</param>
    /// <param name="voice">How it speaks.</param>
    public static string OfText(string template, Voice voice) =>
        Field().Replace(
            TwoVoices().Replace(template, m => m.Groups[voice == Voice.We ? "we" : "i"].Value[1..^1]),
            m => $"‹{m.Groups["field"].Value.Replace("person.", "", StringComparison.Ordinal).Replace('_', ' ').Replace('.', ' ')}›"
        );

    /// <summary>A letter's body as plain text.</summary>
    /// <param name="body">As it is written.</param>
    /// <param name="voice">How it speaks.</param>
    public static string OfBody(string body, Voice voice)
    {
        var document = LetterHtml.Parse(LetterHtml.Sanitize(LetterHtml.FromBody(LetterPassages.WithoutMarks(body))));
        foreach (var part in document.QuerySelectorAll($"[{LetterParts.Attribute}]").ToList())
        {
            var name = part.GetAttribute(LetterParts.NameAttribute);
            switch (part.GetAttribute(LetterParts.Attribute))
            {
                case LetterParts.Only:
                    part.InsertBefore(Paragraph(Said("[only for some:]")), part.FirstChild);
                    part.AppendChild(Paragraph(Said("[for everybody again]")));
                    break;
                case LetterParts.SignOff:
                    part.TextContent = Said("[how the sender signs]");
                    break;
                case LetterParts.Offer:
                    part.TextContent = Say($"[the offer “{name}” as it is on the day]");
                    break;
                case LetterParts.Figures:
                    part.TextContent = Say($"[figures of “{name}” for the reader’s area]");
                    break;
            }
        }

        foreach (var picture in document.QuerySelectorAll("img").ToList())
        {
            picture.SetAttribute("alt", Say($"[picture: {picture.GetAttribute("alt")}]"));
        }

        return OfText(LetterHtml.ToText(document.Body!.InnerHtml), voice);

        AngleSharp.Dom.IElement Paragraph(string words)
        {
            var paragraph = document.CreateElement("p");
            paragraph.TextContent = words;
            return paragraph;
        }
    }
}
