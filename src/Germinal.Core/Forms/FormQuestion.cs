using Germinal.Core.Contact;

namespace Germinal.Core.Forms;

/// <summary>How a question of a form is answered. Closed; files have its word.</summary>
public enum QuestionKind
{
    /// <summary>A line of words.</summary>
    Text,

    /// <summary>Several lines.</summary>
    LongText,

    /// <summary>An email address.</summary>
    Email,

    /// <summary>A telephone number, as it is dialled where the practice is.</summary>
    Phone,

    /// <summary>One of the options.</summary>
    Choice,

    /// <summary>Any of the options.</summary>
    Choices,

    /// <summary>A day.</summary>
    Date,

    /// <summary>Yes or no.</summary>
    YesNo,

    /// <summary>A number.</summary>
    Number,

    /// <summary>A postal address.</summary>
    Address,

    /// <summary>A file; what is in it is looked at when it comes.</summary>
    File,

    /// <summary>A box that gives consent, with the exact wording that stands beside it.</summary>
    Consent,

    /// <summary>A value that is not asked and comes with the form's address.</summary>
    Hidden,
}

/// <summary>Where an answer goes at the person.</summary>
/// <param name="Field">
/// A word of <see cref="FormWords.PersonFields"/>, <c>custom:KEY</c> for a field of the practice's own, or <c>date:NAME</c> for a key date.
/// </param>
public sealed record AnswerPlace(string Field);

/// <summary>When a question is asked: only if an earlier one was answered so.</summary>
/// <param name="Question">The id of the earlier question.</param>
/// <param name="Answers">Any of these, compared without regard to case; none for any answer at all.</param>
public sealed record ShownIf(string Question, IReadOnlyList<string> Answers);

/// <summary>What a consent box gives (rule 10).</summary>
/// <param name="Channel">The channel.</param>
/// <param name="Topic">The topic; null for everything.</param>
public sealed record FormConsent(Channel Channel, string? Topic);

/// <summary>A question of a form.</summary>
public sealed record FormQuestion
{
    /// <summary>What the form calls it; once in the form, a word of an address.</summary>
    public required string Id { get; init; }

    public required QuestionKind Kind { get; init; }

    /// <summary>What is asked; of a consent, the exact wording that goes into the ledger.</summary>
    public required string Ask { get; init; }

    /// <summary>A word of help below it; null for none.</summary>
    public string? Help { get; init; }

    /// <summary>Whether it has to be answered where it is asked.</summary>
    public bool Required { get; init; }

    /// <summary>Of a choice, or several: what may be chosen, in order.</summary>
    public IReadOnlyList<string> Options { get; init; } = [];

    /// <summary>When it is asked; null for always.</summary>
    public ShownIf? ShownIf { get; init; }

    /// <summary>Where the answer goes at the person; null where it stays in the submission.</summary>
    public AnswerPlace? Into { get; init; }

    /// <summary>Of a consent: what it gives.</summary>
    public FormConsent? Consent { get; init; }

    /// <summary>Of a hidden one: the value it has where the form's address brings none.</summary>
    public string? Value { get; init; }
}
