using System.Collections.Frozen;
using System.Globalization;
using NodaTime;

namespace Germinal.Core.Practices;

/// <summary>Something that is measured in every area each month.</summary>
/// <param name="Name">For example “median price”.</param>
/// <param name="Before">What stands before a number, such as <c>$</c>.</param>
/// <param name="After">What stands after it, such as <c> days</c>; with a percent sign, changes are in points.</param>
public sealed record Measure(string Name, string Before, string After)
{
    /// <summary>True where the numbers are percentages, whose changes are told in percentage points.</summary>
    public bool IsShare => After.Contains('%', StringComparison.Ordinal);

    /// <summary>A number as it is read.</summary>
    public string Say(decimal value) => Before + value.ToString("#,0.##", CultureInfo.InvariantCulture) + After;

    /// <summary>A change as it is read: “2.4% up”, “0.2 points down”, “unchanged”; rounded to a tenth, halves away from zero.</summary>
    /// <param name="now">The number.</param>
    /// <param name="before">What it was before.</param>
    /// <returns>Null where it cannot be told: a share of nothing.</returns>
    public string? SayChange(decimal now, decimal before)
    {
        if (!IsShare && before == 0)
        {
            return null;
        }

        var change = Math.Round(IsShare ? now - before : (now - before) / Math.Abs(before) * 100, IsShare ? 2 : 1, MidpointRounding.AwayFromZero);
        var size = Math.Abs(change).ToString("0.##", CultureInfo.InvariantCulture) + (IsShare ? " points" : "%");
        return change == 0 ? "unchanged" : $"{size} {(change > 0 ? "up" : "down")}";
    }
}

/// <summary>A number of a month.</summary>
/// <param name="Month">The first of the month.</param>
/// <param name="Value">The number.</param>
public readonly record struct Figure(LocalDate Month, decimal Value);

/// <summary>What a letter tells of a measure in an area.</summary>
/// <param name="Measure">What is measured.</param>
/// <param name="Newest">The newest number.</param>
/// <param name="OnMonth">The change against the month before; null where that has no number.</param>
/// <param name="OnYear">The change against the same month a year before; null where that has no number.</param>
/// <param name="Course">The numbers of the last two years up to the newest, in order.</param>
public sealed record FigureReading(Measure Measure, Figure Newest, string? OnMonth, string? OnYear, IReadOnlyList<Figure> Course);

/// <summary>A small table of numbers by area and month, which letters take from.</summary>
/// <param name="Name">What letters call it by, compared without regard to case.</param>
/// <param name="Key">The end of its lasting public address.</param>
/// <param name="Measures">What is measured, in the order it is shown.</param>
/// <param name="Areas">The numbers by area and measure, each in the order of months.</param>
public sealed record FigureTable(
    string Name,
    string Key,
    IReadOnlyList<Measure> Measures,
    FrozenDictionary<string, FrozenDictionary<string, IReadOnlyList<Figure>>> Areas
)
{
    private const int CourseMonths = 24;

    /// <summary>A table of loose numbers.</summary>
    public static FigureTable Of(string name, string key, IReadOnlyList<Measure> measures, IEnumerable<(string Area, string Measure, Figure Figure)> numbers) =>
        new(
            name,
            key,
            measures,
            numbers
                .GroupBy(n => n.Area.Trim(), StringComparer.OrdinalIgnoreCase)
                .ToFrozenDictionary(
                    a => a.Key,
                    a =>
                        a.GroupBy(n => n.Measure, StringComparer.OrdinalIgnoreCase)
                            .ToFrozenDictionary(
                                m => m.Key,
                                m => (IReadOnlyList<Figure>)[.. m.Select(n => n.Figure).OrderBy(f => f.Month)],
                                StringComparer.OrdinalIgnoreCase
                            ),
                    StringComparer.OrdinalIgnoreCase
                )
        );

    /// <summary>An area's numbers as they stood in a month, by measure; empty for an area without any by then.</summary>
    /// <param name="area">The area, compared without regard to case and to blanks around it.</param>
    /// <param name="month">Any date of the month; what is newer is not known yet.</param>
    public IReadOnlyList<FigureReading> Read(string area, LocalDate month)
    {
        if (!Areas.TryGetValue(area.Trim(), out var numbers))
        {
            return [];
        }

        var readings = new List<FigureReading>();
        foreach (var measure in Measures)
        {
            var known = numbers.GetValueOrDefault(measure.Name, []).Where(f => f.Month <= month).ToList();
            if (known.Count == 0)
            {
                continue;
            }

            var newest = known[^1];
            string? Against(int months) =>
                known.FirstOrDefault(f => f.Month == newest.Month.PlusMonths(-months)) is { Month: var m, Value: var before } && m == newest.Month.PlusMonths(-months)
                    ? measure.SayChange(newest.Value, before)
                    : null;
            var since = newest.Month.PlusMonths(1 - CourseMonths);
            readings.Add(new FigureReading(measure, newest, Against(1), Against(12), [.. known.Where(f => f.Month >= since)]));
        }

        return readings;
    }
}
