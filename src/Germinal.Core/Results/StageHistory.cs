using NodaTime;

namespace Germinal.Core.Results;

/// <summary>An opportunity came into a stage, or was closed where it stood.</summary>
/// <param name="At">The date.</param>
/// <param name="Stage">The stage.</param>
/// <param name="Won">Null where it came into the stage; else whether it was won there.</param>
public readonly record struct StageMove(LocalDate At, string Stage, bool? Won);

/// <summary>An opportunity's way, in order of time.</summary>
/// <param name="Moves">At least how it was opened.</param>
/// <param name="Source">Where the person came from; empty where nobody knows.</param>
/// <param name="Owner">Who looks after it; empty for nobody.</param>
/// <param name="LostReason">Why it was lost; empty where it was not.</param>
public sealed record OpportunityWay(IReadOnlyList<StageMove> Moves, string Source, string Owner, string LostReason)
{
    /// <summary>Whether it was won; null where it is open.</summary>
    public bool? Won => Moves[^1].Won;
}

/// <summary>How long opportunities stand in a stage until they come to a later one.</summary>
/// <param name="Stage">The stage.</param>
/// <param name="Count">How many have come into it.</param>
/// <param name="WentOn">How many have gone on from it: to a later stage, or won.</param>
/// <param name="Curve">The share that still stands in it after so many days, with its band; those that stand in it still, or were lost from it, are censored.</param>
/// <param name="MedianDays">Days until half have gone on; null where it does not come to that, or where too few have been in it.</param>
public sealed record StageTime(string Stage, int Count, int WentOn, IReadOnlyList<BandStep> Curve, int? MedianDays);

/// <summary>The ways of a pipeline's opportunities, and what can be said from them (rule 14.4).</summary>
/// <param name="stages">The pipeline's stages in order, as opportunities name them.</param>
/// <param name="ways">All opportunities that were ever in it.</param>
/// <param name="today">Today.</param>
public sealed class StageHistory(IReadOnlyList<string> stages, IReadOnlyList<OpportunityWay> ways, LocalDate today)
{
    /// <summary>Under so many cases nothing is said.</summary>
    public const int Least = Forecast.Least;

    /// <summary>All ways.</summary>
    public IReadOnlyList<OpportunityWay> Ways => ways;

    /// <summary>How long each stage takes. A stage that was come into twice counts from the last time.</summary>
    public IReadOnlyList<StageTime> Times() => [.. stages.Select(TimeOf)];

    private StageTime TimeOf(string stage)
    {
        var waits = ways.Select(w => WaitIn(w, stage)).OfType<Wait>().ToList();
        var curve = KaplanMeier.Curve(waits);
        return new StageTime(
            stage,
            waits.Count,
            waits.Count(w => w.Ended),
            waits.Count < Least ? [] : KaplanMeier.Band(curve, Trust.Eighty),
            waits.Count < Least ? null : (int?)KaplanMeier.Median(curve)
        );
    }

    private Wait? WaitIn(OpportunityWay way, string stage)
    {
        var at = IndexOfLast(way.Moves, m => m.Stage == stage && m.Won is null);
        if (at < 0)
        {
            return null;
        }

        var place = IndexOf(stage);
        var next = way.Moves.Skip(at + 1).FirstOrDefault();
        var ended = next.Stage is not null && (next.Won == true || (next.Won is null && IndexOf(next.Stage) > place));
        return new Wait(Period.DaysBetween(way.Moves[at].At, next.Stage is null ? today : next.At), ended);
    }

    /// <summary>Of those that were closed, how many were won.</summary>
    /// <param name="some">Which of the ways.</param>
    public static Proportion WonOf(IEnumerable<OpportunityWay> some)
    {
        var closed = some.Where(w => w.Won is not null).ToList();
        return Proportion.Wilson(closed.Count(w => w.Won == true), closed.Count, Trust.NinetyFive);
    }

    /// <summary>How those that came into a stage went from there, for the <see cref="Forecast"/>.</summary>
    public IReadOnlyList<Course> CoursesFrom(string stage) =>
        [
            .. ways.Select(w => (Way: w, At: IndexOfLast(w.Moves, m => m.Stage == stage && m.Won is null)))
                .Where(w => w.At >= 0)
                .Select(w => new Course(Period.DaysBetween(w.Way.Moves[w.At].At, w.Way.Won is null ? today : w.Way.Moves[^1].At), w.Way.Won)),
        ];

    private int IndexOf(string stage)
    {
        for (var i = 0; i < stages.Count; i++)
        {
            if (stages[i] == stage)
            {
                return i;
            }
        }

        return -1;
    }

    private static int IndexOfLast(IReadOnlyList<StageMove> moves, Func<StageMove, bool> which)
    {
        for (var i = moves.Count - 1; i >= 0; i--)
        {
            if (which(moves[i]))
            {
                return i;
            }
        }

        return -1;
    }
}
