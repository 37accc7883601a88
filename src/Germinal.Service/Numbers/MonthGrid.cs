using Germinal.Core.Results;
using NodaTime;

namespace Germinal.Service.Numbers;

/// <summary>What was counted of one word in one month.</summary>
/// <param name="Month">The month.</param>
/// <param name="What">The word.</param>
/// <param name="Number">How many.</param>
/// <param name="Money">What they brought, where it is money.</param>
/// <param name="Name">What it is called, where the word names something of the practice's; else null.</param>
public sealed record MonthCell(YearMonth Month, string What, long Number, decimal Money, string? Name);

/// <summary>Somebody who waited, in the month the wait began.</summary>
public sealed record MonthWait(YearMonth Month, Wait Wait);

/// <summary>Counts by month and word.</summary>
/// <param name="months">The months: <see cref="PracticeNumbers.Before"/>, then the chosen one, and perhaps the one that runs.</param>
/// <param name="cells">What was counted; what is not there is none.</param>
/// <param name="waits">How long inquiries waited, in hours.</param>
public sealed class MonthGrid(IReadOnlyList<YearMonth> months, IReadOnlyList<MonthCell> cells, IReadOnlyList<MonthWait> waits)
{
    private readonly Dictionary<(YearMonth, string), (int Number, decimal Money)> counted = cells
        .GroupBy(c => (c.Month, c.What))
        .ToDictionary(g => g.Key, g => (checked((int)g.Sum(c => c.Number)), g.Sum(c => c.Money)));

    private readonly ILookup<YearMonth, Wait> waited = waits.ToLookup(w => w.Month, w => w.Wait);

    /// <summary>The months.</summary>
    public IReadOnlyList<YearMonth> Months => months;

    /// <summary>The chosen month.</summary>
    public YearMonth Chosen => months[PracticeNumbers.Before];

    /// <summary>The months before it.</summary>
    public IEnumerable<YearMonth> Earlier => months.Take(PracticeNumbers.Before);

    /// <summary>How many of a word there were in a month.</summary>
    public int Number(string what, YearMonth month) => counted.GetValueOrDefault((month, what)).Number;

    /// <summary>What they brought.</summary>
    public decimal Money(string what, YearMonth month) => counted.GetValueOrDefault((month, what)).Money;

    /// <summary>Waits that began in a month.</summary>
    public IReadOnlyList<Wait> Waits(YearMonth month) => [.. waited[month]];

    /// <summary>Words that begin so, with what they are called, those with most in the chosen month first.</summary>
    public IReadOnlyList<(string What, string Name)> Beginning(string with) =>
        [
            .. cells
                .Where(c => c.What.StartsWith(with, StringComparison.Ordinal))
                .GroupBy(c => c.What)
                .OrderByDescending(g => Number(g.Key, Chosen))
                .ThenByDescending(g => g.Sum(c => c.Number))
                .ThenBy(g => g.Key, StringComparer.Ordinal)
                .Select(g => (g.Key, g.First().Name ?? g.Key[with.Length..])),
        ];

    /// <summary>The months before that the practice was at work in: from the first of them in which anything was counted.</summary>
    public IReadOnlyList<YearMonth> AtWork()
    {
        var first = cells.Where(c => c.Number > 0).Select(c => (YearMonth?)c.Month).Min();
        return [.. Earlier.Where(m => first is { } f && m >= f)];
    }
}
