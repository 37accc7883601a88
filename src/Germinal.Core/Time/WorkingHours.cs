using System.Collections.Frozen;
using NodaTime;

namespace Germinal.Core.Time;

/// <summary>When the practice is reached, on its own clock: hours of each week day, on working days only (rule 17.6).</summary>
/// <param name="Calendar">Which days are working days.</param>
/// <param name="Hours">From and to on each week day; a day not named has none. <c>To</c> is after <c>From</c>; both are times of one day.</param>
/// <param name="Zone">The practice's zone.</param>
public sealed record WorkingHours(WorkCalendar Calendar, FrozenDictionary<IsoDayOfWeek, (LocalTime From, LocalTime To)> Hours, DateTimeZone Zone)
{
    // Nobody waits longer; what does has long turned to the last colour.
    private const int MostDays = 400;

    /// <summary>Nine to half past five on every working day (common practice, no source).</summary>
    public static WorkingHours Usual(WorkCalendar calendar, DateTimeZone zone) =>
        new(calendar, calendar.WorkingDays.ToFrozenDictionary(d => d, _ => (new LocalTime(9, 0), new LocalTime(17, 30))), zone);

    /// <summary>Whether the practice is reached at a moment.</summary>
    public bool AreOpen(Instant at)
    {
        var local = at.InZone(Zone);
        return On(local.Date) is { } hours && at >= hours.Start && at < hours.End;
    }

    /// <summary>How much of the time between two moments the practice was reached; nothing where the second is not after the first. No more than that of 400 days is counted.</summary>
    public Duration Between(Instant from, Instant until)
    {
        var waited = Duration.Zero;
        var day = from.InZone(Zone).Date;
        for (var looked = 0; looked < MostDays; looked++, day = day.PlusDays(1))
        {
            if (day.AtStartOfDayInZone(Zone).ToInstant() >= until)
            {
                break;
            }

            if (On(day) is { } hours)
            {
                var (start, end) = (Instant.Max(hours.Start, from), Instant.Min(hours.End, until));
                waited += end > start ? end - start : Duration.Zero;
            }
        }

        return waited;
    }

    /// <summary>The moment at which so much of its time has passed since another; null where 400 days hold too little.</summary>
    public Instant? After(Instant from, Duration time)
    {
        var left = time;
        var day = from.InZone(Zone).Date;
        for (var looked = 0; looked < MostDays; looked++, day = day.PlusDays(1))
        {
            if (On(day) is not { } hours)
            {
                continue;
            }

            var start = Instant.Max(hours.Start, from);
            if (start >= hours.End)
            {
                continue;
            }

            if (start + left <= hours.End)
            {
                return start + left;
            }

            left -= hours.End - start;
        }

        return null;
    }

    /// <summary>From when to when it is reached on a date; null where it is not.</summary>
    public Interval? On(LocalDate date)
    {
        if (!Calendar.IsWorkingDay(date) || !Hours.TryGetValue(date.DayOfWeek, out var hours))
        {
            return null;
        }

        // An hour that a change of clocks takes away begins with the hour after it.
        var (start, end) = (LocalClock.At(date + hours.From, Zone), LocalClock.At(date + hours.To, Zone));
        return end > start ? new Interval(start, end) : null;
    }
}
