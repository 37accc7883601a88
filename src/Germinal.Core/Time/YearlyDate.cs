using System.Globalization;
using NodaTime;

namespace Germinal.Core.Time;

/// <summary>How 29 February is kept in a common year (rule 4.1).</summary>
public enum LeapDay
{
    /// <summary>On 28 February, the default.</summary>
    Feb28,

    /// <summary>On 1 March.</summary>
    Mar1,
}

/// <summary>
/// A month and a day, the year optional, written <c>--MM-DD</c> or <c>YYYY-MM-DD</c> (vCard 4.0, RFC 6350 §4.3.1). The day
/// exists in the year if one is given, else in a leap year.
/// </summary>
public readonly record struct YearlyDate(int Month, int Day, int? Year)
{
    /// <summary>Reads either form.</summary>
    /// <returns>The date, or null when the text is neither form or names a day that does not exist (30 February).</returns>
    public static YearlyDate? TryParse(string? text)
    {
        if (
            text is { Length: 7 }
            && text.StartsWith("--", StringComparison.Ordinal)
            && text[4] == '-'
            && int.TryParse(text.AsSpan(2, 2), NumberStyles.None, CultureInfo.InvariantCulture, out var month)
            && int.TryParse(text.AsSpan(5, 2), NumberStyles.None, CultureInfo.InvariantCulture, out var day)
        )
        {
            return TryCreate(month, day, null);
        }

        return Dates.TryParse(text) is { } full ? TryCreate(full.Month, full.Day, full.Year) : null;
    }

    /// <summary>The date, or null when there is no such day, or a year that nobody means (<see cref="Dates"/>).</summary>
    public static YearlyDate? TryCreate(int month, int day, int? year)
    {
        if (month is < 1 or > 12 || year is < Dates.FirstYear or > Dates.LastYear || day < 1)
        {
            return null;
        }

        return day <= CalendarSystem.Iso.GetDaysInMonth(year ?? 2000, month) ? new YearlyDate(month, day, year) : null;
    }

    /// <summary>The date as it is kept in a given year, 29 February by the practice's <paramref name="leapDay"/>.</summary>
    public LocalDate In(int year, LeapDay leapDay)
    {
        if (Month == 2 && Day == 29 && !CalendarSystem.Iso.IsLeapYear(year))
        {
            return leapDay == LeapDay.Feb28 ? new LocalDate(year, 2, 28) : new LocalDate(year, 3, 1);
        }

        return new LocalDate(year, Month, Day);
    }

    /// <summary>Whole years from the known year to <paramref name="year"/>; null when the year is unknown.</summary>
    public int? YearsIn(int year) => Year is { } y ? year - y : null;

    /// <inheritdoc/>
    public override string ToString() =>
        Year is { } y
            ? string.Create(CultureInfo.InvariantCulture, $"{y:0000}-{Month:00}-{Day:00}")
            : string.Create(CultureInfo.InvariantCulture, $"--{Month:00}-{Day:00}");
}
