namespace Germinal.Core.Results;

/// <summary>How two curves differ.</summary>
/// <param name="ChiSquared">On one degree of freedom.</param>
/// <param name="P">How likely so great a difference is where there is none.</param>
public sealed record CurveDifference(double ChiSquared, double P)
{
    /// <summary>
    /// The log-rank test of two groups (Mantel, Cancer Chemotherapy Reports 50, 1966; Peto &amp; Peto, Journal of the Royal Statistical Society A 135,
    /// 1972), with the hypergeometric variance.
    /// </summary>
    /// <returns>Null where nothing can be compared: nobody's wait has ended, or one group was never there with the other.</returns>
    public static CurveDifference? LogRank(IReadOnlyList<Wait> some, IReadOnlyList<Wait> others)
    {
        var (seen, expected, variance) = (0.0, 0.0, 0.0);
        foreach (var time in some.Concat(others).Where(w => w.Ended).Select(w => w.Time).Distinct().Order())
        {
            double atRisk = some.Count(w => w.Time >= time);
            var all = atRisk + others.Count(w => w.Time >= time);
            double ended = some.Count(w => w.Ended && w.Time == time);
            var allEnded = ended + others.Count(w => w.Ended && w.Time == time);
            seen += ended;
            expected += allEnded * atRisk / all;
            if (all > 1)
            {
                variance += allEnded * (atRisk / all) * (1 - (atRisk / all)) * (all - allEnded) / (all - 1);
            }
        }

        if (variance <= 0)
        {
            return null;
        }

        var chi = (seen - expected) * (seen - expected) / variance;
        return new CurveDifference(chi, Normal.TwoSided(Math.Sqrt(chi)));
    }
}
