using CsCheck;
using Germinal.Core.Results;
using MathNet.Numerics.Distributions;
using StudentT = Germinal.Core.Results.StudentT;

namespace Germinal.Core.Tests.Results;

/// <summary>A month beside those before it.</summary>
public sealed class MonthChangeTests
{
    private static MonthCount[] Months(params int[] numbers) => [.. numbers.Select(n => new MonthCount(n, 30))];

    /// <summary>Two-sided 5 % points of Student's t (Abramowitz &amp; Stegun 1964, table 26.10); values from memory.</summary>
    [Theory]
    [InlineData(12.706, 1)]
    [InlineData(4.303, 2)]
    [InlineData(2.571, 5)]
    [InlineData(2.228, 10)]
    [InlineData(2.201, 11)]
    public void The_table_of_t(double t, int freedom) => Assert.Equal(0.05, StudentT.TwoSided(t, freedom), 4);

    /// <summary>Reference: the t distribution of MathNet.Numerics, which near the middle itself is less exact than what it is asked about.</summary>
    [Fact]
    public void The_t_distribution_is_that_of_the_reference() =>
        Gen.Select(Gen.Double[0.05, 30], Gen.Bool, Gen.Int[1, 60])
            .Sample((t, negative, freedom) => Math.Abs(StudentT.TwoSided(negative ? -t : t, freedom) - (2 * MathNet.Numerics.Distributions.StudentT.CDF(0, 1, freedom, -t))) < 1e-9, iter: 5000);

    /// <summary>Reference: the binomial distribution of MathNet.Numerics, its outcomes summed up here.</summary>
    [Fact]
    public void Two_counts_are_compared_by_the_outcomes_no_likelier() =>
        Gen.Select(Gen.Int[0, 60], Gen.Int[0, 300], Gen.Int[28, 31], Gen.Int[28, 365])
            .Sample(
                (some, others, days, otherDays) =>
                {
                    if (some + others == 0)
                    {
                        return MonthChange.Counts(some, days, others, otherDays) == 1;
                    }

                    var whole = new Binomial((double)days / (days + otherDays), some + others);
                    var seen = whole.Probability(some);
                    var sum = Enumerable.Range(0, some + others + 1).Select(whole.Probability).Where(p => p <= seen * (1 + 1e-7)).Sum();
                    return Math.Abs(MonthChange.Counts(some, days, others, otherDays) - Math.Min(1, sum)) < 1e-8;
                },
                iter: 2000
            );

    [Fact]
    public void Even_months_make_a_jump_plain_and_uneven_ones_hide_it()
    {
        var even = Months(20, 21, 19, 22, 20, 18, 21, 20, 19, 20, 22, 18);
        Assert.InRange(MonthChange.OfCounts(new MonthCount(45, 30), even)!.Value, 0, 0.001);
        Assert.InRange(MonthChange.OfCounts(new MonthCount(21, 30), even)!.Value, 0.3, 1);

        // As many in all, but a practice that brings lists in has had such a month before: 45 is nothing to speak of there.
        var uneven = Months(2, 70, 5, 1, 60, 4, 3, 55, 2, 30, 5, 3);
        Assert.InRange(MonthChange.OfCounts(new MonthCount(45, 30), uneven)!.Value, 0.2, 1);
    }

    [Fact]
    public void Shares_need_enough_of_both()
    {
        MonthShare[] before = [.. Enumerable.Range(0, 12).Select(i => new MonthShare(30 + (i % 3), 100))];
        Assert.InRange(MonthChange.OfShares(new MonthShare(60, 100), before)!.Value, 0, 0.001);
        Assert.InRange(MonthChange.OfShares(new MonthShare(31, 100), before)!.Value, 0.5, 1);
        Assert.Null(MonthChange.OfShares(new MonthShare(29, 29), before));
        Assert.Null(MonthChange.OfShares(new MonthShare(60, 100), [.. before.Take(5)]));
        Assert.Null(MonthChange.OfShares(new MonthShare(60, 100), [.. before.Select(b => new MonthShare(9, 29))]));
        Assert.Null(MonthChange.OfCounts(new MonthCount(9, 30), Months(1, 2, 3, 4, 5)));
    }

    [Fact]
    public void Without_scatter_only_what_is_alike_is_likely()
    {
        Assert.Equal(1, StudentT.OneMore(3, [3, 3, 3]));
        Assert.Equal(0, StudentT.OneMore(4, [3, 3, 3]));
        Assert.Equal(1, MonthChange.OfCounts(new MonthCount(0, 28), Months(0, 0, 0, 0, 0, 0)));
    }

    /// <summary>Where nothing changes, hardly one in twenty is called a change.</summary>
    [Fact]
    public void Months_of_one_rate_are_seldom_called_different()
    {
        var random = new Random(14);
        var called = 0;
        const int Rounds = 2000;
        for (var i = 0; i < Rounds; i++)
        {
            var months = Enumerable.Range(0, 13).Select(_ => new MonthCount(Poisson.Sample(random, 12), 30)).ToArray();
            called += MonthChange.OfCounts(months[12], months[..12]) < 0.05 ? 1 : 0;
        }

        Assert.InRange(called / (double)Rounds, 0.005, 0.05);
    }
}
