using System.Collections.Frozen;
using NodaTime;

namespace Germinal.Core.Time;

/// <summary>The practice's working days, public holidays and closing days (rule 1.6).</summary>
/// <param name="WorkingDays">Week days on which the practice works.</param>
/// <param name="Holidays">Public holidays of the practice's calendar.</param>
/// <param name="Closed">The practice's own closing days.</param>
public sealed record WorkCalendar(FrozenSet<IsoDayOfWeek> WorkingDays, FrozenSet<LocalDate> Holidays, FrozenSet<LocalDate> Closed)
{
    /// <summary>Monday to Friday, no holidays.</summary>
    public static WorkCalendar MondayToFriday { get; } =
        new(
            new[] { IsoDayOfWeek.Monday, IsoDayOfWeek.Tuesday, IsoDayOfWeek.Wednesday, IsoDayOfWeek.Thursday, IsoDayOfWeek.Friday }.ToFrozenSet(),
            FrozenSet<LocalDate>.Empty,
            FrozenSet<LocalDate>.Empty
        );

    /// <summary>True on a public holiday or a closing day.</summary>
    public bool IsFree(LocalDate date) => (Holidays.Count > 0 && Holidays.Contains(date)) || (Closed.Count > 0 && Closed.Contains(date));

    /// <summary>True on a working week day that is neither a public holiday nor a closing day.</summary>
    public bool IsWorkingDay(LocalDate date) => WorkingDays.Contains(date.DayOfWeek) && !IsFree(date);

    /// <summary>The <paramref name="n"/>th working day after a date; the date itself for 0. Null when 366 days hold too few.</summary>
    public LocalDate? WorkingDayAfter(LocalDate date, int n)
    {
        var day = date;
        for (var looked = 0; n > 0; looked++)
        {
            if (looked >= 366)
            {
                return null;
            }

            day = day.PlusDays(1);
            if (IsWorkingDay(day))
            {
                n--;
            }
        }

        return day;
    }
}
