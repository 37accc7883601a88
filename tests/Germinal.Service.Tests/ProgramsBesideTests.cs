using Germinal.Core.Results;
using Germinal.Service.Broadcasts;
using Germinal.Service.Programs;

namespace Germinal.Service.Tests;

/// <summary>Two programs, or two versions of one, beside each other.</summary>
public sealed class ProgramsBesideTests
{
    private static ProgramResultsDto Results(string name, int? version, int won, int of, params (string Id, int Opened, int Delivered)[] steps) =>
        new(
            name,
            0,
            [1, 2],
            version,
            new RunsStand(of, 0, 0, 0, of / 2, [new ResultReason("replied", "replied", of - (of / 2))], []),
            [.. steps.Select(s => new StepResult(s.Id, "email", $"Subject of {s.Id}", s.Delivered, s.Delivered, [ResultLine.Some("opened", s.Opened, s.Delivered), ResultLine.Some("followed", 0, s.Delivered)], 0))],
            null,
            "",
            [],
            new CallResult(40, [ResultLine.Some("we spoke", 10, 40), ResultLine.Some("nobody there", 30, 40)]),
            [],
            null,
            new Lift("won", "", "P90D", ResultLine.Some("on-it", won, of), null, null, null, null, ""),
            []
        );

    [Fact]
    public void A_rate_is_compared_with_its_interval_and_told_apart_only_beside_all_the_others()
    {
        var beside = ProgramsBeside.Of(Results("First", null, 60, 200, ("a", 100, 200)), Results("Second", null, 20, 200, ("a", 96, 200)), areVersions: false, ["we spoke"]);
        Assert.Equal(("First", "Second"), (beside.One, beside.Other));
        var goal = beside.Lines.Single(l => l.What == "goal");
        var outside = Comparison.Of(60, 200, 20, 200, Trust.NinetyFive);
        Assert.Equal((outside.Difference, outside.Low, outside.High, true), (goal.Difference, goal.Low, goal.High, goal.Told));
        Assert.False(beside.Lines.Single(l => l.What == "opened").Told);
        var reached = beside.Lines.Single(l => l.What == "reached");
        Assert.Equal((10, 40, 10, 40), (reached.One.Number, reached.One.Of, reached.Other.Number, reached.Other.Of));
        Assert.Empty(beside.Steps);
        Assert.Equal("One number is told apart; chance alone would hardly do that. The two do not have the same people, so it may be them, and not the program.", beside.Says);
    }

    [Fact]
    public void Versions_are_compared_step_by_step_where_both_have_the_step()
    {
        var beside = ProgramsBeside.Of(Results("P", 1, 5, 50, ("a", 10, 50), ("b", 30, 50)), Results("P", 2, 5, 50, ("a", 40, 50), ("c", 30, 50)), areVersions: true, []);
        Assert.Equal(("version 1", "version 2"), (beside.One, beside.Other));
        Assert.Equal(["Subject of a: opened", "Subject of a: followed"], beside.Steps.Select(s => s.What));
        Assert.Equal([true, false], beside.Steps.Select(s => s.Told));
        Assert.Contains("Nobody chose by lot", beside.Says, StringComparison.Ordinal);
    }

    [Fact]
    public void Of_few_nothing_is_said()
    {
        var beside = ProgramsBeside.Of(Results("P", 1, 5, 29, ("a", 1, 29)), Results("P", 2, 20, 400, ("a", 300, 400)), areVersions: true, []);
        Assert.Equal(["reached"], beside.Lines.Select(l => l.What));
        Assert.Empty(beside.Steps);
        Assert.StartsWith("They cannot be told apart", beside.Says, StringComparison.Ordinal);
    }

    [Fact]
    public void Twenty_looks_at_noise_find_nothing_that_one_look_would()
    {
        // One rate at p of about 0.04 among nineteen that are the same: alone it would be told apart.
        (string, int, int)[] mine = [("x", 60, 200), .. Enumerable.Range(0, 19).Select(n => ($"s{n}", 50, 200))];
        (string, int, int)[] theirs = [("x", 42, 200), .. Enumerable.Range(0, 19).Select(n => ($"s{n}", 50, 200))];
        Assert.InRange(Comparison.Of(60, 200, 42, 200, Trust.NinetyFive).P, 0.02, 0.05);
        var beside = ProgramsBeside.Of(Results("P", 1, 20, 200, mine), Results("P", 2, 20, 200, theirs), areVersions: true, []);
        Assert.DoesNotContain(beside.Steps, s => s.Told);
    }
}
