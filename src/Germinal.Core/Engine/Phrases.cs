using System.Globalization;
using Germinal.Core.Time;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Engine;

/// <summary>Dates, times and distances as people say them.</summary>
public static class Phrases
{
    private static readonly LocalDatePattern DayForm = LocalDatePattern.Create("ddd d MMMM", CultureInfo.InvariantCulture);
    private static readonly LocalDatePattern DayWithYearForm = LocalDatePattern.Create("ddd d MMMM uuuu", CultureInfo.InvariantCulture);
    private static readonly LocalTimePattern TimeForm = LocalTimePattern.CreateWithInvariantCulture("H:mm");

    /// <summary>“Tue 9 March, 9:30” on the clock of a zone.</summary>
    public static string Moment(Instant at, DateTimeZone zone)
    {
        var local = at.InZone(zone).LocalDateTime;
        return $"{DayForm.Format(local.Date)}, {TimeForm.Format(local.TimeOfDay)}";
    }

    /// <summary>“Tue 9 March 2027”.</summary>
    public static string Day(LocalDate date) => DayWithYearForm.Format(date);

    /// <summary>“9:30”.</summary>
    public static string Time(LocalTime time) => TimeForm.Format(time);

    /// <summary>“7 days”, “a month”, “2 hours”; “at once” for nothing. The sign is left to the sentence around it.</summary>
    public static string Span(Distance offset)
    {
        var parts = new List<string>();
        void Part(long n, string one, string many)
        {
            n = Math.Abs(n);
            if (n > 0)
            {
                parts.Add(n == 1 ? one : $"{n.ToString(CultureInfo.InvariantCulture)} {many}");
            }
        }

        Part(offset.Dates.Years, "a year", "years");
        Part(offset.Dates.Months, "a month", "months");
        Part(offset.Dates.Weeks, "a week", "weeks");
        Part(offset.Dates.Days, "a day", "days");
        var elapsed = offset.Elapsed;
        Part((long)Math.Truncate(elapsed.TotalHours), "an hour", "hours");
        Part(elapsed.Minutes, "a minute", "minutes");
        Part(elapsed.Seconds, "a second", "seconds");
        return parts.Count == 0 ? "at once" : string.Join(" and ", parts);
    }

    /// <summary>True when an offset points back in time.</summary>
    public static bool IsBack(Distance offset) => offset.Text.StartsWith('-');

    /// <summary>An instant in the text the engine's reasons use, as a phrase on a clock; other text unchanged.</summary>
    public static string MomentOf(string text, DateTimeZone zone)
    {
        var parsed = InstantPattern.ExtendedIso.Parse(text);
        return parsed.Success ? Moment(parsed.Value, zone) : text;
    }
}
