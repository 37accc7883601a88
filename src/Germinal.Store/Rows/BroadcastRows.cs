using Germinal.Core.Broadcasts;
using Germinal.Core.Results;
using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>One message to many at once: as it is written, and once it is sent, how it stands. The program that sends it is <see cref="ProgramId"/>.</summary>
public sealed class BroadcastRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public required string Name { get; set; }

    /// <summary>As it is written; once it is set it does not change any more.</summary>
    public BroadcastPlan Plan { get; set; } = new();

    /// <summary>Counts up with each save; what names an older one is refused.</summary>
    public int Edition { get; set; } = 1;

    /// <summary>draft, waiting (for its moment), going, paused, stopped or done.</summary>
    public string Status { get; set; } = "draft";

    /// <summary>The program that sends it; null while it is a draft.</summary>
    public Guid? ProgramId { get; set; }

    /// <summary>Practice time at which it begins and who it is for is fixed; null while it is a draft.</summary>
    public Instant? BeginsAt { get; set; }

    /// <summary>When it began; null while it has not.</summary>
    public Instant? BeganAt { get; set; }

    /// <summary>For how many it began.</summary>
    public int People { get; set; }

    /// <summary>When it is decided which version the rest get; null where nothing is, or it has been.</summary>
    public Instant? DecideAt { get; set; }

    /// <summary>What was found when it was decided; null before.</summary>
    public VersionsDecided? Decided { get; set; }

    /// <summary>The broadcast of which this is the second try, to those who did not open it; null for none.</summary>
    public Guid? AgainOf { get; set; }

    /// <summary>The first of a row of repeated ones, which names itself; null for one that does not repeat.</summary>
    public Guid? SeriesId { get; set; }

    /// <summary>Its own date in the row, for the next to be counted from; null for one that does not repeat.</summary>
    public LocalDate? SeriesDate { get; set; }

    /// <summary>The member who wrote it.</summary>
    public Guid? MemberId { get; set; }

    public required string By { get; set; }

    /// <summary>Who sent it.</summary>
    public string? SentBy { get; set; }

    public Instant CreatedAt { get; set; }

    /// <summary>When all of it had gone, or it was stopped; null before.</summary>
    public Instant? EndedAt { get; set; }
}

/// <summary>What was found when a broadcast's versions were compared.</summary>
/// <param name="At">When, ISO 8601.</param>
/// <param name="By">The rate that decided.</param>
/// <param name="Versions">How each did.</param>
/// <param name="Chosen">The version the rest got, from 0.</param>
/// <param name="Verdict">What could be said.</param>
public sealed record VersionsDecided(string At, string By, IReadOnlyList<VersionDeeds> Versions, int Chosen, Verdict Verdict);

/// <summary>
/// A change of a count of what became of a program's touches. The database writes these itself, in the transaction of what they count, each time a
/// touch or message changes; they are added up now and then, so that no two workers wait for one row.
/// </summary>
public sealed class TallyRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid ProgramId { get; set; }

    public required string StepId { get; set; }

    /// <summary>A touch's status, or what became of a message: bounced, opened, by-machine, followed, answered, opted-out, complained.</summary>
    public required string What { get; set; }

    /// <summary>Of a touch its reason; of a bounce hard or soft; empty for the rest.</summary>
    public string Detail { get; set; } = "";

    /// <summary>The hour since it was sent in which it was opened or followed, from 0; 48 for later; −1 for the rest.</summary>
    public short Hour { get; set; } = -1;

    public int Number { get; set; }
}
