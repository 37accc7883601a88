using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>
/// Words and a picture for a public place. It stands on the day sheet as a task of a member's own or as a touch of a program, whose day and end
/// are its own.
/// </summary>
public sealed class PostRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>The task it is, where a member wrote it; else null.</summary>
    public Guid? TaskId { get; set; }

    /// <summary>The touch it is, where a program planned it; else null.</summary>
    public Guid? TouchId { get; set; }

    /// <summary>Whom the program that planned it is about; null for one that a member wrote.</summary>
    public Guid? PersonId { get; set; }

    /// <summary>The words, filled.</summary>
    public required string Words { get; set; }

    /// <summary>Its picture, among the practice's; null for none.</summary>
    public Guid? PictureId { get; set; }

    /// <summary>What the picture shows, for those who do not see it.</summary>
    public string PictureWords { get; set; } = "";

    /// <summary>Where it is to stand, in the practice's words; empty where that is plain.</summary>
    public string Place { get; set; } = "";

    /// <summary>Whether the gateway puts it there; else a member does.</summary>
    public bool ByItself { get; set; }

    /// <summary>Whether the practice's feed shows it once it stands.</summary>
    public bool InFeed { get; set; } = true;

    /// <summary>waiting, handing, sent or refused: how it stands with the gateway, where that puts it there.</summary>
    public string Status { get; set; } = "waiting";

    /// <summary>By the machine's clock: when the gateway is asked next, or until when a worker has it.</summary>
    public Instant NextTry { get; set; }

    public int Attempts { get; set; }

    /// <summary>What the gateway said last; empty for nothing, or where it went well.</summary>
    public string LastAnswer { get; set; } = "";

    /// <summary>Where it stands, as the gateway said; empty where it did not.</summary>
    public string Address { get; set; } = "";

    /// <summary>Practice time.</summary>
    public Instant CreatedAt { get; set; }
}

/// <summary>Somebody's feed (RSS 2.0, Atom) that is read for ideas.</summary>
public sealed class IdeaFeedRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public required string Address { get; set; }

    /// <summary>What it calls itself; its address before it was read.</summary>
    public required string Title { get; set; }

    public string ETag { get; set; } = "";

    /// <summary>By the machine's clock: when it was last read well; null for never.</summary>
    public Instant? ReadAt { get; set; }

    /// <summary>By the machine's clock: when it is read next.</summary>
    public Instant NextRead { get; set; }

    public int Failures { get; set; }

    /// <summary>Why it could not be read last, in words; empty where it could.</summary>
    public string Problem { get; set; } = "";
}

/// <summary>Something of a feed, its text cleaned.</summary>
public sealed class IdeaRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid FeedId { get; set; }

    /// <summary>How the feed knows it; once in the feed.</summary>
    public required string Key { get; set; }

    public required string Title { get; set; }

    /// <summary>Its words, without markup.</summary>
    public string Words { get; set; } = "";

    /// <summary>Where it is read in full; empty for nowhere.</summary>
    public string Address { get; set; } = "";

    public Instant At { get; set; }
}
