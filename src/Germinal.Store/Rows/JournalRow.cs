using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>
/// One line of the journal: something a member did, or tried. It is written before it is done and completed afterwards, so that what a
/// broken line or a stopped server leaves behind stands there too.
/// </summary>
public sealed class JournalRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>Practice time.</summary>
    public Instant At { get; set; }

    public Guid MemberId { get; set; }

    /// <summary>The member's name at the time.</summary>
    public required string By { get; set; }

    /// <summary>What was done, in words, with <c>{}</c> where the name of what it was done to stands.</summary>
    public required string Words { get; set; }

    /// <summary>What it was done to was called so at the time; empty where it is nothing with a name.</summary>
    public string About { get; set; } = "";

    /// <summary>What kind of thing that is, a word of <c>JournalSubjects</c>; null for none.</summary>
    public string? Kind { get; set; }

    /// <summary>Its id; of no weight once it is gone.</summary>
    public Guid? SubjectId { get; set; }

    /// <summary>The person it concerns, or null; nothing of theirs, so that erasing them leaves the line without their name.</summary>
    public Guid? ConcernsId { get; set; }

    /// <summary>The program it concerns, or null.</summary>
    public Guid? ProgramId { get; set; }

    /// <summary>More about it, in words; empty where there is nothing.</summary>
    public string More { get; set; } = "";

    /// <summary>The act on one or many people that it was, or null.</summary>
    public Guid? ActId { get; set; }

    /// <summary>How it ended: <c>begun</c> (and nobody knows), <c>done</c>, or <c>refused</c>.</summary>
    public required string Ended { get; set; }

    /// <summary>The client's address.</summary>
    public string FromAddress { get; set; } = "";

    /// <summary>The client's program, in its own words.</summary>
    public string FromProgram { get; set; } = "";
}
