using System.Collections.Concurrent;
using System.Runtime.CompilerServices;
using System.Text.RegularExpressions;
using Germinal.Channels.Texts;
using Germinal.Core.Contact;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Core.Words;
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
    /// <param name="Page">The page a mail program shows, with the same places.</param>
    /// <param name="Text">Its text, with the same places.</param>
    /// <param name="Straight">Its text with the links' own addresses.</param>
    /// <param name="Links">Its links.</param>
    /// <param name="Passages">Which of its passages stand only for some; all of the above are marked.</param>
    private sealed record Written(string? Html, string Page, string Text, string Straight, IReadOnlyList<WrittenLink> Links, LetterPassages Passages);

    /// <summary>A letter filled in, as far as its words go.</summary>
    /// <param name="Shown">As it is shown here; its links lead straight on.</param>
    /// <param name="Page">As a mail program shows it.</param>
    /// <param name="Text">As plain text.</param>
    /// <param name="Links">Its links.</param>
    private sealed record Words(string Shown, string Page, string Text, IReadOnlyList<WrittenLink> Links);

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
        using var spoken = practice.TongueOf(to.Reader).Speak();
        tracking ??= LetterTracking.None;
        var missing = new List<string>();
        step = LetterPlaces.For(step, to.Person, practice, at, BaseUrl);
        var subject = liquid.FillText(step.Subject, to, practice, sender, at, missing).ReplaceLineEndings(" ").Trim();
        var written = bodies.GetValue(step, Write);
        var stand = written.Passages.StandFor(to.Person, practice, at);
        string Html(string marked) => liquid.FillHtml(LetterPassages.Cut(marked, stand), to, practice, sender, at, missing);
        string Plain(string marked) => liquid.FillText(LetterPassages.Cut(marked, stand), to, practice, sender, at, missing);
        var words = written.Html is { } template
            ? FillTemplate(written, Html(template), Html(written.Page), Plain, touchId, tracking)
            : FillOnce(WithSignOffPlaces(LetterHtml.Sanitize(Html(MarkedBody(step)))), touchId, tracking);
        words = words with { Page = LetterPlaces.TakeLacking(words.Page).Text, Text = LetterPlaces.TakeLacking(words.Text).Text };
        var (shown, lacking) = LetterPlaces.TakeLacking(words.Shown);
        missing.AddRange(lacking);
        missing.AddRange(LiquidLetters.MissingFiles(step, practice));
        var signed = SignedBy(sender, practice);
        var footer = Footer(purpose, touchId, to.Reader, practice);
        var pixel = tracking.Opens ? $"<img src=\"{links.Opening(touchId)}\" alt=\"\" width=\"1\" height=\"1\">" : "";
        var page = words
            .Page.Replace(MailLayout.LanguagePlace, Tongue.Spoken.Language, StringComparison.Ordinal)
            .Replace(MailLayout.SignOffPlace, signed.Mail, StringComparison.Ordinal)
            .Replace(MailLayout.SubjectPlace, LetterHtml.Encode(subject), StringComparison.Ordinal)
            .Replace(MailLayout.FooterPlace, footer.Html, StringComparison.Ordinal)
            .Replace(MailLayout.PixelPlace, pixel, StringComparison.Ordinal);
        return new FilledLetter(
            subject,
            WithPictures(shown.Replace(MailLayout.SignOffPlace, signed.Shown, StringComparison.Ordinal)),
            WithPictures(page),
            words.Text.Replace(MailLayout.SignOffPlace, signed.Text, StringComparison.Ordinal) + footer.Text,
            [.. missing.Distinct(StringComparer.Ordinal)],
            words.Links
        );
    }

    /// <summary>A filled text as long as it is sent: its links lead over short addresses.</summary>
    public string AsLongAsSent(string words) => TextLinks.Shorten(words, _ => links.ShortOfLength()).Words;

    /// <inheritdoc cref="MailLayout.MostBytes"/>
    public const int MostBytes = MailLayout.MostBytes;

    /// <summary>How large the page of a letter is before anybody's words are filled in, in bytes of UTF-8.</summary>
    /// <param name="body">Its body.</param>
    public static int WeightOf(string body) =>
        System.Text.Encoding.UTF8.GetByteCount(MailLayout.Page(LetterHtml.Sanitize(LetterHtml.FromBody(LetterPassages.WithoutMarks(body)))));

    private Words FillTemplate(Written written, string filled, string page, Func<string, string> fillText, Guid touchId, LetterTracking tracking)
    {
        if (written.Links.Count == 0)
        {
            return new Words(filled, page, fillText(written.Text), []);
        }

        var found =
            tracking.Parameters.Count == 0
                ? written.Links
                : [.. written.Links.Select(l => l with { Address = LetterLinks.WithParameters(l.Address, tracking.Parameters) })];
        var count = found.Count;
        var tracked = tracking.Links ? Enumerable.Range(0, count).Select(place => links.Link(touchId, place)).ToArray() : [.. found.Select(l => l.Address)];
        var text = tracking.Links || tracking.Parameters.Count > 0 ? written.Text : written.Straight;
        return new Words(
            LetterLinks.PutIn(filled, count, place => LetterHtml.Encode(found[place].Address)),
            LetterLinks.PutIn(page, count, place => LetterHtml.Encode(tracked[place])),
            LetterLinks.PutIn(fillText(text), count, place => tracked[place]),
            found
        );
    }

    private Words FillOnce(string filled, Guid touchId, LetterTracking tracking)
    {
        filled = filled.Replace(MergeFields.ConfirmationPlace, links.Confirmation(touchId), StringComparison.Ordinal);
        var (shown, found) = LetterLinks.Rewrite(filled, null, tracking.Parameters);
        var sent = tracking.Links ? LetterLinks.Rewrite(filled, place => links.Link(touchId, place), tracking.Parameters).Html : shown;
        return new Words(shown, MailLayout.Page(sent), LetterHtml.ToText(sent), found);
    }

    /// <summary>The words with a place where the sender signs: whose name that is, is known later.</summary>
    private static string WithSignOffPlaces(string html)
    {
        if (!html.Contains(LetterParts.SignOff, StringComparison.Ordinal))
        {
            return html;
        }

        var document = LetterHtml.Parse(html);
        foreach (var sign in document.QuerySelectorAll($"[{LetterParts.Attribute}={LetterParts.SignOff}]").ToList())
        {
            sign.Replace(document.CreateTextNode(MailLayout.SignOffPlace));
        }

        return document.Body!.InnerHtml;
    }

    private readonly ConcurrentDictionary<string, string> signOffs = new(StringComparer.Ordinal);

    /// <summary>How the sender signs: in the words and with the photograph they keep, else by name.</summary>
    private (string Mail, string Shown, string Text) SignedBy(Member? sender, Practice practice)
    {
        if (sender is null)
        {
            return ("", "", "");
        }

        var words =
            sender.SignOff.Length > 0
                ? signOffs.GetOrAdd(sender.SignOff, LetterHtml.Sanitize)
                : $"<p>{LetterHtml.Encode(sender.Name)}<br>{LetterHtml.Encode(practice.Name)}</p>";
        var picture = sender.Photograph is { } photograph ? $"<p><img src=\"{photograph}\" alt=\"{LetterHtml.Encode(sender.Name)}\" width=\"64\"></p>" : "";
        return (MailLayout.SignedBy(words, sender.Photograph, sender.Name), picture + words, LetterHtml.ToText(words).Trim());
    }

    /// <summary>A body as it was written, its passages marked.</summary>
    private static string MarkedBody(EmailStep step) => LetterPassages.Mark(LetterHtml.FromBody(LetterPassages.WithoutMarks(step.Body))).Marked;

    /// <summary>
    /// What can be worked out before anybody is known. A body whose merge fields stand inside tags, or whose Liquid the
    /// sanitiser would touch, is worked out for each person.
    /// </summary>
    private static Written Write(EmailStep step)
    {
        var body = LetterHtml.FromBody(LetterPassages.WithoutMarks(step.Body));
        var (safe, passages) = LetterPassages.Mark(WithSignOffPlaces(LetterHtml.Sanitize(body)));
        if (LiquidOf(body) != LiquidOf(safe) || HasFieldInTag(body) || body.Contains("confirm_link", StringComparison.Ordinal))
        {
            return new Written(null, "", "", "", [], LetterPassages.Mark(body).Passages);
        }

        var (html, found) = LetterLinks.Rewrite(safe, LetterLinks.Place, new Dictionary<string, string>());
        return new Written(html, MailLayout.Page(html), LetterHtml.ToText(html), LetterHtml.ToText(safe), found, passages);
    }

    private static string LiquidOf(string text) => string.Join('\n', Liquid().Matches(text).Select(m => m.Value));

    private static bool HasFieldInTag(string text) => FieldInTag().IsMatch(text);

    [GeneratedRegex(@"\{\{.*?\}\}|\{%.*?%\}", RegexOptions.Singleline | RegexOptions.NonBacktracking)]
    private static partial Regex Liquid();

    [GeneratedRegex(@"<[^>]*\{[\{%]", RegexOptions.NonBacktracking)]
    private static partial Regex FieldInTag();

    private string WithPictures(string html) => html.Replace("src=\"/i/", $"src=\"{links.BaseUrl}/i/", StringComparison.Ordinal);

    private const string Line = "<hr style=\"margin:20px 0;border:0;border-top:1px solid #dcd8cb;height:1px\">";

    private (string Html, string Text) Footer(Purpose purpose, Guid touchId, PersonFacts person, Practice practice)
    {
        var who = $"{Line}<p>{LetterHtml.Encode(practice.Name)}<br>{LetterHtml.Encode(practice.PostalAddress)}</p>";
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
            $"{who}<p>{Said("You get this because you asked for it or are a client.")} <a href=\"{leave}\" style=\"color:#38662f\">{Said("Stop these emails")}</a> · <a href=\"{choose}\" style=\"color:#38662f\">{Said("Choose what you get")}</a></p>",
            Say($"{plain}\nYou get this because you asked for it or are a client.\nStop these emails: {leave}\nChoose what you get: {choose}\n")
        );
    }
}
