using CsCheck;
using Germinal.Core.Results;

namespace Germinal.Core.Tests.Results;

/// <summary>What may be believed of many answers at once, and what of versions that were compared.</summary>
public sealed class ManyLooksTests
{
    private static readonly double[] Example = [.0001, .0004, .0019, .0095, .0201, .0278, .0298, .0344, .0459, .3240, .4262, .5719, .6528, .7590, 1.0];

    /// <summary>Benjamini &amp; Hochberg 1995, J. R. Stat. Soc. B 57:289, their example of fifteen; values as the design quotes them from memory.</summary>
    [Fact]
    public void Of_the_fifteen_of_the_paper_four_are_believed()
    {
        Assert.Equal([true, true, true, true, .. Enumerable.Repeat(false, 11)], ManyLooks.Believed(Example, 0.05));

        // By Bonferroni three would be.
        Assert.Equal(3, Example.Count(p => p <= 0.05 / 15));
    }

    [Fact]
    public void Their_order_does_not_matter_and_no_smaller_one_is_left_out() =>
        Gen.Double[0, 1].Array[0, 30].Sample(p =>
        {
            var believed = ManyLooks.Believed(p, 0.05);
            var turned = ManyLooks.Believed([.. p.Reverse()], 0.05);
            var largest = p.Where((_, i) => believed[i]).DefaultIfEmpty(-1).Max();
            return believed.SequenceEqual(turned.Reverse()) && p.Where((_, i) => !believed[i]).All(x => x > largest) && p.Count(x => x <= 0.05 / Math.Max(1, p.Length)) <= believed.Count(b => b);
        });

    [Fact]
    public void Two_versions_are_told_apart_only_where_chance_would_hardly_do_it()
    {
        var clear = Verdict.Of([new VersionDeeds(500, 100), new VersionDeeds(500, 160)]);
        Assert.Equal((1, true, false, 1), (clear.Best, clear.Decided, clear.TooEarly, clear.Chosen));

        // A little better is not better: the rest get the first (rule 15.3).
        var unclear = Verdict.Of([new VersionDeeds(500, 100), new VersionDeeds(500, 108)]);
        Assert.Equal((1, false, 0), (unclear.Best, unclear.Decided, unclear.Chosen));

        // Under the set number nothing is said, however great the difference.
        var early = Verdict.Of([new VersionDeeds(29, 0), new VersionDeeds(500, 500)]);
        Assert.Equal((true, false, 0), (early.TooEarly, early.Decided, early.Chosen));

        var first = Verdict.Of([new VersionDeeds(500, 200), new VersionDeeds(500, 100), new VersionDeeds(500, 90)]);
        Assert.Equal((0, true, 0), (first.Best, first.Decided, first.Chosen));
    }

    /// <summary>Alike versions: another than the first is chosen about as seldom as the trust says, also with four of them.</summary>
    [Fact]
    public void A_winner_out_of_noise_is_rare()
    {
        var dice = new Random(5);
        int Deeds() => Enumerable.Range(0, 300).Count(_ => dice.Next(100) < 25);
        var chosen = Enumerable.Range(0, 1500).Count(_ => Verdict.Of([.. Enumerable.Range(0, 4).Select(_ => new VersionDeeds(300, Deeds()))]).Chosen != 0);

        // Of 1,500 tries at most one in twenty; three standard deviations above that.
        Assert.InRange(chosen, 0, 75 + 25);
    }
}
