using System.Globalization;
using CsCheck;
using Germinal.Core.Practices;
using NodaTime;

namespace Germinal.Core.Tests.Practices;

/// <summary>Figures by area and month, and what is told of their changes.</summary>
public sealed class FigureTableTests
{
    private static readonly Measure Price = new("median price", "$", "");
    private static readonly Measure Rate = new("rate", "", "%");
    private static readonly LocalDate March = new(2027, 3, 1);

    private static FigureTable Table(params (string Area, string Measure, int MonthsBack, decimal Value)[] numbers) =>
        FigureTable.Of("t", "k", [Price, Rate], numbers.Select(n => (n.Area, n.Measure, new Figure(March.PlusMonths(-n.MonthsBack), n.Value))));

    [Fact]
    public void The_newest_number_with_its_changes()
    {
        var table = Table(("Port Averil", "median price", 0, 420_000), ("Port Averil", "median price", 1, 400_000), ("Port Averil", "median price", 12, 350_000));
        var reading = Assert.Single(table.Read(" port AVERIL ", March.PlusDays(20)));
        Assert.Equal(("$420,000", "5% up", "20% up"), (reading.Measure.Say(reading.Newest.Value), reading.OnMonth, reading.OnYear));
        Assert.Equal(3, reading.Course.Count);
    }

    [Fact]
    public void What_is_newer_than_the_day_is_not_known_and_a_month_without_a_number_gives_no_change()
    {
        var table = Table(("A", "median price", 0, 3), ("A", "median price", 2, 2), ("A", "rate", 0, 6.5m));
        var then = Assert.Single(table.Read("A", March.PlusDays(-1)));
        Assert.Equal((2, null, null), (then.Newest.Value, then.OnMonth, then.OnYear));
        Assert.Equal([null, null], table.Read("A", March).Select(r => r.OnMonth));
        Assert.Empty(table.Read("Nowhere", March));
    }

    [Theory]
    [InlineData("6.25", "6.1", "0.15 points up"), InlineData("6.1", "6.1", "unchanged"), InlineData("5.9", "6.1", "0.2 points down"), InlineData("2", "0", "2 points up")]
    public void A_share_changes_by_points(string now, string before, string said) =>
        Assert.Equal(said, Rate.SayChange(decimal.Parse(now, CultureInfo.InvariantCulture), decimal.Parse(before, CultureInfo.InvariantCulture)));

    [Fact]
    public void Nothing_can_be_told_of_a_number_that_was_nothing() => Assert.Null(Price.SayChange(5, 0));

    [Fact]
    public void A_change_told_and_taken_back_is_within_half_a_tenth() =>
        Gen.Decimal[1, 1_000_000]
            .Select(Gen.Decimal[1, 1_000_000])
            .Sample(
                (now, before) =>
                {
                    var said = Price.SayChange(now, before)!;
                    var told = said == "unchanged" ? 0 : decimal.Parse(said.Split('%')[0], CultureInfo.InvariantCulture) * (said.EndsWith("up", StringComparison.Ordinal) ? 1 : -1);
                    return Math.Abs((before * (1 + (told / 100))) - now) <= before * 0.00051m;
                },
                iter: 1000
            );

    [Fact]
    public void The_course_is_of_two_years_at_most()
    {
        var table = FigureTable.Of("t", "k", [Price], Enumerable.Range(0, 40).Select(i => ("A", "median price", new Figure(March.PlusMonths(-i), i))));
        var course = Assert.Single(table.Read("A", March)).Course;
        Assert.Equal((24, March.PlusMonths(-23), March), (course.Count, course[0].Month, course[^1].Month));
    }
}
