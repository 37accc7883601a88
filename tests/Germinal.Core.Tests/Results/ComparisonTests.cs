using CsCheck;
using Germinal.Core.Results;
using MathNet.Numerics.Distributions;
using Normal = Germinal.Core.Results.Normal;

namespace Germinal.Core.Tests.Results;

/// <summary>Two shares beside each other.</summary>
public sealed class ComparisonTests
{
    /// <summary>Newcombe 1998, Statistics in Medicine 17:873, table II, method 10; values as the design quotes them from memory.</summary>
    [Theory]
    [InlineData(56, 70, 48, 80, 0.0524, 0.3339)]
    [InlineData(9, 10, 3, 10, 0.1705, 0.8090)]
    [InlineData(6, 7, 2, 7, 0.0582, 0.8062)]
    [InlineData(5, 56, 0, 29, -0.0381, 0.1926)]
    [InlineData(0, 10, 0, 10, -0.2775, 0.2775)]
    [InlineData(10, 10, 0, 20, 0.6791, 1.0)]
    public void The_interval_of_a_difference_is_Newcombes(int some, int of, int someOther, int ofOther, double low, double high)
    {
        var (l, h) = Comparison.Newcombe(some, of, someOther, ofOther, Trust.NinetyFive);
        Assert.Equal(low, l, 4);
        Assert.Equal(high, h, 4);
    }

    /// <summary>Fisher 1935, the lady who tastes tea: three of four cups told apart.</summary>
    [Fact]
    public void The_tea_taster() => Assert.Equal(0.4857, Comparison.Fisher(3, 4, 1, 4), 4);

    /// <summary>Reference: the hypergeometric distribution of MathNet.Numerics, its tables summed up here.</summary>
    [Fact]
    public void The_exact_test_is_the_sum_of_tables_no_likelier() =>
        Gen.Select(Gen.Int[0, 40], Gen.Int[0, 40], Gen.Int[0, 40], Gen.Int[0, 40])
            .Sample(
                (a, b, c, d) =>
                {
                    if (a + b == 0 || c + d == 0)
                    {
                        return true;
                    }

                    var whole = new Hypergeometric(a + b + c + d, a + c, a + b);
                    var seen = whole.Probability(a);
                    var sum = Enumerable.Range(0, a + b + 1).Select(whole.Probability).Where(p => p <= seen * (1 + 1e-7)).Sum();
                    return Math.Abs(Comparison.Fisher(a, a + b, c, c + d) - Math.Min(1, sum)) < 1e-9;
                },
                iter: 2000
            );

    /// <summary>Reference: the normal distribution of MathNet.Numerics.</summary>
    [Fact]
    public void The_normal_distribution_is_that_of_the_reference() =>
        Gen.Double[0, 12].Sample(z => Math.Abs(Normal.Upper(z) - SpecialUpper(z)) <= 1e-11 * Math.Max(SpecialUpper(z), 1e-20) + 1e-15, iter: 5000);

    private static double SpecialUpper(double z) => MathNet.Numerics.SpecialFunctions.Erfc(z / Math.Sqrt(2)) / 2;

    /// <summary>The square of z is Pearson's chi-squared of the fourfold table (an identity), whose distribution MathNet.Numerics has.</summary>
    [Fact]
    public void The_test_of_two_proportions_is_the_chi_squared_of_the_table() =>
        Gen.Select(Gen.Int[1, 500], Gen.Int[1, 500], Gen.Int[1, 500], Gen.Int[1, 500])
            .Sample(
                (a, b, c, d) =>
                {
                    double n = a + b + c + d;
                    var chi = n * Math.Pow(((double)a * d) - ((double)b * c), 2) / ((double)(a + b) * (c + d) * (a + c) * (b + d));
                    var p = 1 - ChiSquared.CDF(1, chi);
                    return Math.Abs(Comparison.TwoProportions(a, a + b, c, c + d) - p) < 1e-8;
                },
                iter: 2000
            );

    [Fact]
    public void Turned_round_a_comparison_says_the_same() =>
        Gen.Select(Gen.Int[0, 200], Gen.Int[0, 200], Gen.Int[0, 200], Gen.Int[0, 200])
            .Sample((a, b, c, d) =>
            {
                var one = Comparison.Of(a, a + b, c, c + d, Trust.NinetyFive);
                var other = Comparison.Of(c, c + d, a, a + b, Trust.NinetyFive);
                return Math.Abs(one.Low + other.High) < 1e-12 && Math.Abs(one.P - other.P) < 1e-9 && one.By == other.By && one.P is >= 0 and <= 1 && one.Low >= -1 && one.High <= 1;
            });

    /// <summary>Rule 14.3: Fisher's test exactly where a cell expects fewer than five.</summary>
    [Theory]
    [InlineData(5, 20, 5, 20, TestKind.Normal)]
    [InlineData(5, 20, 4, 20, TestKind.Exact)]
    [InlineData(0, 10, 0, 10, TestKind.Exact)]
    [InlineData(500, 1000, 400, 1000, TestKind.Normal)]
    public void The_test_fits_the_table(int some, int of, int someOther, int ofOther, TestKind by) =>
        Assert.Equal(by, Comparison.Of(some, of, someOther, ofOther, Trust.NinetyFive).By);
}
