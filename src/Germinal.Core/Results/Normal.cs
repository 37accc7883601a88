namespace Germinal.Core.Results;

/// <summary>The normal distribution, as far as it is asked for.</summary>
public static class Normal
{
    /// <summary>How likely a value at least so far from the middle, on either side, is.</summary>
    /// <param name="z">The value, in standard deviations.</param>
    public static double TwoSided(double z) => Upper(Math.Abs(z)) * 2;

    /// <summary>
    /// How likely a value above one is: by its series near the middle (Abramowitz &amp; Stegun, Handbook of Mathematical Functions, 1964, 26.2.10)
    /// and its continued fraction far out (26.2.14), to about twelve digits.
    /// </summary>
    /// <param name="z">The value, in standard deviations; not negative.</param>
    public static double Upper(double z)
    {
        var density = Math.Exp(-z * z / 2) / Math.Sqrt(2 * Math.PI);
        if (z < 3)
        {
            var (term, sum) = (z, z);
            for (var n = 1; n < 200 && Math.Abs(term) > 1e-17; n++)
            {
                term *= z * z / ((2 * n) + 1);
                sum += term;
            }

            return Math.Max(0, 0.5 - (density * sum));
        }

        var fraction = z;
        for (var n = 120; n >= 1; n--)
        {
            fraction = z + (n / fraction);
        }

        return density / fraction;
    }
}
