using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Time;

/// <summary>Moments as files write them.</summary>
public static class Moments
{
    private static readonly OffsetDateTimePattern WithOffset = OffsetDateTimePattern.ExtendedIso;
    private static readonly OffsetDateTimePattern Printed = OffsetDateTimePattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mm:sso<+HH:mm>");
    private static readonly OffsetDateTimePattern WithoutSeconds = OffsetDateTimePattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mmo<Z+HH:mm>");
    private static readonly LocalDateTimePattern Local = LocalDateTimePattern.ExtendedIso;
    private static readonly LocalDateTimePattern LocalMinutes = LocalDateTimePattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mm");

    /// <summary>
    /// An ISO 8601 instant with its offset (<c>2027-03-09T14:30:00Z</c>), or a local time of a zone (<c>2027-03-09T09:30</c>),
    /// or a date, which is its beginning there. Null for anything else, and for a year that nobody means (<see cref="Dates"/>).
    /// </summary>
    public static Instant? Read(string text, DateTimeZone zone) => Parse(text, zone) is { } moment && Dates.IsMeant(moment) ? moment : null;

    private static Instant? Parse(string text, DateTimeZone zone)
    {
        foreach (var pattern in new[] { WithOffset, WithoutSeconds })
        {
            if (pattern.Parse(text) is { Success: true } with)
            {
                return with.Value.ToInstant();
            }
        }

        foreach (var pattern in new[] { LocalMinutes, Local })
        {
            if (pattern.Parse(text) is { Success: true } local && Dates.IsMeant(local.Value.Date))
            {
                return LocalClock.At(local.Value, zone);
            }
        }

        return Dates.TryParse(text) is { } date ? LocalClock.At(date.AtMidnight(), zone) : null;
    }

    /// <summary>A moment to the second as programs read it, <c>2027-03-09T14:30:00Z</c>.</summary>
    public static string Iso(this Instant moment) => InstantPattern.General.Format(moment);

    /// <summary>A moment with the offset of a zone, <c>2027-03-09T09:30:00-05:00</c>.</summary>
    public static string Write(Instant moment, DateTimeZone zone) => Printed.Format(moment.InZone(zone).ToOffsetDateTime());
}
