namespace Germinal.Core.Results;

/// <summary>How versions did that were compared.</summary>
/// <param name="Delivered">How many messages of each arrived.</param>
/// <param name="Did">How many of those did what decides.</param>
public sealed record VersionDeeds(int Delivered, int Did);

/// <summary>What can be said of versions that were compared (rules 14.3, 15.3).</summary>
/// <param name="Best">The version that did best, from 0.</param>
/// <param name="Decided">Whether it is told apart from the first at the asked trust; else the first is taken.</param>
/// <param name="TooEarly">Whether too few arrived to say anything yet.</param>
/// <param name="Against">The best beside the first, or, where the first is the best, the first beside the next best.</param>
public sealed record Verdict(int Best, bool Decided, bool TooEarly, Comparison? Against)
{
    /// <summary>Under so many delivered of each nothing is said.</summary>
    public const int Least = 30;

    /// <summary>The version the rest get: the best where it is told apart, else the first.</summary>
    public int Chosen => Decided ? Best : 0;

    /// <summary>
    /// Compares versions. The best one has to be told apart from the first, for only then the rest do not get the first; with more than two, what is asked
    /// more than once is corrected for that (<see cref="ManyLooks"/>).
    /// </summary>
    /// <param name="versions">Two or more, the first first.</param>
    public static Verdict Of(IReadOnlyList<VersionDeeds> versions)
    {
        var best = 0;
        for (var i = 1; i < versions.Count; i++)
        {
            // A greater share, compared as fractions of whole numbers.
            if ((long)versions[i].Did * versions[best].Delivered > (long)versions[best].Did * versions[i].Delivered)
            {
                best = i;
            }
        }

        if (versions.Any(v => v.Delivered < Least))
        {
            return new Verdict(best, false, true, null);
        }

        var compared = Enumerable.Range(0, versions.Count).Where(i => i != best).Select(i => (At: i, Found: Beside(versions, best, i))).ToList();
        var believed = ManyLooks.Believed([.. compared.Select(c => c.Found.P)], 0.05);
        var against = best == 0 ? compared.MinBy(c => c.Found.Difference) : compared.Single(c => c.At == 0);
        return new Verdict(best, believed[compared.IndexOf(against)], false, against.Found);
    }

    private static Comparison Beside(IReadOnlyList<VersionDeeds> versions, int a, int b) =>
        Comparison.Of(versions[a].Did, versions[a].Delivered, versions[b].Did, versions[b].Delivered, Trust.NinetyFive);
}
