using Germinal.Core.Results;
using NodaTime;

namespace Germinal.Core.Tests.Results;

/// <summary>A pipeline's ways (rule 14.4).</summary>
public sealed class StageHistoryTests
{
    private static readonly LocalDate Begin = new(2027, 1, 1);
    private static readonly string[] Stages = ["P/A", "P/B", "P/C"];

    /// <summary>“A0 B10 won15”: in A on the first day, in B on the tenth, won on the fifteenth.</summary>
    private static OpportunityWay Way(string words) =>
        new(
            [
                .. words
                    .Split(' ')
                    .Select(w =>
                    {
                        var letters = w.TrimEnd("0123456789".ToCharArray());
                        return (Word: letters, Day: int.Parse(w[letters.Length..], System.Globalization.CultureInfo.InvariantCulture));
                    })
                    .Aggregate(
                        new List<StageMove>(),
                        (moves, w) =>
                        {
                            moves.Add(
                                w.Word is "won" or "lost" ? new StageMove(Begin.PlusDays(w.Day), moves[^1].Stage, w.Word == "won") : new StageMove(Begin.PlusDays(w.Day), $"P/{w.Word}", null)
                            );
                            return moves;
                        }
                    ),
            ],
            "web form",
            "",
            ""
        );

    private static StageHistory Of(params string[] ways) => new(Stages, [.. ways.Select(Way)], Begin.PlusDays(100));

    [Fact]
    public void Those_lost_or_still_there_are_censored_not_dropped()
    {
        // 40 went on after 10 days, 40 were lost after 5, 20 stand there still.
        var history = Of([.. Enumerable.Repeat("A0 B10", 40), .. Enumerable.Repeat("A0 lost5", 40), .. Enumerable.Repeat("A0", 20)]);
        var a = history.Times()[0];
        Assert.Equal((100, 40), (a.Count, a.WentOn));

        // At ten days 60 were there: a third stays longer (40 of 60 went on).
        var step = Assert.Single(a.Curve);
        Assert.Equal((10m, 60, 40), (step.Step.Time, step.Step.AtRisk, step.Step.Ended));
        Assert.Equal(10, a.MedianDays);
    }

    [Fact]
    public void Won_from_a_stage_is_going_on_and_back_is_not()
    {
        Assert.Equal(1, Of("A0 won7").Times()[0].WentOn);
        Assert.Equal(0, Of("B0 A7").Times()[1].WentOn);

        // One that came twice counts from the last time.
        var twice = Of([.. Enumerable.Repeat("A0 B10 A20 B23", 30)]);
        Assert.Equal(3, twice.Times()[0].MedianDays);
    }

    [Fact]
    public void Under_thirty_nothing_is_said()
    {
        Assert.Equal((null, 0), (Of([.. Enumerable.Repeat("A0 B10", 29)]).Times()[0].MedianDays, Of([.. Enumerable.Repeat("A0 B10", 29)]).Times()[0].Curve.Count));
        Assert.Equal(10, Of([.. Enumerable.Repeat("A0 B10", 30)]).Times()[0].MedianDays);
    }

    [Fact]
    public void Of_those_closed_the_share_won_has_its_interval()
    {
        var share = StageHistory.WonOf(new[] { Enumerable.Repeat("A0 won1", 81), Enumerable.Repeat("A0 lost1", 182), ["A0"] }.SelectMany(w => w).Select(Way));
        Assert.Equal((263, 81), (share.Of, share.Some));

        // Newcombe 1998, as in ProportionTests.
        Assert.Equal((0.2553, 0.3662), (Math.Round(share.Low, 4), Math.Round(share.High, 4)));
    }

    [Fact]
    public void Courses_begin_where_they_came_into_the_stage()
    {
        var courses = Of("A0 B10 won15", "A0 lost5", "B40").CoursesFrom("P/B");
        Assert.Equal([new Course(5, true), new Course(60, null)], courses);
    }
}
