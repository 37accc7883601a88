using NodaTime;

namespace Germinal.Store.Rows;

/// <summary>A row that belongs to exactly one practice; a global filter keeps practices apart.</summary>
public interface IOwned
{
    Guid PracticeId { get; set; }
}

/// <summary>A practice. Its settings are one JSON value, read as a whole (<see cref="PracticeSettings"/>).</summary>
public sealed class PracticeRow
{
    public Guid Id { get; set; }

    public required string Name { get; set; }

    /// <summary>IANA zone.</summary>
    public required string ZoneId { get; set; }

    public PracticeSettings Settings { get; set; } = new();
}

/// <summary>A practice's settings as they are stored. Times are <c>HH:mm</c>, dates ISO 8601.</summary>
public sealed class PracticeSettings
{
    public string LeapDay { get; set; } = "feb28";

    public List<string> WorkingDays { get; set; } = ["mon", "tue", "wed", "thu", "fri"];

    /// <summary>ISO country of the public holiday calendar; empty for none.</summary>
    public string HolidaysOf { get; set; } = "";

    public List<LocalDate> Holidays { get; set; } = [];

    public List<LocalDate> Closed { get; set; } = [];

    public string QuietFrom { get; set; } = "08:00";

    public string QuietTo { get; set; } = "21:00";

    /// <summary>Channels whose consent policy is open; all others are strict.</summary>
    public List<string> OpenChannels { get; set; } = [];

    public int InquiryMonths { get; set; } = 6;

    public int ClientMonths { get; set; } = 24;

    public string PostalAddress { get; set; } = "";

    public Guid? FallbackSender { get; set; }

    public List<PipelineSettings> Pipelines { get; set; } = [];

    /// <summary><c>mdy</c> or <c>dmy</c>: how an ambiguous 4/1 is read in an import.</summary>
    public string DateOrder { get; set; } = "mdy";

    /// <summary>ISO country whose dialling rules a number without a country code follows.</summary>
    public string PhoneRegion { get; set; } = "US";
}

/// <summary>A pipeline and its stages in order.</summary>
public sealed class PipelineSettings
{
    public string Name { get; set; } = "";

    public List<string> Stages { get; set; } = [];
}

/// <summary>The practice clock: one row for the whole database. Real time, or a clock that stands and is moved on.</summary>
public sealed class ClockRow
{
    public int Id { get; set; } = 1;

    /// <summary>True when the clock is the machine's own.</summary>
    public bool Real { get; set; }

    /// <summary>Where a clock that stands stands.</summary>
    public Instant Now { get; set; }

    /// <summary>Where it was when the move under way began; null when none is.</summary>
    public Instant? MoveFrom { get; set; }

    public Instant? MoveTo { get; set; }

    /// <summary>A member asked for the move to stop.</summary>
    public bool StopAsked { get; set; }

    /// <summary>Up to where the daily sweep has written occasions.</summary>
    public Instant SweptUntil { get; set; }
}
