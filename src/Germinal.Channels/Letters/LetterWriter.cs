using System.Runtime.CompilerServices;
using System.Text.RegularExpressions;
using Germinal.Core.Contact;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using NodaTime;

namespace Germinal.Channels.Letters;

/// <summary>A letter filled in for one person.</summary>
/// <param name="Subject">One line of plain text.</param>
/// <param name="BodyHtml">Sanitised HTML of what was written, without the footer; its links lead straight on.</param>
/// <param name="Html">The whole HTML part with the footer.</param>
/// <param name="Text">The plain-text part with the footer.</param>
/// <param name="Missing">Fields that have no value; a letter with any is never sent.</param>
/// <param name="Links">Its links, in the order they stand in it.</param>
public sealed record FilledLetter(string Subject, string BodyHtml, string Html, string Text, IReadOnlyList<string> Missing, IReadOnlyList<WrittenLink> Links);

/// <summary>What a practice wants to know of its letters.</summary>
/// <param name="Links">True: links lead over an address of ours.</param>
/// <param name="Opens">True: a picture tells that the letter was opened.</param>
/// <param name="Parameters">Campaign parameters of links.</param>
public sealed record LetterTracking(bool Links, bool Opens, IReadOnlyDictionary<string, string> Parameters)
{
    /// <summary>Nothing: a preview.</summary>
    public static LetterTracking None { get; } = new(false, false, new Dictionary<string, string>());
}

/// <summary>Fills email steps in, the same for preview and for sending.</summary>
public sealed partial class LetterWriter(LiquidLetters liquid, PublicLinks links)
{
    // A body is sanitised once, as it was written; every value is encoded as it is filled in, and no filter can undo that. Kept no longer than the step.
    private readonly ConditionalWeakTable<EmailStep, Written> bodies = [];

    /// <summary>A body as far as it can be worked out before anybody is known.</summary>
    /// <param name="Html">Sanitised, with <see cref="LetterLinks.Place"/> for each link's address; null where each person's is worked out by itself.</param>
    /// <param name="Text">Its text, with the same places.</param>
    /// <param name="Straight">Its text with the links' own addresses.</param>
    /// <param name="Links">Its links.</param>
    private sealed record Written(string? Html, string Text, string Straight, IReadOnlyList<WrittenLink> Links);

    /// <summary>Where pictures are served from.</summary>
    public string BaseUrl => links.BaseUrl;

    /// <summary>The letter a person gets.</summary>
    /// <param name="step">The email.</param>
    /// <param name="purpose">A commercial one carries the postal address and an unsubscribe link (rule 11.2).</param>
    /// <param name="touchId">The touch, for the signed links.</param>
    /// <param name="to">Whom it is about, and who reads it.</param>
    /// <param name="practice">The practice.</param>
    /// <param name="sender">Who signs.</param>
    /// <param name="at">When it goes out.</param>
    /// <param name="tracking">What the practice wants to know of it; null: nothing.</param>
    public FilledLetter Fill(
        EmailStep step,
        Purpose purpose,
        Guid touchId,
        Addressed to,
        Practice practice,
        Member? sender,
        Instant at,
        LetterTracking? tracking = null
    )
    {
        tracking ??= LetterTracking.None;
        var missing = new List<string>();
        var subject = liquid.FillText(step.Subject, to, practice, sender, at, missing).ReplaceLineEndings(" ").Trim();
        var written = bodies.GetValue(step, Write);
        var (shown, sent, text, found) = written.Html is { } template
            ? FillTemplate(
                written,
                liquid.FillHtml(template, to, practice, sender, at, missing),
                words => liquid.FillText(words, to, practice, sender, at, missing),
                touchId,
                tracking
            )
            : FillOnce(LetterHtml.Sanitize(liquid.FillHtml(LetterHtml.FromBody(step.Body), to, practice, sender, at, missing)), touchId, tracking);
        (shown, sent) = (WithPictures(shown), WithPictures(sent));
        var footer = Footer(purpose, touchId, to.Reader, practice);
        var pixel = tracking.Opens ? $"<img src=\"{links.Opening(touchId)}\" alt=\"\" width=\"1\" height=\"1\">" : "";
        var html =
            $"<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\"><title>{LetterHtml.Encode(subject)}</title></head>"
            + $"<body style=\"margin:0;background:#fff;color:#1F2620;font:16px/1.5 Georgia,serif\"><div style=\"max-width:38em;margin:0 auto;padding:24px 20px\">{sent}"
            + $"<div style=\"margin-top:32px;font:13px/1.45 Arial,sans-serif;color:#596259\">{footer.Html}</div></div>{pixel}</body></html>";
        return new FilledLetter(subject, shown, html, text + footer.Text, [.. missing.Distinct(StringComparer.Ordinal)], found);
    }

