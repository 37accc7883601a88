using Germinal.Core.People;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Channels.Letters;

/// <summary>A letter filled in for one person.</summary>
/// <param name="Subject">One line of plain text.</param>
/// <param name="BodyHtml">Sanitised HTML of what was written, without the footer.</param>
/// <param name="Html">The whole HTML part with the footer.</param>
/// <param name="Text">The plain-text part with the footer.</param>
/// <param name="Missing">Fields that have no value; a letter with any is never sent.</param>
public sealed record FilledLetter(string Subject, string BodyHtml, string Html, string Text, IReadOnlyList<string> Missing);

/// <summary>Fills email steps in, the same for preview and for sending.</summary>
public sealed class LetterWriter(LiquidLetters liquid, PublicLinks links)
{
    /// <summary>Where pictures are served from.</summary>
    public string BaseUrl => links.BaseUrl;

    /// <summary>The letter a person gets.</summary>
    /// <param name="step">The email.</param>
    /// <param name="purpose">A commercial one carries the postal address and an unsubscribe link (rule 11.2).</param>
    /// <param name="touchId">The touch, for the signed link.</param>
    /// <param name="person">The recipient.</param>
    /// <param name="practice">The practice.</param>
    /// <param name="sender">Who signs.</param>
    /// <param name="at">When it goes out.</param>
    public FilledLetter Fill(EmailStep step, Purpose purpose, Guid touchId, PersonFacts person, Practice practice, Member? sender, Instant at)
    {
        var missing = new List<string>();
        var subject = liquid.FillText(step.Subject, person, practice, sender, at, missing).ReplaceLineEndings(" ").Trim();
        var body = LetterHtml.Sanitize(liquid.FillHtml(LetterHtml.FromBody(step.Body), person, practice, sender, at, missing));
        body = body.Replace("src=\"/i/", $"src=\"{links.BaseUrl}/i/", StringComparison.Ordinal);
        var footer = purpose == Purpose.Commercial
            ? $"<hr><p>{LetterHtml.Encode(practice.Name)}<br>{LetterHtml.Encode(practice.PostalAddress)}</p><p>You get this because you asked for it or are a client. <a href=\"{links.Unsubscribe(touchId)}\">Stop these emails</a>.</p>"
            : $"<hr><p>{LetterHtml.Encode(practice.Name)}<br>{LetterHtml.Encode(practice.PostalAddress)}</p>";
        var html = $"<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\"><title>{LetterHtml.Encode(subject)}</title></head>" +
            $"<body style=\"margin:0;background:#fff;color:#1F2620;font:16px/1.5 Georgia,serif\"><div style=\"max-width:38em;margin:0 auto;padding:24px 20px\">{body}" +
            $"<div style=\"margin-top:32px;font:13px/1.45 Arial,sans-serif;color:#596259\">{footer}</div></div></body></html>";
        return new FilledLetter(subject, body, html, LetterHtml.ToText(body + footer.Replace("<hr>", "<p>-- </p>", StringComparison.Ordinal)), [.. missing.Distinct(StringComparer.Ordinal)]);
    }
}
