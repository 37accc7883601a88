using Germinal.Core.Contact;
using Germinal.Core.Time;
using Germinal.Core.Words;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Engine;

/// <summary>Dates, times and distances as people say them.</summary>
public static class Phrases
{
    /// <summary>“Tue 9 March, 9:30” on the clock of a zone.</summary>
    public static string Moment(Instant at, DateTimeZone zone)
    {
        var local = at.InZone(zone).LocalDateTime;
        return $"{Tongue.Spoken.Dates.Day.Format(local.Date)}, {Time(local.TimeOfDay)}";
    }

    /// <summary>“Tue 9 March 2027”.</summary>
    public static string Day(LocalDate date) => Tongue.Spoken.Dates.DayWithYear.Format(date);

    /// <summary>“9:30”.</summary>
    public static string Time(LocalTime time) => Tongue.Spoken.Dates.Time.Format(time);

    /// <summary>“7 days”, “a month”, “2 hours”; “at once” for nothing. The sign is left to the sentence around it.</summary>
    public static string Span(Distance offset)
    {
        var elapsed = offset.Elapsed;
        string?[] parts =
        [
            Part(offset.Dates.Years, n => Say($"{n:a year|# years}")),
            Part(offset.Dates.Months, n => Say($"{n:a month|# months}")),
            Part(offset.Dates.Weeks, n => Say($"{n:a week|# weeks}")),
            Part(offset.Dates.Days, n => Say($"{n:a day|# days}")),
            Part((long)Math.Truncate(elapsed.TotalHours), n => Say($"{n:an hour|# hours}")),
            Part(elapsed.Minutes, n => Say($"{n:a minute|# minutes}")),
            Part(elapsed.Seconds, n => Say($"{n:a second|# seconds}")),
        ];
        return ContactWords.Listed([.. parts.OfType<string>()]) is { Length: > 0 } said ? said : Said("at once");

        static string? Part(long n, Func<long, string> said) => n == 0 ? null : said(Math.Abs(n));
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
