using System.Collections.Frozen;
using NodaTime;

namespace Germinal.Core.Time;

/// <summary>How much of a day's hours is left to somebody who is busy for some of them.</summary>
/// <param name="Free">Minutes that are left.</param>
/// <param name="Of">Minutes of the hours in which the practice is reached.</param>
public readonly record struct FreeShare(int Free, int Of)
{
    /// <summary>Their share of what could be done in the whole day, rounded to the nearest, half up.</summary>
    public int OfRoom(int room) => ((2 * room * Free) + Of) / (2 * Of);
}

/// <summary>What busy times leave of the days of a practice.</summary>
public static class BusyDays
{
    /// <summary>The days on which something is taken, with what is left of each.</summary>
    /// <param name="hours">When the practice is reached; days on which it is not are left out.</param>
    /// <param name="busy">When somebody is busy; where two overlap the time counts once.</param>
    public static FrozenDictionary<LocalDate, FreeShare> Of(WorkingHours hours, IEnumerable<Interval> busy)
    {
        var days = new Dictionary<LocalDate, (Interval Open, Duration Taken, Instant Until)>();
        foreach (var one in busy.OrderBy(b => b.Start))
        {
            for (var day = one.Start.InZone(hours.Zone).Date; day.AtStartOfDayInZone(hours.Zone).ToInstant() < one.End; day = day.PlusDays(1))
            {
                if (hours.On(day) is not { } open)
                {
                    continue;
                }

                var (_, taken, until) = days.GetValueOrDefault(day, (open, Duration.Zero, open.Start));
                var (start, end) = (Instant.Max(one.Start, until), Instant.Min(one.End, open.End));
                days[day] = end > start ? (open, taken + (end - start), end) : (open, taken, until);
            }
        }

        return days.Where(d => d.Value.Taken > Duration.Zero)
            .ToFrozenDictionary(d => d.Key, d => new FreeShare((int)(d.Value.Open.Duration - d.Value.Taken).TotalMinutes, (int)d.Value.Open.Duration.TotalMinutes));
    }
}
