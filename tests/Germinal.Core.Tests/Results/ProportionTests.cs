using CsCheck;
using Germinal.Core.Results;

namespace Germinal.Core.Tests.Results;

/// <summary>A share with its interval (rule 14.1).</summary>
public sealed class ProportionTests
{
    /// <summary>Newcombe, Statistics in Medicine 17 (1998), 857: the score interval without continuity correction.</summary>
    [Theory]
    [InlineData(81, 263, 0.2553, 0.3662)]
    [InlineData(15, 148, 0.0624, 0.1605)]
    [InlineData(0, 20, 0, 0.1611)]
    [InlineData(1, 29, 0.0061, 0.1718)]
    public void Is_as_published(int some, int of, double low, double high)
    {
        var share = Proportion.Wilson(some, of, Trust.NinetyFive);
        Assert.Equal((low, high), (Math.Round(share.Low, 4), Math.Round(share.High, 4)));
    }

    /// <summary>The interval's ends are the shares from which what was seen is just as far away as the quantile allows (that is what a score interval is).</summary>
    [Fact]
    public void Its_ends_are_as_far_away_as_the_quantile_says() =>
        Gen.Select(Gen.Int[1, 400], Gen.Int[0, 400])
            .Where((of, some) => some <= of)
            .Sample((of, some) =>
            {
                var share = Proportion.Wilson(some, of, Trust.Eighty);
                return new[] { share.Low, share.High }
                    .Where(p => p is > 0 and < 1)
                    .All(p => Math.Abs((Math.Abs(share.Share - p) / Math.Sqrt(p * (1 - p) / of)) - Trust.Eighty.Quantile) < 1e-6);
            });

    [Fact]
    public void Of_none_nothing_is_known() => Assert.Equal((0, 1), ((int)Proportion.Wilson(0, 0, Trust.NinetyFive).Low, (int)Proportion.Wilson(0, 0, Trust.NinetyFive).High));
}
