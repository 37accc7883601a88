using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A letter the practice keeps by name; steps of programs may follow it.</summary>
public sealed class LetterRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public required string Name { get; set; }

    /// <summary>What it was called before: published programs, which never change, still ask for it so.</summary>
    public List<string> FormerNames { get; set; } = [];

    /// <summary>One line with merge fields.</summary>
    public required string Subject { get; set; }

    /// <summary>HTML with merge fields.</summary>
    public required string Body { get; set; }

    /// <summary>Counts up with each save; a save that names an older one is refused.</summary>
    public int Edition { get; set; } = 1;

    public required string By { get; set; }

    public Instant ChangedAt { get; set; }
}
