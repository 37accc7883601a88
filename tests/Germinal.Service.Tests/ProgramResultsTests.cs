using Germinal.Core.Broadcasts;
using Germinal.Core.Engine;
using Germinal.Core.Results;
using Germinal.Service.Broadcasts;
using Germinal.Service.Engine;
using Germinal.Service.Incoming;
using Germinal.Service.Programs;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Tests;

/// <summary>A program's page of results: what was sent, what that did, and what can be said of its effect.</summary>
public sealed class ProgramResultsTests
{
    private const string Steps = """
        {"id":"one","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"First","body":"<p><a href=\"https://example.com/a\">a</a></p>"},
        {"id":"two","kind":"email","when":{"from":"previous","offset":"P7D"},"subject":"Second","body":"b"}
        """;

    private static async Task<(World World, Guid Program, List<Guid> People)> StartedAsync(int people, int holdOut)
    {
        var world = await World.AtAsync("2027-03-01T10:00");
        var program = await world.ProgramAsync("Year-round", $$""" "startsWhen":[{"kind":"by-hand"}],"holdOut":{{holdOut}} """, Steps);
        var all = new List<Guid>();
        foreach (var n in Enumerable.Range(0, people))
        {
            all.Add((await world.PersonAsync($"P{n}")).Id);
        }

        await world.DoAsync(d => d.StartProgramAsync([.. all], program, false, default));
        await world.MoveToAsync("2027-03-20T10:00");
        return (world, program, all);
    }

    private static async Task<ProgramResultsDto> ReadAsync(World world, Guid program, BroadcastGoal goal, int? version = null)
    {
        await using var db = world.Db();
        var definition = (await world.Programs.EngineAsync(db, default)).Shelf.Find(program, 1).Definition;
        return await new ProgramResults(db, program, version, await world.NowAsync()).ReadAsync(definition, goal, default);
    }

    private static async Task WonAsync(World world, IEnumerable<Guid> people, string at)
    {
        await using var db = world.Db();
        db.Events.AddRange(people.Select(p => new EventRow { PracticeId = world.Practice, PersonId = p, At = World.At(at), Kind = EventKinds.Won, HandledAt = World.At(at) }));
        await db.SaveChangesAsync();
    }

    [Fact]
    public async Task Lift_is_the_difference_to_those_held_out_with_its_interval()
    {
        var (world, program, people) = await StartedAsync(120, 40);
        await using var _ = world;
        await using var db = world.Db();
        var held = await db.Refusals.Where(r => r.ProgramId == program && r.Reason == "held-out").Select(r => r.PersonId).ToListAsync();
        var on = people.Except(held).ToList();
        Assert.InRange(held.Count, 30, 66);
        await WonAsync(world, on.Take(30), "2027-03-05T10:00");
        await WonAsync(world, on.Take(5), "2027-03-06T10:00");
        await WonAsync(world, held.Take(4), "2027-03-05T10:00");

        // Outside the span, and before it began: neither counts.
        await WonAsync(world, on.Skip(30).Take(10), "2027-03-15T10:00");
        await WonAsync(world, held.Skip(4).Take(10), "2027-02-20T10:00");
        var lift = (await ReadAsync(world, program, new BroadcastGoal("won", "", "P10D"))).Lift;
        Assert.Equal((30, on.Count, 4, held.Count), (lift.OnIt.Number, lift.OnIt.Of, lift.HeldOut!.Number, lift.HeldOut.Of));
        var beside = Comparison.Of(30, on.Count, 4, held.Count, Trust.NinetyFive);
        Assert.Equal((beside.Difference, beside.Low, beside.High), (lift.Difference!.Value, lift.Low!.Value, lift.High!.Value));
        Assert.StartsWith("More came", lift.Says, StringComparison.Ordinal);

        // Whose span is not over is in neither count: nothing is said too early.
        var early = (await ReadAsync(world, program, new BroadcastGoal("won", "", "P30D"))).Lift;
        Assert.Equal((0, (ResultLine?)null), (early.OnIt.Of, early.HeldOut));
    }

