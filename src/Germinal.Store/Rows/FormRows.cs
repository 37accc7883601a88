using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A form: as it is being written, and as everybody sees it.</summary>
public sealed class FormRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>What it is called, as it is being written; once in the practice.</summary>
    public required string Name { get; set; }

    /// <summary>The last part of its public address; stays when it is renamed. Once in the installation.</summary>
    public required string Slug { get; set; }

    /// <summary>As it is being written, a form file; it may not be in order yet.</summary>
    public required string Draft { get; set; }

    /// <summary>As everybody sees it, a form file; null while nobody does.</summary>
    public string? Shown { get; set; }

    /// <summary>How often it was shown anew.</summary>
    public int ShownVersion { get; set; }

    /// <summary>How many submissions it has taken, where it takes only so many (rule 17.4).</summary>
    public int Taken { get; set; }

    /// <summary>Counts up with each save; a save that names an older one is refused.</summary>
    public int Edition { get; set; } = 1;

    public required string By { get; set; }

    public Instant ChangedAt { get; set; }
}

/// <summary>What somebody sent by a form, as they typed it (rule 17.1).</summary>
public sealed class SubmissionRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid FormId { get; set; }

    /// <summary>The mark of the page it was sent from; sent twice, it is one.</summary>
    public required string Key { get; set; }

    public Instant At { get; set; }

    /// <summary>A word of <c>SubmissionState</c>.</summary>
    public required string Status { get; set; }

    /// <summary>Which showing of the form it answers.</summary>
    public int Version { get; set; }

    /// <summary>What was asked and what was answered, in order.</summary>
    public List<SubmittedAnswer> Answers { get; set; } = [];

    /// <summary>Why it waits apart, in words; empty where it does not.</summary>
    public string Doubt { get; set; } = "";

    /// <summary>The address it gives, in small letters; null for none.</summary>
    public string? Email { get; set; }

    /// <summary>A print of its words, by which the same ones are known again.</summary>
    public string Print { get; set; } = "";

    /// <summary>Whom it made or was found to be of; null while nothing but the submission exists.</summary>
    public Guid? PersonId { get; set; }

    /// <summary>The message whose link led to the form; null where nobody knows.</summary>
    public Guid? TouchId { get; set; }

    /// <summary>Whether the link proved the address, so that no confirmation was asked.</summary>
    public bool IsProven { get; set; }

    /// <summary>The page it stood in, without what its address asks for; null where nobody knows.</summary>
    public string? CameFrom { get; set; }

    /// <summary>When its confirmation was asked for.</summary>
    public Instant? AskedAt { get; set; }

    public Instant? ConfirmedAt { get; set; }
}

/// <summary>A question as it was asked, and its answer.</summary>
/// <param name="Question">The question's id.</param>
/// <param name="Ask">Its words.</param>
/// <param name="Value">The answer as it was understood; several choices parted by <c>;</c>.</param>
public sealed record SubmittedAnswer(string Question, string Ask, string Value)
{
    /// <summary>The question and its answer on one line.</summary>
    public string Sentence() => $"{Ask} {Value.Replace(";", ", ", StringComparison.Ordinal)}";
}

/// <summary>A file somebody sent by a form; kept apart, handed out as a file only.</summary>
public sealed class SubmittedFileRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid SubmissionId { get; set; }

    public required string Question { get; set; }

    public required string Name { get; set; }

    /// <summary>By its content, never by its name.</summary>
    public required string ContentType { get; set; }

    public int Bytes { get; set; }

    public required byte[] Content { get; set; }
}

/// <summary>A mail that no program planned: written by a member, an answer by itself, or one that asks for a confirmation.</summary>
public sealed class OwnMailRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>A word of <c>OwnMailKinds</c>.</summary>
    public required string Kind { get; set; }

    /// <summary>Whom it goes to; null for somebody who is nobody's person yet.</summary>
    public Guid? PersonId { get; set; }

    public Guid? InquiryId { get; set; }

    public Guid? SubmissionId { get; set; }

    /// <summary>In whose name it goes.</summary>
    public Guid? MemberId { get; set; }

    public string ToName { get; set; } = "";

    public required string ToAddress { get; set; }

    public required string Subject { get; set; }

    /// <summary>The letter as a page; empty for one in plain words.</summary>
    public string Html { get; set; } = "";

    public required string Text { get; set; }

    /// <summary>The appointment it carries as an iCalendar object (RFC 5545); empty for none.</summary>
    public string Calendar { get; set; } = "";

    /// <summary>The Message-ID it answers (RFC 5322, 3.6.4), without angle brackets; null for none.</summary>
    public string? InReplyTo { get; set; }

    /// <summary>The thread's Message-IDs, oldest first.</summary>
    public List<string> References { get; set; } = [];

    /// <summary>waiting, handing, sent, refused or uncertain.</summary>
    public string Status { get; set; } = "waiting";

    public Instant CreatedAt { get; set; }

    /// <summary>By the machine's clock: when it may be handed over next, or until when a worker has it.</summary>
    public Instant NextTry { get; set; }

    public int Attempts { get; set; }

    public Instant? SentAt { get; set; }

    /// <summary>What the mail server said last.</summary>
    public string LastAnswer { get; set; } = "";

    /// <summary>When the member in whose name it went by itself has read it; null while they have not.</summary>
    public Instant? ReadAt { get; set; }
}

/// <summary>Days on which a member is away.</summary>
public sealed class AbsenceRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid MemberId { get; set; }

    public LocalDate From { get; set; }

    /// <summary>The last day.</summary>
    public LocalDate Until { get; set; }
}
