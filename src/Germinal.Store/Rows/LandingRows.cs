using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A letter of the practice as a public page: where it is, and how it is found and passed on.</summary>
public sealed class LandingRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>The letter whose words it shows.</summary>
    public Guid LetterId { get; set; }

    /// <summary>The last part of its public address. Once in the installation.</summary>
    public required string Slug { get; set; }

    /// <summary>What search and sharing call it.</summary>
    public required string Title { get; set; }

    /// <summary>What search and sharing say of it.</summary>
    public string Description { get; set; } = "";

    /// <summary>What sharing shows, among the practice's pictures.</summary>
    public Guid? PictureId { get; set; }

    /// <summary>The version everybody sees; null while nobody does.</summary>
    public int? ShownVersion { get; set; }

    /// <summary>Counts up with each save; a save that names an older one is refused.</summary>
    public int Edition { get; set; } = 1;

    public required string By { get; set; }

    public Instant ChangedAt { get; set; }
}

/// <summary>A page as it was shown; it never changes.</summary>
public sealed class LandingVersionRow : IOwned
{
    public Guid LandingId { get; set; }

    /// <summary>From 1.</summary>
    public int Version { get; set; }

    public Guid PracticeId { get; set; }

    public required string Title { get; set; }

    public required string Description { get; set; }

    public Guid? PictureId { get; set; }

    /// <summary>The letter's words as they were.</summary>
    public required string Body { get; set; }

    public required string By { get; set; }

    public Instant At { get; set; }
}

/// <summary>How often a page was opened on a day, and by which program's message one came.</summary>
public sealed class LandingVisitRow : IOwned
{
    public Guid LandingId { get; set; }

    public Guid PracticeId { get; set; }

    public LocalDate Date { get; set; }

    /// <summary>Whose message led to it; empty for nobody's.</summary>
    public Guid ProgramId { get; set; }

    public int Count { get; set; }
}