    private (string Shown, string Sent, string Text, IReadOnlyList<WrittenLink> Links) FillTemplate(
        Written written,
        string filled,
        Func<string, string> fillText,
        Guid touchId,
        LetterTracking tracking
    )
    {
        if (written.Links.Count == 0)
        {
            return (filled, filled, fillText(written.Text), []);
        }

        var found =
            tracking.Parameters.Count == 0
                ? written.Links
                : [.. written.Links.Select(l => l with { Address = LetterLinks.WithParameters(l.Address, tracking.Parameters) })];
        var count = found.Count;
        var tracked = tracking.Links ? Enumerable.Range(0, count).Select(place => links.Link(touchId, place)).ToArray() : [.. found.Select(l => l.Address)];
        var text = tracking.Links || tracking.Parameters.Count > 0 ? written.Text : written.Straight;
        return (
            LetterLinks.PutIn(filled, count, place => LetterHtml.Encode(found[place].Address)),
            LetterLinks.PutIn(filled, count, place => LetterHtml.Encode(tracked[place])),
            LetterLinks.PutIn(fillText(text), count, place => tracked[place]),
            found
        );
    }

    private (string Shown, string Sent, string Text, IReadOnlyList<WrittenLink> Links) FillOnce(string filled, Guid touchId, LetterTracking tracking)
    {
        filled = filled.Replace(MergeFields.ConfirmationPlace, links.Confirmation(touchId), StringComparison.Ordinal);
        var (shown, found) = LetterLinks.Rewrite(filled, null, tracking.Parameters);
        var sent = tracking.Links ? LetterLinks.Rewrite(filled, place => links.Link(touchId, place), tracking.Parameters).Html : shown;
        return (shown, sent, LetterHtml.ToText(sent), found);
    }

    /// <summary>
    /// What can be worked out before anybody is known. A body whose merge fields stand inside tags, or whose Liquid the
    /// sanitiser would touch, is worked out for each person.
    /// </summary>
    private static Written Write(EmailStep step)
    {
        var body = LetterHtml.FromBody(step.Body);
        var safe = LetterHtml.Sanitize(body);
        if (LiquidOf(body) != LiquidOf(safe) || HasFieldInTag(body) || body.Contains("confirm_link", StringComparison.Ordinal))
        {
            return new Written(null, "", "", []);
        }

        var (html, found) = LetterLinks.Rewrite(safe, LetterLinks.Place, new Dictionary<string, string>());
        return new Written(html, LetterHtml.ToText(html), LetterHtml.ToText(safe), found);
    }

    private static string LiquidOf(string text) => string.Join('\n', Liquid().Matches(text).Select(m => m.Value));

    private static bool HasFieldInTag(string text) => FieldInTag().IsMatch(text);

    [GeneratedRegex(@"\{\{.*?\}\}|\{%.*?%\}", RegexOptions.Singleline | RegexOptions.NonBacktracking)]
    private static partial Regex Liquid();

    [GeneratedRegex(@"<[^>]*\{[\{%]", RegexOptions.NonBacktracking)]
    private static partial Regex FieldInTag();

    private string WithPictures(string html) => html.Replace("src=\"/i/", $"src=\"{links.BaseUrl}/i/", StringComparison.Ordinal);

    private (string Html, string Text) Footer(Purpose purpose, Guid touchId, PersonFacts person, Practice practice)
    {
        var who = $"<hr><p>{LetterHtml.Encode(practice.Name)}<br>{LetterHtml.Encode(practice.PostalAddress)}</p>";
        var plain = $"\n-- \n{practice.Name}\n{practice.PostalAddress}\n";
        if (purpose != Purpose.Commercial)
        {
            return (who, plain);
        }

        if (practice.Footer.Length > 0)
        {
            who += $"<p>{LetterHtml.Encode(practice.Footer).ReplaceLineEndings("<br>")}</p>";
            plain += $"\n{practice.Footer.ReplaceLineEndings("\n")}\n";
        }

        var (leave, choose) = (links.Unsubscribe(touchId), links.Preferences(person.Id));
        return (
            $"{who}<p>You get this because you asked for it or are a client. <a href=\"{leave}\">Stop these emails</a> · <a href=\"{choose}\">Choose what you get</a></p>",
            $"{plain}\nYou get this because you asked for it or are a client.\nStop these emails: {leave}\nChoose what you get: {choose}\n"
        );
    }
}
