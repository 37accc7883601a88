using System.Globalization;
using System.Text.RegularExpressions;
using NodaTime;

namespace Germinal.Core.Time;

/// <summary>
/// A distance in time as ISO 8601 writes it, with one sign for the whole: <c>P8D</c>, <c>-P1D</c>, <c>PT2H</c>, <c>P1DT2H</c>.
/// Years, months, weeks and days are calendar arithmetic on a local date; hours, minutes and seconds are elapsed time
/// on the UTC line (rule 1.3). Two are equal when they mean the same, however they are written.
/// </summary>
public sealed partial record Distance
{
    [GeneratedRegex(
        @"^(?<s>[+-])?P(?:(?<y>[0-9]{1,4})Y)?(?:(?<m>[0-9]{1,4})M)?(?:(?<w>[0-9]{1,4})W)?(?:(?<d>[0-9]{1,5})D)?(?<t>T(?:(?<h>[0-9]{1,5})H)?(?:(?<n>[0-9]{1,6})M)?(?:(?<c>[0-9]{1,6})S)?)?\z",
        RegexOptions.CultureInvariant,
        matchTimeoutMilliseconds: 1000
    )]
    private static partial Regex Form();

    private Distance(Period dates, Duration elapsed, bool hasTimePart, string text)
    {
        Dates = dates;
        Elapsed = elapsed;
        plainDays = dates.Years == 0 && dates.Months == 0 ? (dates.Weeks * 7) + dates.Days : null;
        IsZero = dates.Equals(Period.Zero) && elapsed == Duration.Zero;
        HasTimePart = hasTimePart;
        Text = text;
    }

    // Most offsets are days or weeks: they add without going through the parts of a period.
    private readonly int? plainDays;

    /// <summary>The calendar part; its sign is already applied.</summary>
    public Period Dates { get; }

    /// <summary>The elapsed part; its sign is already applied. Zero when there is none.</summary>
    public Duration Elapsed { get; }

    /// <summary>True when the text names hours, minutes or seconds, even if they are zero (<c>PT0H</c>).</summary>
    public bool HasTimePart { get; }

    /// <summary>The text the offset was read from, for showing and saving.</summary>
    public string Text { get; }

    /// <summary>True for a distance of nothing at all.</summary>
    public bool IsZero { get; }

    /// <summary>The offset of no days.</summary>
    public static Distance Zero { get; } = Parse("P0D");

    /// <summary>Reads an ISO 8601 duration with one sign.</summary>
    /// <param name="text">For example <c>P1M</c> or <c>-P1DT12H</c>.</param>
    /// <returns>The offset, or null when the text is not one (<c>P1DT</c>, <c>P</c>, <c>1D</c>), or one of more than 200 years.</returns>
    public static Distance? TryParse(string? text)
    {
        if (text is null)
        {
            return null;
        }

        var m = Form().Match(text);
        var anyTime = m.Groups["h"].Success || m.Groups["n"].Success || m.Groups["c"].Success;
        var anyDate = m.Groups["y"].Success || m.Groups["m"].Success || m.Groups["w"].Success || m.Groups["d"].Success;
        if (!m.Success || m.Groups["t"].Success != anyTime || (!anyTime && !anyDate))
        {
            return null;
        }

        var sign = m.Groups["s"].Value == "-" ? -1 : 1;
        int Of(string group) => m.Groups[group].Success ? sign * int.Parse(m.Groups[group].Value, CultureInfo.InvariantCulture) : 0;
        var dates = new PeriodBuilder
        {
            Years = Of("y"),
            Months = Of("m"),
            Weeks = Of("w"),
            Days = Of("d"),
        }.Build();
        var elapsed = Duration.FromHours(Of("h")) + Duration.FromMinutes(Of("n")) + Duration.FromSeconds(Of("c"));
        return IsMeant(dates) ? new Distance(dates, elapsed, anyTime, text) : null;
    }

    // Nobody plans further than this; calendar arithmetic with more would leave the calendar.
    private const int MostYears = 200;

    private static bool IsMeant(Period dates) =>
        Math.Abs(dates.Years) <= MostYears && Math.Abs(dates.Months) <= MostYears * 12 && Math.Abs((dates.Weeks * 7L) + dates.Days) <= MostYears * 366;

    /// <summary>As <see cref="TryParse"/>, for text known to be right.</summary>
    /// <exception cref="FormatException">The text is not an ISO 8601 duration with one sign.</exception>
    public static Distance Parse(string text) => TryParse(text) ?? throw new FormatException(Say($"“{text}” is not a duration; P7D, P1M or PT2H would be."));

    /// <summary>The date part added to a local date; a day the month does not have becomes its last day.</summary>
    public LocalDate AddDates(LocalDate date) => plainDays is { } days ? date.PlusDays(days) : date + Dates;

    /// <summary>
    /// The offset added to a moment: first the date part on the local clock of <paramref name="zone"/>, keeping the time
    /// of day, then the elapsed part on the UTC line.
    /// </summary>
    public Instant AddTo(Instant moment, DateTimeZone zone)
    {
        if (plainDays == 0)
        {
            return moment + Elapsed;
        }

        var local = moment.InZone(zone).LocalDateTime;
        return LocalClock.At(AddDates(local.Date) + local.TimeOfDay, zone) + Elapsed;
    }

    /// <summary>The moment this long before another: the date part back on the local clock first, then the elapsed part.</summary>
    public Instant Before(Instant moment, DateTimeZone zone)
    {
        if (Dates.Equals(Period.Zero))
        {
            return moment - Elapsed;
        }

        var local = moment.InZone(zone).LocalDateTime;
        return LocalClock.At(local.Date - Dates + local.TimeOfDay, zone) - Elapsed;
    }

    // P1W is P7D, P1Y is P12M; PT24H is not P1D (rule 1.3), and PT0H keeps its exact moment, which P0D does not (1.4).
    private (int Months, int Days, Duration Elapsed, bool HasTimePart) Meaning => ((Dates.Years * 12) + Dates.Months, WholeDays, Elapsed, HasTimePart);

    /// <summary>The date part as whole days, weeks counted; months and years are not in it.</summary>
    public int WholeDays => (Dates.Weeks * 7) + Dates.Days;

    /// <inheritdoc/>
    public bool Equals(Distance? other) => other is not null && Meaning == other.Meaning;

    /// <inheritdoc/>
    public override int GetHashCode() => Meaning.GetHashCode();

    /// <inheritdoc/>
    public override string ToString() => Text;
}
