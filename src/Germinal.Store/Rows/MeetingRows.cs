using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A public page on which one chooses a time to meet a member.</summary>
public sealed class MeetingPageRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    /// <summary>Whom one meets.</summary>
    public Guid MemberId { get; set; }

    /// <summary>The last part of its public address. Once in the installation.</summary>
    public required string Slug { get; set; }

    public required string Title { get; set; }

    /// <summary>What stands above the times.</summary>
    public string Words { get; set; } = "";

    /// <summary>The kind of appointment that is made.</summary>
    public required string Type { get; set; }

    public string? Place { get; set; }

    /// <summary>How long a meeting is.</summary>
    public int Minutes { get; set; }

    /// <summary>How long before and after one there is none.</summary>
    public int GapMinutes { get; set; }

    /// <summary>How long before it a meeting can be made at the latest.</summary>
    public int NoticeHours { get; set; }

    /// <summary>How many meetings the member has on one date; null for as many as there is room for.</summary>
    public int? MostADay { get; set; }

    /// <summary>How many days ahead one can be made.</summary>
    public int AheadDays { get; set; }

    /// <summary>When the member is free, in any number of spans a week day.</summary>
    public List<ReachedSettings> Hours { get; set; } = [];

    /// <summary>Whether everybody can open it.</summary>
    public bool Shown { get; set; }

    /// <summary>Counts up with each save; a save that names an older one is refused.</summary>
    public int Edition { get; set; } = 1;

    public required string By { get; set; }

    public Instant ChangedAt { get; set; }
}
