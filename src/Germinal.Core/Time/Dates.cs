using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Time;

/// <summary>
/// Dates that people and programs can mean. What is written outside of them is a slip of the pen or ill will, and would lead
/// calendar arithmetic over its edge; it is refused where it comes in (ours).
/// </summary>
public static class Dates
{
    /// <summary>The first year that is taken.</summary>
    public const int FirstYear = 1900;

    /// <summary>The last year that is taken.</summary>
    public const int LastYear = 2200;

    /// <summary>Whether a date lies between the first and the last year.</summary>
    public static bool IsMeant(LocalDate date) => date.Year is >= FirstYear and <= LastYear;

    /// <summary>Whether a moment does.</summary>
    public static bool IsMeant(Instant moment) => moment >= Instant.FromUtc(FirstYear, 1, 1, 0, 0) && moment < Instant.FromUtc(LastYear + 1, 1, 1, 0, 0);

    /// <summary>Reads <c>YYYY-MM-DD</c>; null for anything else, and for a year that nobody means.</summary>
    public static LocalDate? TryParse(string? text) =>
        LocalDatePattern.Iso.Parse(text ?? "").TryGetValue(default, out var date) && IsMeant(date) ? date : null;

    /// <summary>The Monday of a date's week.</summary>
    public static LocalDate Monday(this LocalDate date) => date.With(DateAdjusters.PreviousOrSame(IsoDayOfWeek.Monday));

    /// <summary>A date as programs read it, <c>2027-03-09</c>.</summary>
    public static string Iso(this LocalDate date) => LocalDatePattern.Iso.Format(date);
}
