using System.Numerics;

namespace Germinal.Core.Results;

/// <summary>Which test said how likely so great a difference is where there is none.</summary>
public enum TestKind
{
    /// <summary>Fisher's exact test: a cell expects fewer than five.</summary>
    Exact,

    /// <summary>The two-proportion z-test.</summary>
    Normal,
}

/// <summary>Two shares beside each other (rule 14.3).</summary>
/// <param name="First">The first.</param>
/// <param name="Second">The second.</param>
/// <param name="Low">The lower end of the difference's interval, first less second.</param>
/// <param name="High">The upper end.</param>
/// <param name="P">How likely a difference at least so great is where there is none; two-sided.</param>
/// <param name="By">The test that says so.</param>
public sealed record Comparison(Proportion First, Proportion Second, double Low, double High, double P, TestKind By)
{
    /// <summary>The difference itself.</summary>
    public double Difference => First.Share - Second.Share;

    /// <summary>Compares two shares by Newcombe's interval and the fitting test.</summary>
    /// <param name="some">Of the first.</param>
    /// <param name="of">How many there are in the first.</param>
    /// <param name="someOther">Of the second.</param>
    /// <param name="ofOther">How many there are in the second.</param>
    /// <param name="trust">How far the interval is to be trusted.</param>
    public static Comparison Of(int some, int of, int someOther, int ofOther, Trust trust)
    {
        var (first, second) = (Proportion.Wilson(some, of, trust), Proportion.Wilson(someOther, ofOther, trust));
        var (low, high) = Newcombe(first, of, second, ofOther);
        var exact = ExpectsFew(some, of, someOther, ofOther);
        return new Comparison(
            first,
            second,
            low,
            high,
            exact ? Fisher(some, of, someOther, ofOther) : TwoProportions(some, of, someOther, ofOther),
            exact ? TestKind.Exact : TestKind.Normal
        );
    }

    /// <summary>
    /// The interval of a difference of two shares from their score intervals (Newcombe, Statistics in Medicine 17:873, 1998, method 10). Of
    /// none it is everything from −1 to 1 that the other leaves open.
    /// </summary>
    public static (double Low, double High) Newcombe(int some, int of, int someOther, int ofOther, Trust trust) =>
        Newcombe(Proportion.Wilson(some, of, trust), of, Proportion.Wilson(someOther, ofOther, trust), ofOther);

    private static (double Low, double High) Newcombe(Proportion a, int of, Proportion b, int ofOther)
    {
        // Of none the share may be anything; the middle of its interval is no worse than any other.
        var (p, q) = (of == 0 ? 0.5 : a.Share, ofOther == 0 ? 0.5 : b.Share);
        var difference = p - q;
        return (difference - Root(p - a.Low, b.High - q), difference + Root(a.High - p, q - b.Low));
    }

    /// <summary>
    /// How likely a table at least as unlikely as this one is, its margins given and no difference there (Fisher, The Design of Experiments,
    /// 1935); two-sided: all tables together that are no likelier.
    /// </summary>
    public static double Fisher(int some, int of, int someOther, int ofOther)
    {
        var (all, yes) = (of + ofOther, some + someOther);
        var (least, most) = (Math.Max(0, yes - ofOther), Math.Min(yes, of));
        var log = new LogFactorials(all);
        double Log(int k) => log.Choose(of, k) + log.Choose(ofOther, yes - k);
        var whole = log.Choose(all, yes);
        var seen = Log(some);
        var sum = 0.0;
        for (var k = least; k <= most; k++)
        {
            // Equally likely tables differ by rounding only.
            if (Log(k) <= seen + 1e-7)
            {
                sum += Math.Exp(Log(k) - whole);
            }
        }

        return Math.Min(1, sum);
    }

    /// <summary>The two-proportion z-test with the pooled share, two-sided (Fleiss, Statistical Methods for Rates and Proportions, 1981, without his correction).</summary>
    /// <returns>1 where both are none or all.</returns>
    public static double TwoProportions(int some, int of, int someOther, int ofOther)
    {
        if (of == 0 || ofOther == 0)
        {
            return 1;
        }

        var pooled = (double)(some + someOther) / (of + ofOther);
        var variance = pooled * (1 - pooled) * ((1.0 / of) + (1.0 / ofOther));
        if (variance <= 0)
        {
            return 1;
        }

        var z = (((double)some / of) - ((double)someOther / ofOther)) / Math.Sqrt(variance);
        return Normal.TwoSided(z);
    }

    /// <summary>Whether a cell of the table expects fewer than five (rule 14.3): asked with whole numbers only.</summary>
    public static bool ExpectsFew(int some, int of, int someOther, int ofOther)
    {
        var all = (BigInteger)of + ofOther;
        var yes = (BigInteger)some + someOther;
        return new[] { (yes, of), (yes, ofOther), (all - yes, of), (all - yes, ofOther) }.Any(c => c.Item1 * c.Item2 < 5 * all);
    }

    private static double Root(double a, double b) => Math.Sqrt((a * a) + (b * b));
}
