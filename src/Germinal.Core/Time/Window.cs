using System.Collections.Frozen;
using NodaTime;

namespace Germinal.Core.Time;

/// <summary>What happens to a planned date that the window does not permit (rule 2.2).</summary>
public enum Roll
{
    /// <summary>To the next permitted date, the default.</summary>
    Forward,

    /// <summary>To the permitted date before.</summary>
    Back,

    /// <summary>To the closer one; a tie goes forward.</summary>
    Nearest,

    /// <summary>The window is not applied; quiet hours still are.</summary>
    Keep,
}

/// <summary>Days and hours in which a program may act (rule 2.1), read on the program's clock.</summary>
/// <param name="Days">Permitted week days.</param>
/// <param name="From">First permitted time of day.</param>
/// <param name="To">End of the permitted span, itself not permitted.</param>
/// <param name="SkipHolidays">Whether public holidays and closing days are left out.</param>
/// <param name="Roll">What happens to a date that is not permitted.</param>
public sealed record Window(FrozenSet<IsoDayOfWeek> Days, LocalTime From, LocalTime To, bool SkipHolidays, Roll Roll)
{
    // One bit for each week day: asked for every touch.
    private readonly int days = BitsOf(Days);

    /// <summary>Permitted week days.</summary>
    public FrozenSet<IsoDayOfWeek> Days
    {
        get;
        init
        {
            field = value;
            days = BitsOf(value);
        }
    } = Days;

    private static int BitsOf(FrozenSet<IsoDayOfWeek> days) => days.Aggregate(0, (bits, day) => bits | (1 << (int)day));

    /// <summary>True when something may happen on this date at all.</summary>
    public bool Permits(LocalDate date, WorkCalendar calendar) => (days & (1 << (int)date.DayOfWeek)) != 0 && !(SkipHolidays && calendar.IsFree(date));

    /// <summary>True at a local date and time inside the window.</summary>
    public bool IsOpen(LocalDateTime at, WorkCalendar calendar) =>
        Roll == Roll.Keep || (Permits(at.Date, calendar) && at.TimeOfDay >= From && at.TimeOfDay < To);

    /// <summary>The first permitted date on or after one; null when 366 days hold none.</summary>
    public LocalDate? Next(LocalDate date, WorkCalendar calendar) => Seek(date, 1, calendar);

    /// <summary>The last permitted date on or before one; null when 366 days hold none.</summary>
    public LocalDate? Before(LocalDate date, WorkCalendar calendar) => Seek(date, -1, calendar);

    private LocalDate? Seek(LocalDate date, int step, WorkCalendar calendar)
    {
        for (var i = 0; i <= 366; i++)
        {
            var day = date.PlusDays(i * step);
            if (Permits(day, calendar))
            {
                return day;
            }
        }

        return null;
    }
}

/// <summary>
/// Hours of the person's day in which texts and calls are allowed (rule 2.4). Never wider than [08:00, 21:00):
/// 47 CFR 64.1200(c)(1).
/// </summary>
public sealed record QuietHours
{
    /// <summary>The widest span the rule allows.</summary>
    public static QuietHours Widest { get; } = new(new LocalTime(8, 0), new LocalTime(21, 0));

    /// <summary>A narrower span; times beyond the widest are cut to it.</summary>
    public QuietHours(LocalTime from, LocalTime to)
    {
        From = LocalTime.Max(from, new LocalTime(8, 0));
        To = LocalTime.Min(to, new LocalTime(21, 0));
    }

    /// <summary>First allowed time of day.</summary>
    public LocalTime From { get; }

    /// <summary>End of the allowed span, itself not allowed.</summary>
    public LocalTime To { get; }

    /// <summary>True at a time of the person's day when a text or a call may be made.</summary>
    public bool Allows(LocalTime time) => time >= From && time < To;

    /// <summary>The moment itself if allowed, else the next opening on the person's clock.</summary>
    public Instant NextOpening(Instant moment, DateTimeZone personZone)
    {
        var local = moment.InZone(personZone).LocalDateTime;
        if (Allows(local.TimeOfDay))
        {
            return moment;
        }

        var date = local.TimeOfDay < From ? local.Date : local.Date.PlusDays(1);
        return LocalClock.At(date + From, personZone);
    }
}
