using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Files;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Service.Letters;
using NodaTime;

namespace Germinal.Service.Landings;

/// <summary>A letter's words made ready for a page: worked out once for each version.</summary>
/// <param name="Step">The words, the form's place marked.</param>
/// <param name="Form">The form that stands in it, by the last part of its address; null for none.</param>
public sealed record LandingWords(EmailStep Step, string? Form)
{
    /// <summary>A letter's body as a page has it.</summary>
    public static LandingWords Of(string body)
    {
        var (words, form) = LetterPlaces.TakeForm(body);
        return new LandingWords(new EmailStep { Id = "page", Subject = "", Body = words }, form);
    }
}

/// <summary>
/// A letter as a page for everybody. Nobody is known there but by a first name, where a letter's link led to it: whoever it was forwarded to sees the same.
/// </summary>
public sealed class LandingWriter(LetterWriter writer, LetterDesk desk)
{
    /// <summary>The page's words as HTML, with what fields lack.</summary>
    /// <param name="words">The letter's words.</param>
    /// <param name="firstName">The reader's; null for nobody's.</param>
    /// <param name="practice">The practice.</param>
    /// <param name="at">Now.</param>
    public (string Html, IReadOnlyList<string> Missing) Fill(LandingWords words, string? firstName, Practice practice, Instant at)
    {
        var nobody = new PersonFacts { Id = Guid.Empty, FirstName = firstName };
        var filled = writer.Fill(words.Step, Purpose.Transactional, Guid.Empty, nobody, practice, practice.SenderFor(nobody), at);
        return (filled.BodyHtml, filled.Missing);
    }

    /// <summary>What keeps a letter from being shown as a page; empty where nothing does.</summary>
    public IReadOnlyList<Finding> Findings(string body, string? title, Practice practice, Instant now)
    {
        var findings = desk.Findings("", body, practice.Kept ?? KeptThings.None, now.InZone(practice.Zone).Date).Where(f => !f.IsWarning).ToList();
        if (string.IsNullOrWhiteSpace(title))
        {
            findings.Add(new Finding("/title", Said("A page needs a title: what search and sharing call it.")));
        }

        if (body.Contains("confirm_link", StringComparison.Ordinal))
        {
            findings.Add(new Finding("/body", Said("It has a link by which its reader confirms, and a page has no reader. Take it out of the letter, or write a letter of its own for the page.")));
        }
        else if (findings.Count == 0 && Fill(LandingWords.Of(body), null, practice, now).Missing is { Count: > 0 } missing)
        {
            findings.Add(new Finding("/body", Say($"Nobody is known on a page, and this has no other words: {MergeFields.Say(missing)}. Say in the letter what stands there when it is missing.")));
        }

        return findings;
    }
}
