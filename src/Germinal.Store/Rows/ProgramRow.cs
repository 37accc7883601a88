using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A program: the draft that is being written, and which published version is on.</summary>
public sealed class ProgramRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public required string Name { get; set; }

    /// <summary>The draft as a program file.</summary>
    public required string Draft { get; set; }

    /// <summary>Counts up with each save; a save that names an older one is refused.</summary>
    public int DraftNumber { get; set; } = 1;

    public string? DraftBy { get; set; }

    /// <summary>draft, on or paused.</summary>
    public string Status { get; set; } = "draft";

    public Instant? OnSince { get; set; }

    /// <summary>When a paused program goes on by itself; null for one that does not, or is not paused.</summary>
    public Instant? PausedUntil { get; set; }

    /// <summary>The published version that new runs start with; 0 before the first.</summary>
    public int CurrentVersion { get; set; }

    public Instant CreatedAt { get; set; }

    /// <summary>The member whose program it is, who may change it beside the principal; null: everybody who writes programs may.</summary>
    public Guid? OwnerId { get; set; }

    /// <summary>Whether the list leaves it out until it is asked for.</summary>
    public bool Hidden { get; set; }

    /// <summary>Whether it sends a broadcast (rule 15.1); such programs stand in no list of programs.</summary>
    public bool Broadcast { get; set; }

    /// <summary>When it was put away for good; it starts for nobody any more.</summary>
    public Instant? ArchivedAt { get; set; }

    /// <summary>When a member asked a principal to approve the draft; null when nobody waits for that.</summary>
    public Instant? ApprovalAskedAt { get; set; }

    public string? ApprovalAskedBy { get; set; }

    /// <summary>When it was rehearsed over everybody last; null for never.</summary>
    public Instant? RehearsedAt { get; set; }

    /// <summary>The number of the draft a principal approved last; 0 for none.</summary>
    public int ApprovedDraft { get; set; }

    public string? ApprovedBy { get; set; }
}

/// <summary>A published version; never changes, but for a stage or a reason that is called otherwise from now on.</summary>
public sealed class ProgramVersionRow : IOwned
{
    public Guid ProgramId { get; set; }

    public int Version { get; set; }

    public Guid PracticeId { get; set; }

    public required string Definition { get; set; }

    public Instant PublishedAt { get; set; }

    public required string By { get; set; }
}

/// <summary>A picture that letters may show, served under its id.</summary>
public sealed class ImageRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public required string ContentType { get; set; }

    public required byte[] Content { get; set; }
}
