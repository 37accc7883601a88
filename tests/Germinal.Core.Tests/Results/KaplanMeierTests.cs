using CsCheck;
using Germinal.Core.Results;

namespace Germinal.Core.Tests.Results;

/// <summary>How long something takes where some still wait (rule 14.4).</summary>
public sealed class KaplanMeierTests
{
    // Freireich et al., Blood 21 (1963), the arm on 6-MP: weeks in remission, + where it still lasted; 21 patients.
    private const string Freireich = "6,6,6,6+,7,9+,10,10+,11+,13,16,17+,19+,20+,22,23,25+,32+,32+,34+,35+";

    private static List<Wait> Read(string waits) => [.. waits.Split(',').Select(w => new Wait(int.Parse(w.TrimEnd('+'), System.Globalization.CultureInfo.InvariantCulture), !w.EndsWith('+')))];

    [Fact]
    public void Is_as_published()
    {
        var curve = KaplanMeier.Curve(Read(Freireich));

        (int, decimal)[] published = [(6, .857m), (7, .807m), (10, .753m), (13, .690m), (16, .627m), (22, .538m), (23, .448m)];
        Assert.Equal(published, curve.Select(s => ((int)s.Time, decimal.Round(s.Waiting, 3))));
        Assert.Equal(23, KaplanMeier.Median(curve));
    }

    [Fact]
    public void Where_nobody_waits_any_more_it_is_the_share_that_took_longer() =>
        Gen.Int[0, 20].List[1, 40].Sample(times =>
        {
            var curve = KaplanMeier.Curve(times.Select(t => new Wait(t, true)));
            return curve.All(s => Math.Abs(s.Waiting - ((decimal)times.Count(t => t > s.Time) / times.Count)) < 0.000000000001m);
        });

    [Fact]
    public void Those_who_still_wait_bring_it_down_nowhere() =>
        Gen.Select(Gen.Int[0, 20], Gen.Bool).List[1, 40].Sample(waits =>
        {
            var all = waits.Select(w => new Wait(w.Item1, w.Item2)).ToList();
            var curve = KaplanMeier.Curve(all);
            var share = 1m;
            return curve.Count == all.Where(w => w.Ended).Select(w => w.Time).Distinct().Count()
                && curve.All(s => s.Waiting <= share && (share = s.Waiting) >= 0 && s.AtRisk == all.Count(w => w.Time >= s.Time));
        });

    [Fact]
    public void Of_none_there_is_no_curve() => Assert.Empty(KaplanMeier.Curve([new Wait(3, false)]));
}
