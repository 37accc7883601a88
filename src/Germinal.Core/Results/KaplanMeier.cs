namespace Germinal.Core.Results;

/// <summary>A wait: how long, and whether it has ended.</summary>
/// <param name="Time">How long it took, or has taken so far; in any unit, the same for all.</param>
/// <param name="Ended">False where it still goes on: it is censored, not dropped (rule 14.4).</param>
public readonly record struct Wait(decimal Time, bool Ended);

/// <summary>A step of the curve.</summary>
/// <param name="Time">When it falls.</param>
/// <param name="AtRisk">How many had waited at least so long.</param>
/// <param name="Ended">How many waits ended just then.</param>
/// <param name="Waiting">The share that waits longer, from 1 to 0.</param>
public sealed record CurveStep(decimal Time, int AtRisk, int Ended, decimal Waiting);

/// <summary>The curve with what it may be off by: where, with the given trust, the true share lies at a step.</summary>
/// <param name="Step">The step.</param>
/// <param name="Low">The lower end of the band.</param>
/// <param name="High">The upper end.</param>
public sealed record BandStep(CurveStep Step, double Low, double High);

/// <summary>
/// How long something takes where some still wait: the product-limit estimate (Kaplan &amp; Meier, Journal of the American Statistical
/// Association 53, 1958).
/// </summary>
public static class KaplanMeier
{
    /// <summary>The curve: one step for each time at which a wait ended, in order; none where none has ended.</summary>
    public static IReadOnlyList<CurveStep> Curve(IEnumerable<Wait> waits)
    {
        var inOrder = waits.OrderBy(w => w.Time).ToList();
        var steps = new List<CurveStep>();
        var (share, before) = (1m, 0);
        foreach (var same in inOrder.GroupBy(w => w.Time))
        {
            var atRisk = inOrder.Count - before;
            var ended = same.Count(w => w.Ended);
            if (ended > 0)
            {
                share *= 1m - ((decimal)ended / atRisk);
                steps.Add(new CurveStep(same.Key, atRisk, ended, share));
            }

            before += same.Count();
        }

        return steps;
    }

    /// <summary>
    /// The curve's band, step by step: Greenwood's variance (Greenwood, Reports on Public Health and Medical Subjects 33, 1926) on the
    /// log-minus-log scale (Kalbfleisch &amp; Prentice, The Statistical Analysis of Failure Time Data, 1980), which keeps it between 0 and 1.
    /// </summary>
    /// <param name="curve">The curve.</param>
    /// <param name="trust">How far it is to be trusted.</param>
    /// <returns>As many steps; one at which nobody waits any more has no band, and stands at 0.</returns>
    public static IReadOnlyList<BandStep> Band(IReadOnlyList<CurveStep> curve, Trust trust)
    {
        var (band, sum) = (new List<BandStep>(curve.Count), 0.0);
        foreach (var step in curve)
        {
            if (step.AtRisk == step.Ended)
            {
                band.Add(new BandStep(step, 0, 0));
                continue;
            }

            sum += (double)step.Ended / ((double)step.AtRisk * (step.AtRisk - step.Ended));
            var share = (double)step.Waiting;
            var width = trust.Quantile * Math.Sqrt(sum) / Math.Abs(Math.Log(share));
            band.Add(new BandStep(step, Math.Pow(share, Math.Exp(width)), Math.Pow(share, Math.Exp(-width))));
        }

        return band;
    }

    /// <summary>The time by which half of them have ended; null where the curve does not come down to a half.</summary>
    public static decimal? Median(IReadOnlyList<CurveStep> curve) => curve.FirstOrDefault(s => s.Waiting <= 0.5m)?.Time;
}
