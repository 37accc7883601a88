using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A calendar a member keeps elsewhere. Of it only is kept when they are busy, never with what.</summary>
public sealed class OwnCalendarRow : IOwned
{
    public Guid Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid MemberId { get; set; }

    public required string Name { get; set; }

    /// <summary>Where it is read, sealed with the installation's key: whoever knows such an address can read the calendar. Empty for one that came as a file.</summary>
    public string SealedAddress { get; set; } = "";

    /// <summary>Whose address it is, as it is shown: <c>calendar.example.com</c>; empty for a file.</summary>
    public string Host { get; set; } = "";

    /// <summary>By the machine's clock: when it was last read well; null for never.</summary>
    public Instant? ReadAt { get; set; }

    /// <summary>By the machine's clock: when it is read next; null for a file.</summary>
    public Instant? NextRead { get; set; }

    /// <summary>How often reading it has failed since it last went well.</summary>
    public int Failures { get; set; }

    /// <summary>Why it could not be read last, in words; empty where it could.</summary>
    public string Problem { get; set; } = "";
}

/// <summary>A member is busy by a calendar of theirs.</summary>
public sealed class BusyTimeRow : IOwned
{
    public long Id { get; set; }

    public Guid PracticeId { get; set; }

    public Guid CalendarId { get; set; }

    public Guid MemberId { get; set; }

    public Instant From { get; set; }

    /// <summary>When they are free again.</summary>
    public Instant Until { get; set; }
}
