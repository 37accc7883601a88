using CsCheck;
using Germinal.Core.Results;

namespace Germinal.Core.Tests.Results;

/// <summary>How two curves differ.</summary>
public sealed class LogRankTests
{
    private static IReadOnlyList<Wait> Waits(string times) =>
        [.. times.Split(',').Select(t => new Wait(decimal.Parse(t.TrimEnd('+'), System.Globalization.CultureInfo.InvariantCulture), !t.EndsWith('+')))];

    /// <summary>Freireich et al. 1963, Blood 21:699; χ² = 16.79 as the design quotes it from memory.</summary>
    [Fact]
    public void The_trial_of_1963()
    {
        var treated = Waits("6,6,6,6+,7,9+,10,10+,11+,13,16,17+,19+,20+,22,23,25+,32+,32+,34+,35+");
        var placebo = Waits("1,1,2,2,3,4,4,5,5,8,8,8,8,11,11,12,12,15,17,22,23");
        var found = CurveDifference.LogRank(treated, placebo)!;
        Assert.Equal(16.79, found.ChiSquared, 2);
        Assert.InRange(found.P, 0.00002, 0.0001);
    }

    [Fact]
    public void A_group_does_not_differ_from_itself_and_turned_round_the_answer_is_the_same()
    {
        var waits = Gen.Select(Gen.Int[1, 50], Gen.Bool, (t, e) => new Wait(t, e)).Array[1, 40];
        Gen.Select(waits, waits).Sample((a, b) =>
        {
            var (one, other, self) = (CurveDifference.LogRank(a, b), CurveDifference.LogRank(b, a), CurveDifference.LogRank(a, a));
            return (one is null) == (other is null) && (one is null || Math.Abs(one.ChiSquared - other!.ChiSquared) < 1e-9) && (self is null || self.ChiSquared < 1e-9);
        });
    }

    [Fact]
    public void Where_nothing_has_ended_nothing_is_said() => Assert.Null(CurveDifference.LogRank([new Wait(3, false)], [new Wait(5, false)]));
}
