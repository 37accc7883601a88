namespace Germinal.Core.Results;

/// <summary>Logarithms of factorials, added up once.</summary>
internal sealed class LogFactorials
{
    private readonly double[] sums;

    /// <param name="most">The greatest number whose factorial is asked for.</param>
    public LogFactorials(int most)
    {
        sums = new double[most + 1];
        for (var n = 1; n <= most; n++)
        {
            sums[n] = sums[n - 1] + Math.Log(n);
        }
    }

    /// <summary>The logarithm of how many ways there are to choose some of a number.</summary>
    public double Choose(int n, int k) => sums[n] - sums[k] - sums[n - k];
}