    [Fact]
    public async Task Without_a_hold_out_no_number_is_called_an_effect()
    {
        var (world, program, people) = await StartedAsync(5, 0);
        await using var _ = world;
        await WonAsync(world, people, "2027-03-05T10:00");
        var lift = (await ReadAsync(world, program, new BroadcastGoal("won", "", "P10D"))).Lift;
        Assert.Equal((5, (double?)null, (ResultLine?)null), (lift.OnIt.Number, lift.Difference, lift.HeldOut));
        Assert.Contains("without a hold-out", lift.Says, StringComparison.Ordinal);
    }

    [Fact]
    public async Task Steps_runs_and_answers_are_what_happened()
    {
        var (world, program, people) = await StartedAsync(40, 0);
        await using var _ = world;
        List<TouchRow> touches = await world.TouchesAsync();
        var visits = new LinkVisits(world.Database);
        foreach (var touch in touches.Where(t => t.StepId == "one").Take(32))
        {
            await visits.OpenedAsync(touch.Id, "Mozilla/5.0 (X11; Linux) Firefox/140", false, default);
        }

        await visits.OpenedAsync(touches.First(t => t.StepId == "two").Id, "Mozilla/5.0 (X11; Linux) Firefox/140", false, default);
        await using (var db = world.Db())
        {
            var one = touches.First(t => t.StepId == "one");
            db.Received.Add(new ReceivedRow { PracticeId = world.Practice, PersonId = one.PersonId, TouchId = one.Id, Channel = "email", Kind = "reply", FromAddress = "x@example.com", At = World.At("2027-03-04T10:00"), Key = "k" });
            await db.SaveChangesAsync();
        }

        var results = await ReadAsync(world, program, new BroadcastGoal());
        Assert.Equal((40, 0, 40, 0), (results.Runs.Started, results.Runs.Going, results.Runs.Finished, results.Runs.Waiting));
        Assert.Equal(["one 40 32/40", "two 40 1/40"], results.Steps.Select(s => $"{s.StepId} {s.Sent} {s.Lines[0].Number}/{s.Lines[0].Of}"));
        Assert.Equal("two", results.Weakest);

        // One of forty, three days after the start.
        Assert.Equal((3, 1 / 40.0, (int?)null), (results.Answers.Single().Day, Math.Round(results.Answers.Single().Share, 6), results.AnswerDays));
        Assert.Equal(["2027-03 40 40 0"], results.Months.Select(m => $"{m.Month} {m.Started} {m.Finished} {m.Stopped}"));

        // Of one version the same comes from the touches as from the counts.
        var version = await ReadAsync(world, program, new BroadcastGoal(), 1);
        Assert.Equal(results.Steps.Select(s => $"{s.StepId} {s.Sent} {s.Delivered} {s.NotGone} {string.Join(' ', s.Lines.Select(l => l.Number))}"), version.Steps.Select(s => $"{s.StepId} {s.Sent} {s.Delivered} {s.NotGone} {string.Join(' ', s.Lines.Select(l => l.Number))}"));
        Assert.Empty((await ReadAsync(world, program, new BroadcastGoal(), 2)).Months);
        Assert.Equal(40, people.Count);
    }

    [Fact]
    public async Task Starts_that_wait_for_their_turn_are_counted()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var program = await world.ProgramAsync("Slow", """ "startsWhen":[{"kind":"by-hand"}],"startLimit":2 """, """{"id":"one","kind":"email","subject":"s","body":"b"}""");
        var people = new[] { await world.PersonAsync("A"), await world.PersonAsync("B"), await world.PersonAsync("C") };
        await world.DoAsync(d => d.StartProgramAsync([.. people.Select(p => p.Id)], program, false, default));
        await world.WorkAsync();
        var runs = (await ReadAsync(world, program, new BroadcastGoal())).Runs;
        Assert.Equal((2, 1), (runs.Started, runs.Waiting));
    }
}
