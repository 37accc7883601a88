namespace Germinal.Core.Results;

/// <summary>Some of a number, with the interval in which the true share lies (rule 14.1).</summary>
/// <param name="Of">How many there are.</param>
/// <param name="Some">How many of them.</param>
/// <param name="Low">The lower end.</param>
/// <param name="High">The upper end.</param>
public sealed record Proportion(int Of, int Some, double Low, double High)
{
    /// <summary>The share itself; 0 of none.</summary>
    public double Share => Of == 0 ? 0 : (double)Some / Of;

    /// <summary>The score interval (Wilson, Journal of the American Statistical Association 22, 1927). Of none it is everything from 0 to 1.</summary>
    public static Proportion Wilson(int some, int of, Trust trust)
    {
        if (of == 0)
        {
            return new Proportion(0, 0, 0, 1);
        }

        var (n, p, z) = ((double)of, (double)some / of, trust.Quantile);
        var middle = p + (z * z / (2 * n));
        var width = z * Math.Sqrt((p * (1 - p) / n) + (z * z / (4 * n * n)));
        var whole = 1 + (z * z / n);
        return new Proportion(of, some, some == 0 ? 0 : (middle - width) / whole, some == of ? 1 : (middle + width) / whole);
    }
}
