using CsCheck;
using Germinal.Core.Results;

namespace Germinal.Core.Tests.Results;

/// <summary>What may come in of those that are open.</summary>
public sealed class ForecastTests
{
    private static Course Won(int days) => new(days, true);

    private static Course Lost(int days) => new(days, false);

    private static IReadOnlyList<Course> Courses(int won, int lost, int days = 10) => [.. Enumerable.Repeat(Won(days), won), .. Enumerable.Repeat(Lost(days), lost)];

    private static Func<int, int> Seeded(int seed) => new Random(seed).Next;

    /// <summary>All alike and worth the same: how many are won is binomial. The exact quantiles are summed up here, term by term.</summary>
    [Theory]
    [InlineData(12, 30, 70)]
    [InlineData(25, 50, 50)]
    [InlineData(40, 10, 90)]
    public void Alike_ones_come_in_as_the_binomial_distribution_says(int open, int won, int lost)
    {
        var range = Forecast.Won([.. Enumerable.Repeat(new OpenOne(0, 100, Courses(won, lost)), open)], 30, Seeded(7))!;
        var p = (double)won / (won + lost);
        int Quantile(double share)
        {
            var (sum, term) = (Math.Pow(1 - p, open), Math.Pow(1 - p, open));
            var k = 0;
            while (sum < share)
            {
                term *= (open - k) * p / ((k + 1) * (1 - p));
                sum += term;
                k++;
            }

            return k;
        }

        // Ten thousand plays are off by one at most, where a quantile falls between two.
        Assert.InRange(range.Low / 100, Quantile(0.1) - 1, Quantile(0.1) + 1);
        Assert.InRange(range.Middle / 100, Quantile(0.5) - 1, Quantile(0.5) + 1);
        Assert.InRange(range.High / 100, Quantile(0.9) - 1, Quantile(0.9) + 1);
        Assert.True(range.Low <= range.Middle && range.Middle <= range.High);
    }

    [Fact]
    public void The_same_source_gives_the_same_range_and_it_stays_between_nothing_and_all() =>
        Gen.Select(Gen.Int[1, 20], Gen.Int[0, 40], Gen.Int[30, 60], Gen.Int[0, 30]).Sample((open, won, lost, stood) =>
            {
                List<OpenOne> all = [.. Enumerable.Range(0, open).Select(i => new OpenOne(stood, 100.25m * (i + 1), Courses(won, lost, 20)))];
                var one = Forecast.Won(all, 90, Seeded(3), 200)!;
                return one == Forecast.Won(all, 90, Seeded(3), 200) && one.Low >= 0 && one.High <= all.Sum(o => o.Worth);
            }, iter: 200);

    [Fact]
    public void Only_those_that_had_stood_as_long_are_likenesses()
    {
        // The quick ones were all lost, the slow ones all won: one that has stood for long is won.
        IReadOnlyList<Course> before = [.. Enumerable.Repeat(Lost(3), 40), .. Enumerable.Repeat(Won(50), 40)];
        Assert.Equal(new MoneyRange(100, 100, 100), Forecast.Won([new OpenOne(10, 100, before)], 60, Seeded(1)));

        // But not so soon.
        Assert.Equal(new MoneyRange(0, 0, 0), Forecast.Won([new OpenOne(10, 100, before)], 30, Seeded(1)));
    }

    [Fact]
    public void Of_too_few_nothing_is_said()
    {
        Assert.Null(Forecast.Won([new OpenOne(0, 100, Courses(15, 14))], 30, Seeded(1)));
        Assert.Null(Forecast.Won([], 30, Seeded(1)));
        Assert.NotNull(Forecast.Won([new OpenOne(0, 100, Courses(15, 15))], 30, Seeded(1)));

        // Those that are open still have not come to an end: they do not count.
        Assert.Null(Forecast.Won([new OpenOne(0, 100, [.. Courses(15, 14), new Course(5, null)])], 30, Seeded(1)));
    }
}
