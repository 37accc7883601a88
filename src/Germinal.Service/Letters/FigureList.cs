using System.Buffers;
using System.Globalization;
using Germinal.Core.Practices;
using Germinal.Service.Import;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Service.Letters;

/// <summary>A line of a list of figures that cannot be read.</summary>
/// <param name="Line">As a spreadsheet counts, from 1.</param>
/// <param name="Message">What is wrong, and what would be right.</param>
public sealed record FigureTrouble(int Line, string Message);

/// <summary>A list of figures as it was read.</summary>
/// <param name="Measures">Its columns beside area and month, in order, with what stands around their numbers in the first row that has one.</param>
/// <param name="Numbers">Its numbers.</param>
/// <param name="Troubles">The first lines that cannot be read; with any, nothing is taken.</param>
public sealed record FigureList(IReadOnlyList<Measure> Measures, IReadOnlyList<(string Area, string Measure, Figure Figure)> Numbers, IReadOnlyList<FigureTrouble> Troubles)
{
    /// <summary>The most numbers a table has.</summary>
    public const int Most = 20_000;

    private const int TroublesTold = 20;
    private const int LongestWord = 80;

    private static readonly SearchValues<char> NumberBegins = SearchValues.Create("0123456789-.");
    private static readonly SearchValues<char> Digits = SearchValues.Create("0123456789");

    private static readonly IPattern<YearMonth>[] Months =
    [
        YearMonthPattern.Iso,
        YearMonthPattern.CreateWithInvariantCulture("uuuu/MM"),
        YearMonthPattern.CreateWithInvariantCulture("MM/uuuu"),
        YearMonthPattern.CreateWithInvariantCulture("MMMM uuuu"),
        YearMonthPattern.CreateWithInvariantCulture("MMM uuuu"),
    ];

    /// <summary>Reads a list whose columns are named <c>area, month</c>, then one column for each measure.</summary>
    public static FigureList Read(ListTable table)
    {
        var troubles = new List<FigureTrouble>();
        var header = table.Header.Select(c => c.Trim()).ToArray();
        var (area, month) = (Find(header, "area"), Find(header, "month"));
        var columns = Enumerable.Range(0, header.Length).Where(i => i != area && i != month && header[i].Length > 0).ToArray();
        if (area < 0 || month < 0 || columns.Length == 0)
        {
            return new FigureList([], [], [new FigureTrouble(1, Said("The first line should name the columns: area, month, and what is measured, such as “median price”."))]);
        }

        if (header.Where(h => h.Length > 0).GroupBy(h => h, StringComparer.OrdinalIgnoreCase).FirstOrDefault(g => g.Count() > 1) is { } twice)
        {
            return new FigureList([], [], [new FigureTrouble(1, Say($"Two columns are called “{twice.Key}”."))]);
        }

        var numbers = new Dictionary<(string Area, string Measure, LocalDate Month), decimal>();
        var measures = columns.ToDictionary(c => c, c => new Measure(header[c], "", ""));
        var areas = new Dictionary<string, string>(StringComparer.Ordinal);
        var seen = new HashSet<int>();
        foreach (var row in table.Records.Where(r => r.Cells.Any(c => !string.IsNullOrWhiteSpace(c))))
        {
            void Wrong(string message)
            {
                if (troubles.Count < TroublesTold)
                {
                    troubles.Add(new FigureTrouble(row.Line, message));
                }
            }

            string Cell(int column) => column < row.Cells.Length ? row.Cells[column].Trim() : "";
            var place = Cell(area);
            if (place.Length is 0 or > LongestWord)
            {
                Wrong(Said("The area is missing, or too long."));
                continue;
            }

            if (MonthOf(Cell(month)) is not { } first)
            {
                Wrong(Say($"“{Cell(month)}” is no month; 2026-03 or March 2026 would be."));
                continue;
            }

            foreach (var column in columns.Where(c => Cell(c).Length > 0))
            {
                if (NumberOf(Cell(column)) is not { } number)
                {
                    Wrong(Say($"“{Cell(column)}” under “{header[column]}” is no number; 420,000 or 6.25 would be."));
                    continue;
                }

                numbers[(place.ToLowerInvariant(), header[column], first)] = number.Value;
                areas.TryAdd(place.ToLowerInvariant(), place);
                if (seen.Add(column))
                {
                    measures[column] = new Measure(header[column], number.Before, number.After);
                }
            }
        }

        if (numbers.Count > Most)
        {
            troubles.Add(new FigureTrouble(table.Records[^1].Line, Say($"There are {numbers.Count} numbers in it; {Most} are the most.")));
        }

        return new FigureList(
            [.. columns.Select(c => measures[c])],
            [.. numbers.Select(n => (areas[n.Key.Area], n.Key.Measure, new Figure(n.Key.Month, n.Value)))],
            troubles
        );
    }

    private static int Find(string[] header, string name) => Array.FindIndex(header, h => string.Equals(h, name, StringComparison.OrdinalIgnoreCase));

    /// <summary>The first of the month that is written; null where it is none, or one that nobody has figures of.</summary>
    private static LocalDate? MonthOf(string written)
    {
        if (LocalDatePattern.Iso.Parse(written) is { Success: true, Value: var date } && date.Year is >= 1900 and < 2200)
        {
            return new LocalDate(date.Year, date.Month, 1);
        }

        foreach (var pattern in Months)
        {
            if (pattern.Parse(written) is { Success: true, Value: var month } && month.Year is >= 1900 and < 2200)
            {
                return month.OnDayOfMonth(1);
            }
        }

        return null;
    }

    /// <summary>A number with what stands around it, such as <c>$420,000</c> or <c>6.25%</c>; null where it is none.</summary>
    private static (decimal Value, string Before, string After)? NumberOf(string written)
    {
        var from = written.AsSpan().IndexOfAny(NumberBegins);
        var to = written.AsSpan().LastIndexOfAny(Digits);
        if (from < 0 || to < from || from > 8 || written.Length - to > 12)
        {
            return null;
        }

        var style = NumberStyles.AllowThousands | NumberStyles.AllowDecimalPoint | NumberStyles.AllowLeadingSign;
        return decimal.TryParse(written.AsSpan(from, to - from + 1), style, CultureInfo.InvariantCulture, out var number) && Math.Abs(number) < 1e15m
            ? (number, written[..from], written[(to + 1)..])
            : null;
    }
}
