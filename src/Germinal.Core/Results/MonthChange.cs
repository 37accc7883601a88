namespace Germinal.Core.Results;

/// <summary>A month's count.</summary>
/// <param name="Number">How many.</param>
/// <param name="Days">Of how many days the month is.</param>
public sealed record MonthCount(int Number, int Days);

/// <summary>A month's share.</summary>
/// <param name="Some">How many.</param>
/// <param name="Of">Of how many.</param>
public sealed record MonthShare(int Some, int Of);

/// <summary>
/// Whether a month differs from those before it by more than noise. Two things have to be unlikely at once: that chance made the difference where the
/// rate is the same, and that a practice whose months vary as these did has one so far off. The more careful of the two is what is said.
/// </summary>
public static class MonthChange
{
    /// <summary>Under so many months before it nothing is said.</summary>
    public const int Least = 6;

    /// <summary>How likely so great a difference of a count is where there is none; null where there is too little to say.</summary>
    /// <param name="now">The month.</param>
    /// <param name="before">Those before it.</param>
    public static double? OfCounts(MonthCount now, IReadOnlyList<MonthCount> before)
    {
        if (before.Count < Least)
        {
            return null;
        }

        var chance = Counts(now.Number, now.Days, before.Sum(b => b.Number), before.Sum(b => b.Days));
        return Math.Max(chance, StudentT.OneMore(Rate(now), [.. before.Select(Rate)]));
    }

    /// <summary>The same of a share; months of too few are left out of how months vary.</summary>
    /// <param name="now">The month.</param>
    /// <param name="before">Those before it.</param>
    public static double? OfShares(MonthShare now, IReadOnlyList<MonthShare> before)
    {
        var enough = before.Where(b => b.Of >= Verdict.Least).ToList();
        if (now.Of < Verdict.Least || enough.Count < Least)
        {
            return null;
        }

        var chance = Comparison.Of(now.Some, now.Of, before.Sum(b => b.Some), before.Sum(b => b.Of), Trust.NinetyFive).P;
        return Math.Max(chance, StudentT.OneMore(Share(now), [.. enough.Select(Share)]));
    }

    /// <summary>
    /// How likely so great a difference of two counts is where both come at the same rate; two-sided: given both together, the first is binomial
    /// (Przyborowski &amp; Wilenski, Biometrika 31:313, 1940), and all outcomes that are no likelier are added up.
    /// </summary>
    /// <param name="some">The first count.</param>
    /// <param name="days">Over so many days.</param>
    /// <param name="others">The second count.</param>
    /// <param name="otherDays">Over so many days.</param>
    public static double Counts(int some, int days, int others, int otherDays)
    {
        var all = some + others;
        if (all == 0 || days == 0 || otherDays == 0)
        {
            return 1;
        }

        var log = new LogFactorials(all);
        var (mine, theirs) = (Math.Log((double)days / (days + otherDays)), Math.Log((double)otherDays / (days + otherDays)));
        double Log(int k) => log.Choose(all, k) + (k * mine) + ((all - k) * theirs);
        var seen = Log(some);

        // Equally likely outcomes differ by rounding only.
        return Math.Min(1, Enumerable.Range(0, all + 1).Select(Log).Where(l => l <= seen + 1e-7).Sum(Math.Exp));
    }

    private static double Rate(MonthCount month) => (double)month.Number / month.Days;

    private static double Share(MonthShare month) => (double)month.Some / month.Of;
}
