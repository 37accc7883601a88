using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Appointments;

/// <summary>When a member can be met, as they say it themselves.</summary>
/// <param name="Hours">From and to on each week day, on the practice's clock, in any number; a day not named has none.</param>
/// <param name="Minutes">How long a meeting is.</param>
/// <param name="GapMinutes">How long before and after one there is none.</param>
/// <param name="Notice">How long before it a meeting can be made at the latest.</param>
/// <param name="MostADay">How many there are on one date; null for as many as there is room for.</param>
/// <param name="AheadDays">How many days ahead one can be made, from today.</param>
public sealed record FreeHours(
    IReadOnlyDictionary<IsoDayOfWeek, IReadOnlyList<(LocalTime From, LocalTime To)>> Hours,
    int Minutes,
    int GapMinutes,
    Duration Notice,
    int? MostADay,
    int AheadDays
);

/// <summary>A span in which a member is met already, or is busy otherwise.</summary>
/// <param name="Start">From when.</param>
/// <param name="End">When they are free again.</param>
/// <param name="IsMeeting">Whether it counts as one of the day's meetings.</param>
public readonly record struct Taken(Instant Start, Instant End, bool IsMeeting = true);

/// <summary>The times that can be chosen: those within the hours that nothing stands in the way of.</summary>
public static class FreeTimes
{
    /// <summary>The beginnings of meetings that can be made, in order. On public holidays and closing days, and while the member is away, there are none.</summary>
    /// <param name="free">When they can be met.</param>
    /// <param name="calendar">The practice's holidays and closing days.</param>
    /// <param name="away">Dates on which they are away, each from its first to its last.</param>
    /// <param name="taken">What stands in the way, in any order.</param>
    /// <param name="zone">The practice's.</param>
    /// <param name="now">The moment of asking.</param>
    public static IReadOnlyList<Instant> Of(
        FreeHours free,
        WorkCalendar calendar,
        IReadOnlyList<(LocalDate From, LocalDate Until)> away,
        IReadOnlyList<Taken> taken,
        DateTimeZone zone,
        Instant now
    )
    {
        var (earliest, today) = (now + free.Notice, now.InZone(zone).Date);
        var found = new List<Instant>();
        for (var day = 0; day <= free.AheadDays; day++)
        {
            var date = today.PlusDays(day);
            if (calendar.IsFree(date) || away.Any(a => date >= a.From && date <= a.Until) || !free.Hours.TryGetValue(date.DayOfWeek, out var spans))
            {
                continue;
            }

            if (free.MostADay is { } most && taken.Count(t => t.IsMeeting && t.Start.InZone(zone).Date == date) >= most)
            {
                continue;
            }

            found.AddRange(spans.OrderBy(s => s.From).SelectMany(s => Within(free, date, s, taken, zone)).Where(at => at >= earliest));
        }

        return [.. found.Distinct().Order()];
    }

    /// <summary>Whether a meeting can be made at a moment.</summary>
    public static bool Is(FreeHours free, WorkCalendar calendar, IReadOnlyList<(LocalDate From, LocalDate Until)> away, IReadOnlyList<Taken> taken, DateTimeZone zone, Instant now, Instant at) =>
        Of(free, calendar, away, taken, zone, now).Contains(at);

    private static IEnumerable<Instant> Within(FreeHours free, LocalDate date, (LocalTime From, LocalTime To) span, IReadOnlyList<Taken> taken, DateTimeZone zone)
    {
        var (length, gap) = (Duration.FromMinutes(free.Minutes), Duration.FromMinutes(free.GapMinutes));

        // Hours are of the clock: where it is put forward or back a span is shorter or longer, and its meetings are as long as ever.
        var (start, end) = (LocalClock.At(date + span.From, zone), LocalClock.At(date + span.To, zone));
        for (var at = start; at + length <= end; at += length + gap)
        {
            var (from, to) = (at - gap, at + length + gap);
            if (!taken.Any(t => t.Start < to && t.End > from))
            {
                yield return at;
            }
        }
    }
}
