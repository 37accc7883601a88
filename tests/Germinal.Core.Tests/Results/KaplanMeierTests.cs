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

    /// <summary>
    /// Another way to the same curve: those who still wait hand their share on to everybody to the right of them (Efron, Fifth Berkeley
    /// Symposium IV, 1967).
    /// </summary>
    [Fact]
    public void Is_what_handing_on_to_the_right_gives() =>
        Gen.Select(Gen.Int[0, 12], Gen.Bool).List[1, 40].Sample(waits =>
        {
            // Who ended at a time comes before those who still waited then.
            var order = waits.OrderBy(w => w.Item1).ThenBy(w => w.Item2 ? 0 : 1).ToList();
            var mass = order.Select(_ => 1.0 / order.Count).ToArray();
            for (var i = 0; i < order.Count; i++)
            {
                if (order[i].Item2 || i == order.Count - 1)
                {
                    continue;
                }

                for (var right = i + 1; right < order.Count; right++)
                {
                    mass[right] += mass[i] / (order.Count - 1 - i);
                }

                mass[i] = 0;
            }

            double After(decimal time) => 1 - order.Select((w, i) => w.Item2 && w.Item1 <= time ? mass[i] : 0).Sum();
            var curve = KaplanMeier.Curve(waits.Select(w => new Wait(w.Item1, w.Item2)));
            return curve.All(s => Math.Abs((double)s.Waiting - After(s.Time)) < 1e-9);
        });

    /// <summary>Where nobody is censored Greenwood's variance is the binomial one, S(1−S)/n: the band by that way.</summary>
    [Fact]
    public void Its_band_is_the_binomial_one_where_all_have_ended() =>
        Gen.Int[0, 20].List[2, 60].Sample(times =>
        {
            var n = times.Count;
            return KaplanMeier
                .Band(KaplanMeier.Curve(times.Select(t => new Wait(t, true))), Trust.Eighty)
                .Where(b => b.Step.Waiting > 0)
                .All(b =>
                {
                    var share = (double)b.Step.Waiting;
                    var onLogLog = Trust.Eighty.Quantile * Math.Sqrt(share * (1 - share) / n) / (share * Math.Abs(Math.Log(share)));
                    var middle = Math.Log(-Math.Log(share));
                    return Math.Abs(b.Low - Math.Exp(-Math.Exp(middle + onLogLog))) < 1e-9 && Math.Abs(b.High - Math.Exp(-Math.Exp(middle - onLogLog))) < 1e-9;
                });
        });

    [Fact]
    public void Its_band_holds_it_and_stays_between_none_and_all() =>
        Gen.Select(Gen.Int[0, 20], Gen.Bool).List[1, 60].Sample(waits =>
        {
            var curve = KaplanMeier.Curve(waits.Select(w => new Wait(w.Item1, w.Item2)));
            return KaplanMeier.Band(curve, Trust.NinetyFive).All(b => b.Low >= 0 && b.High <= 1 && b.Low <= (double)b.Step.Waiting + 1e-12 && b.High >= (double)b.Step.Waiting - 1e-12);
        });
}
