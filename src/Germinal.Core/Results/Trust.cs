namespace Germinal.Core.Results;

/// <summary>How far an interval or a band is to be trusted: the share of such intervals that hold the true value.</summary>
/// <param name="Share">The share, such as 0.95.</param>
/// <param name="Quantile">The quantile of the normal distribution that leaves half of the rest above it.</param>
public readonly record struct Trust(double Share, double Quantile)
{
    /// <summary>95 in a hundred: rates and comparisons (rules 14.1, 14.3).</summary>
    public static Trust NinetyFive { get; } = new(0.95, 1.959963984540054);

    /// <summary>80 in a hundred: how long something takes, and what may come of it (ours: who plans a week wants the likely, not the sure).</summary>
    public static Trust Eighty { get; } = new(0.80, 1.2815515655446004);
}
