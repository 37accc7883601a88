using Germinal.Channels;
using Germinal.Core.Forms;
using Germinal.Service.Incoming;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Forms;

/// <summary>
/// Whoever a form is shown to, known by the letter whose link they followed. Whoever the letter was forwarded to sees the same page: only the first name
/// stands in it in full, all else as its reader would know it again and nobody else could use it. By a link that was mailed to them a moment ago (<see cref="OwnLinks"/>)
/// they see it all.
/// </summary>
public sealed class ReaderOf
{
    private readonly PersonRow person;
    private readonly IReadOnlyList<KeyDateRow> dates;

    private ReaderOf(Guid touchId, PersonRow person, IReadOnlyList<KeyDateRow> dates, bool isConfirmed) => (TouchId, this.person, this.dates, IsConfirmed) = (touchId, person, dates, isConfirmed);

    /// <summary>Whether they have proved just now that the address is theirs.</summary>
    public bool IsConfirmed { get; }

    /// <summary>The message whose link they followed.</summary>
    public Guid TouchId { get; }

    /// <summary>Who it was written to.</summary>
    public Guid PersonId => person.Id;

    /// <summary>Their first name; null where nobody knows it.</summary>
    public string? FirstName => person.FirstName;

    /// <summary>The reader of a token of the context's practice; null for none, for one that has run out, and for another practice's.</summary>
    public static async Task<ReaderOf?> FindAsync(GerminalDb db, PublicLinks links, string? token, Duration works, Instant now, CancellationToken stop)
    {
        if (
            string.IsNullOrEmpty(token)
            || TouchOfToken(links, token, now) is not var (touch, confirmed)
            || await TouchOf.FindAsync(db, touch, stop) is not { } found
            || found.PracticeId != db.PracticeId
            || found.Message.SentAt + works < now
            || await db.People.AsNoTracking().FirstOrDefaultAsync(p => p.Id == found.PersonId && !p.Archived, stop) is not { } person
        )
        {
            return null;
        }

        return new ReaderOf(touch, person, await db.KeyDates.AsNoTracking().Where(d => d.PersonId == person.Id).ToListAsync(stop), confirmed);
    }

    private static (Guid Touch, bool Confirmed)? TouchOfToken(PublicLinks links, string token, Instant now) =>
        links.TryReadReader(token) is { } touch ? (touch, false)
        : links.TryReadConfirmedReader(token) is { } own && OwnLinks.Works(own.Day, now) ? (own.TouchId, true)
        : null;

    /// <summary>What stands in a form's fields as it is shown: their first name; all that is known where they have proved who they are.</summary>
    public Dictionary<string, IReadOnlyList<string>> Filled(Form form) =>
        Known(form).Where(k => IsConfirmed || k.Question.Into!.Field == "first-name").ToDictionary(k => k.Question.Id, k => (IReadOnlyList<string>)[k.Value], StringComparer.Ordinal);

    /// <summary>By question, what is known already, so that its reader knows it again: <c>i…@example.com</c>. First names are not masked, and not among them.</summary>
    public IReadOnlyDictionary<string, string> Masked(Form form) => Known(form).Where(k => !IsConfirmed && k.Question.Into!.Field != "first-name").ToDictionary(k => k.Question.Id, k => Mask(k.Value), StringComparer.Ordinal);

    /// <summary>What was posted, with what is known already in place of what was left empty where it was covered; whoever saw it all has emptied it themselves.</summary>
    public Dictionary<string, IReadOnlyList<string>> FillBlanks(Form form, IReadOnlyDictionary<string, IReadOnlyList<string>> posted)
    {
        var filled = posted.ToDictionary(p => p.Key, p => p.Value, StringComparer.Ordinal);
        foreach (var (question, value) in IsConfirmed ? [] : Known(form))
        {
            if (filled.GetValueOrDefault(question.Id, []).All(string.IsNullOrWhiteSpace))
            {
                filled[question.Id] = [value];
            }
        }

        return filled;
    }

    // A choice, a date or a yes says too much of its own shape to be covered; those are asked for as of anybody.
    private IEnumerable<(FormQuestion Question, string Value)> Known(Form form) =>
        from question in form.Questions
        where question is { Into: not null, Kind: not (QuestionKind.Hidden or QuestionKind.Consent or QuestionKind.File) }
        where IsConfirmed || question.Kind is QuestionKind.Text or QuestionKind.Email or QuestionKind.Phone or QuestionKind.Address
        let value = FormPlaces.Known(person, dates, question.Into!)
        where !string.IsNullOrWhiteSpace(value)
        select (question, value);

    private static string Mask(string value)
    {
        var flat = value.ReplaceLineEndings(" ");
        return flat.IndexOf('@', StringComparison.Ordinal) is > 0 and var at ? $"{flat[0]}…{flat[at..]}"
            : flat.Length <= 3 ? $"{flat[0]}…"
            : char.IsDigit(flat[^1]) ? $"…{flat[^2..]}"
            : $"{flat[0]}…";
    }
}
