using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>Something a member did to one person or many at once, to be taken back as one.</summary>
public sealed class ActRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>Practice time.</summary>
    public Instant At { get; set; }

    /// <summary>The member's name.</summary>
    public required string By { get; set; }

    /// <summary>An <c>ActKind</c> in small letters.</summary>
    public required string Kind { get; set; }

    /// <summary>The tag, the stage, the list, or the id of a member or program.</summary>
    public required string What { get; set; }

    public Instant? UndoneAt { get; set; }
}
