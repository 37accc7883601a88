namespace Germinal.Core.Results;

/// <summary>Stretches of something that was seen, heard or read: from, until, from, until, in order and apart.</summary>
public static class Stretches
{
    /// <summary>Puts two lists of stretches together; what touches or overlaps becomes one.</summary>
    /// <param name="some">From, until, from, until.</param>
    /// <param name="others">As well; in any order, stretches that end before they begin are left out.</param>
    /// <param name="length">Where all of it ends; what lies outside is cut off.</param>
    /// <param name="most">How many there are at most: where there would be more, those nearest to each other are joined.</param>
    public static IReadOnlyList<int> Join(IReadOnlyList<int> some, IReadOnlyList<int> others, int length, int most)
    {
        var all = Pairs(some).Concat(Pairs(others)).Select(p => (From: Math.Max(0, p.From), Until: Math.Min(length, p.Until))).Where(p => p.Until > p.From).Order().ToList();
        var joined = new List<(int From, int Until)>();
        foreach (var one in all)
        {
            if (joined.Count > 0 && one.From <= joined[^1].Until)
            {
                joined[^1] = (joined[^1].From, Math.Max(joined[^1].Until, one.Until));
            }
            else
            {
                joined.Add(one);
            }
        }

        while (joined.Count > most)
        {
            var nearest = Enumerable.Range(0, joined.Count - 1).MinBy(i => joined[i + 1].From - joined[i].Until);
            joined[nearest] = (joined[nearest].From, joined[nearest + 1].Until);
            joined.RemoveAt(nearest + 1);
        }

        return [.. joined.SelectMany(p => new[] { p.From, p.Until })];
    }

    /// <summary>How much they are together.</summary>
    public static int Length(IReadOnlyList<int> stretches) => Pairs(stretches).Sum(p => p.Until - p.From);

    /// <summary>They in words: <c>0:00 to 0:42, 1:10 to 1:20</c>, in minutes and seconds.</summary>
    public static string Words(IReadOnlyList<int> stretches) => string.Join(", ", Pairs(stretches).Select(p => Say($"{Clock(p.From)} to {Clock(p.Until)}")));

    /// <summary>Seconds as a film's clock says them: <c>1:05</c>.</summary>
    public static string Clock(int seconds) => FormattableString.Invariant($"{seconds / 60}:{seconds % 60:00}");

    private static IEnumerable<(int From, int Until)> Pairs(IReadOnlyList<int> stretches) => Enumerable.Range(0, stretches.Count / 2).Select(i => (stretches[2 * i], stretches[(2 * i) + 1]));
}
