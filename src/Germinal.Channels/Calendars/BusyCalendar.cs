using System.Text;
using Ical.Net;
using Ical.Net.CalendarComponents;
using Ical.Net.DataTypes;
using Ical.Net.Evaluation;
using NodaTime;

namespace Germinal.Channels.Calendars;

/// <summary>When somebody is busy, out of a calendar as others keep it (RFC 5545). What they do then is never read.</summary>
public static class BusyCalendar
{
    /// <summary>So many events of the days that are looked at are taken in.</summary>
    public const int Most = 20_000;

    /// <summary>So many steps of a rule in which nothing falls are looked through.</summary>
    private const int MostEmptySteps = 2000;

    /// <summary>Reads it.</summary>
    /// <param name="file">The calendar's text.</param>
    /// <param name="zone">The zone of times that name none, and of whole days.</param>
    /// <param name="from">The first moment of interest.</param>
    /// <param name="until">The first that is none.</param>
    /// <param name="busy">When they are busy, in order, apart from each other; what is marked as free or was called off is left out.</param>
    /// <returns>What is wrong, in a sentence; null where it was read.</returns>
    public static string? Read(byte[] file, DateTimeZone zone, Instant from, Instant until, out IReadOnlyList<Interval> busy)
    {
        busy = [];
        var text = Encoding.UTF8.GetString(file);
        if (!text.Contains("BEGIN:VCALENDAR", StringComparison.OrdinalIgnoreCase))
        {
            return Said("this is no calendar. An address or a file that ends in .ics would be right.");
        }

        try
        {
            var found = new List<Interval>();
            foreach (var calendar in Calendar.Load<Calendar>(new StringReader(text)))
            {
                foreach (var nothing in calendar.Events.Where(e => e.DtStart is null).ToList())
                {
                    calendar.Events.Remove(nothing);
                }

                foreach (var calendarEvent in calendar.Events)
                {
                    calendarEvent.DtStart = Known(calendarEvent.DtStart!);
                    if (calendarEvent.DtEnd is { } end)
                    {
                        calendarEvent.DtEnd = Known(end);
                    }
                }

                // An event that has begun before may still last; a year is longer than any that counts.
                var start = new CalDateTime(from.Minus(NodaTime.Duration.FromDays(366)).ToDateTimeUtc(), CalDateTime.UtcTzId);
                foreach (var one in calendar.GetOccurrences<CalendarEvent>(start, new EvaluationOptions { MaxUnmatchedIncrementsLimit = MostEmptySteps }).Take(Most * 2))
                {
                    var begins = At(one.Period.StartTime, zone);
                    if (begins >= until)
                    {
                        break;
                    }

                    if (one.Source is CalendarEvent e && Counts(e) && At(one.Period.EffectiveEndTime ?? one.Period.StartTime, zone) is var ends && ends > from && ends > begins)
                    {
                        found.Add(new Interval(Instant.Max(begins, from), Instant.Min(ends, until)));
                    }
                }
            }

            busy = Apart(found);
            return busy.Count > Most ? Say($"it has more than {Most} entries, which is more than is read.") : null;
        }
        catch (Exception e)
            when (e is ArgumentException or FormatException or OverflowException or IndexOutOfRangeException or InvalidOperationException or EvaluationException or System.Runtime.Serialization.SerializationException or NotSupportedException or NullReferenceException or InvalidCastException or KeyNotFoundException or TimeZoneNotFoundException)
        {
            // The package says with many kinds of exception that it cannot read something.
            return Said("it cannot be read as a calendar; a program that wrote it may have broken off.");
        }
    }

    /// <summary>Stretches that touch or overlap become one.</summary>
    private static List<Interval> Apart(IEnumerable<Interval> some)
    {
        var apart = new List<Interval>();
        foreach (var one in some.OrderBy(i => i.Start))
        {
            if (apart.Count > 0 && one.Start <= apart[^1].End)
            {
                apart[^1] = new Interval(apart[^1].Start, Instant.Max(apart[^1].End, one.End));
            }
            else
            {
                apart.Add(one);
            }
        }

        return apart;
    }

    private static bool Counts(CalendarEvent e) =>
        !string.Equals(e.Transparency, TransparencyType.Transparent, StringComparison.OrdinalIgnoreCase) && !string.Equals(e.Status, EventStatus.Cancelled, StringComparison.OrdinalIgnoreCase);

    /// <summary>A time in a zone that nobody knows is taken as one that names none.</summary>
    private static CalDateTime Known(CalDateTime time)
    {
        try
        {
            _ = time.AsUtc;
            return time;
        }
        catch (Exception e) when (e is ArgumentException or InvalidOperationException or TimeZoneNotFoundException)
        {
            return new CalDateTime(time.Value, null, time.HasTime);
        }
    }

    private static Instant At(CalDateTime time, DateTimeZone zone)
    {
        if (!time.HasTime)
        {
            return new LocalDate(time.Year, time.Month, time.Day).AtStartOfDayInZone(zone).ToInstant();
        }

        return time.IsFloating
            ? LocalDateTime.FromDateTime(time.Value).InZoneLeniently(zone).ToInstant()
            : Instant.FromDateTimeUtc(DateTime.SpecifyKind(time.AsUtc, DateTimeKind.Utc));
    }
}
