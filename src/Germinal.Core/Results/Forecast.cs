namespace Germinal.Core.Results;

/// <summary>One that was worked on before: how long it stood where the open one stands, and what became of it.</summary>
/// <param name="Days">Days from when it came to that place until it was closed; until today where it is open still.</param>
/// <param name="Won">Whether it was won; null where it is open still.</param>
public readonly record struct Course(int Days, bool? Won);

/// <summary>An open one.</summary>
/// <param name="Days">Days it has stood where it stands.</param>
/// <param name="Worth">What it is worth if it is won.</param>
/// <param name="Before">Those that came to the same place before.</param>
public sealed record OpenOne(int Days, decimal Worth, IReadOnlyList<Course> Before);

/// <summary>What may come in: a range, never one number.</summary>
/// <param name="Low">One in ten times it is less.</param>
/// <param name="Middle">Half of the time it is less.</param>
/// <param name="High">One in ten times it is more.</param>
public sealed record MoneyRange(decimal Low, decimal Middle, decimal High);

/// <summary>
/// What is won of those that are open, by playing the days ahead many times from what became of those before (Efron, Annals of Statistics
/// 7, 1979: resampling). In each play each open one goes the way of one drawn from those that had stood as long as it has.
/// </summary>
public static class Forecast
{
    /// <summary>How often it is played.</summary>
    public const int Draws = 10_000;

    /// <summary>Under so many courses nothing is said.</summary>
    public const int Least = 30;

    /// <summary>The range of what is won within some days.</summary>
    /// <param name="open">Those that are open.</param>
    /// <param name="within">Days from today.</param>
    /// <param name="below">A source of whole numbers from 0 up to the given one, itself excluded; the same source, the same range.</param>
    /// <param name="draws">How often it is played.</param>
    /// <returns>Null where one of them has fewer than <see cref="Least"/> courses before it that are closed.</returns>
    public static MoneyRange? Won(IReadOnlyList<OpenOne> open, int within, Func<int, int> below, int draws = Draws)
    {
        if (open.Count == 0 || open.Any(o => o.Before.Count(c => c.Won is not null) < Least))
        {
            return null;
        }

        // Only whoever had stood as long can be a likeness; where nobody had, those that stood longest are.
        var likenesses = open.Select(o => Likenesses(o)).ToList();
        var sums = new decimal[draws];
        for (var play = 0; play < draws; play++)
        {
            for (var i = 0; i < open.Count; i++)
            {
                var drawn = likenesses[i][below(likenesses[i].Count)];
                if (drawn.Won == true && drawn.Days - open[i].Days <= within)
                {
                    sums[play] += open[i].Worth;
                }
            }
        }

        Array.Sort(sums);
        return new MoneyRange(At(sums, 0.1), At(sums, 0.5), At(sums, 0.9));
    }

    private static IReadOnlyList<Course> Likenesses(OpenOne one)
    {
        var closed = one.Before.Where(c => c.Won is not null).ToList();
        var asLong = closed.Where(c => c.Days >= one.Days).ToList();
        return asLong.Count > 0 ? asLong : [.. closed.OrderByDescending(c => c.Days).Take(Least)];
    }

    private static decimal At(decimal[] sums, double share) => sums[Math.Min(sums.Length - 1, (int)Math.Ceiling(share * sums.Length) - 1)];
}
