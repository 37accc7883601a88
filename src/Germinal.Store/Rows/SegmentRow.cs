using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A saved rule that picks people (rule 16.1).</summary>
public sealed class SegmentRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public required string Name { get; set; }

    /// <summary>The rule as JSON.</summary>
    public required string Rule { get; set; }

    /// <summary>The member who keeps it for themselves; null for one of the practice's.</summary>
    public Guid? MemberId { get; set; }

    public Instant CreatedAt { get; set; }

    public required string By { get; set; }

    /// <summary>Counts up with each change; a change that names an older one is refused.</summary>
    public int Edition { get; set; } = 1;
}
