namespace Germinal.Core.Results;

/// <summary>Student's t distribution, as far as it is asked for.</summary>
public static class StudentT
{
    /// <summary>
    /// How likely a value at least so far from the middle, on either side, is (Abramowitz &amp; Stegun, Handbook of Mathematical Functions, 1964,
    /// 26.7.3 for an odd and 26.7.4 for an even number of degrees of freedom; both are exact).
    /// </summary>
    /// <param name="t">The value.</param>
    /// <param name="freedom">Degrees of freedom, from 1.</param>
    public static double TwoSided(double t, int freedom)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(freedom, 1);
        var angle = Math.Atan(Math.Abs(t) / Math.Sqrt(freedom));
        var (sine, cosine) = Math.SinCos(angle);
        if (freedom == 1)
        {
            return 1 - (2 * angle / Math.PI);
        }

        // cos θ + 2/3 cos³ θ + … where it is odd, 1 + 1/2 cos² θ + … where it is even.
        var odd = freedom % 2;
        var term = odd == 1 ? cosine : 1.0;
        var sum = term;
        for (var k = 2 + odd; k <= freedom - 2; k += 2)
        {
            term *= cosine * cosine * (k - 1) / k;
            sum += term;
        }

        return Math.Max(0, odd == 1 ? 1 - (2 / Math.PI * (angle + (sine * sum))) : 1 - (sine * sum));
    }

    /// <summary>
    /// How likely it is that one more of the kind lies at least so far off, where they vary as those before did: the prediction of one further value
    /// (Hahn, Journal of the American Statistical Association 64:878, 1969).
    /// </summary>
    /// <param name="value">The one more.</param>
    /// <param name="before">Those before it, two or more.</param>
    /// <returns>1 where it is as all of them, 0 where they were all alike and it is not.</returns>
    public static double OneMore(double value, IReadOnlyList<double> before)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(before.Count, 2);
        var middle = before.Average();
        var variance = before.Sum(b => (b - middle) * (b - middle)) / (before.Count - 1);
        if (variance <= 0)
        {
            return value == middle ? 1 : 0;
        }

        return TwoSided((value - middle) / Math.Sqrt(variance * (1 + (1.0 / before.Count))), before.Count - 1);
    }
}
