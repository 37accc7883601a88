namespace Germinal.Core.Results;

/// <summary>Many questions at once: some of them are answered with yes by chance alone.</summary>
public static class ManyLooks
{
    /// <summary>
    /// Which of many p-values may be believed, so that of those believed no more than a share is expected to be chance (Benjamini &amp; Hochberg,
    /// Journal of the Royal Statistical Society B 57:289, 1995).
    /// </summary>
    /// <param name="p">The p-values, in any order.</param>
    /// <param name="share">The share, such as 0.05.</param>
    /// <returns>For each of them, in their order, whether it is believed.</returns>
    public static IReadOnlyList<bool> Believed(IReadOnlyList<double> p, double share)
    {
        var order = Enumerable.Range(0, p.Count).OrderBy(i => p[i]).ToList();
        var last = -1;
        for (var k = 0; k < order.Count; k++)
        {
            if (p[order[k]] <= (k + 1) * share / order.Count)
            {
                last = k;
            }
        }

        var believed = new bool[p.Count];
        foreach (var i in order.Take(last + 1))
        {
            believed[i] = true;
        }

        return believed;
    }
}
