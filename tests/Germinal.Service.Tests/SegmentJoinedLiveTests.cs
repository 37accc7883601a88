using System.Data.Common;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Rules;
using Germinal.Service.Segments;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.EntityFrameworkCore.Diagnostics;

namespace Germinal.Service.Tests;

/// <summary>Rule 5.1, segment joined, live: switched on, an event, time, a pause, and the segment itself changed.</summary>
public sealed class SegmentJoinedLiveTests
{
    private const string Task = """{"id":"a","kind":"task","title":"t"}""";

    private static async Task<SegmentRow> SegmentAsync(World world, string name, Rule rule)
    {
        await using var db = world.Db();
        var row = new SegmentRow
        {
            Id = Guid.NewGuid(),
            PracticeId = world.Practice,
            Name = name,
            Rule = RuleReader.Write(rule).ToJsonString(),
            By = "Ada",
        };
        db.Segments.Add(row);
        await db.SaveChangesAsync();
        await db.Practices.ExecuteUpdateAsync(u => u.SetProperty(p => p.Edition, p => p.Edition + 1));
        return row;
    }

    private static async Task<string[]> StartedAsync(World world)
    {
        await using var db = world.Db();
        return await db.Runs.Join(db.People, r => r.PersonId, p => p.Id, (r, p) => p.FirstName!).OrderBy(n => n).ToArrayAsync();
    }

    private static string When(string segment, string again = "never") =>
        $$"""
        "again":"{{again}}","startsWhen":[{"kind":"segment-joined","segment":{{segment}}}]
        """;

    /// <summary>Does something once, just before the reactor asks the database for one thing.</summary>
    private sealed class Once(string asked, Func<Task> act) : DbCommandInterceptor
    {
        private int done;

        public override async ValueTask<InterceptionResult<DbDataReader>> ReaderExecutingAsync(
            DbCommand command,
            CommandEventData eventData,
            InterceptionResult<DbDataReader> result,
            CancellationToken cancellationToken = default
        )
        {
            if (command.CommandText.Contains(asked, StringComparison.Ordinal) && Interlocked.Exchange(ref done, 1) == 0)
            {
                await act();
            }

            return result;
        }
    }

    /// <summary>Whoever begins to match while a worker reads them is started, whatever it has read of them already.</summary>
    [Theory]
    [InlineData("FROM person_states WHERE person_id = ANY")]
    [InlineData("FROM events AS e\nWHERE e.practice_id")]
    [InlineData("FROM people AS p\nWHERE p.practice_id")]
    [InlineData("FROM person_states AS p\nWHERE p.practice_id")]
    public async Task Who_begins_to_match_while_they_are_read_is_started(string asked)
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await SegmentAsync(world, "Warm ones", new Leaf("tags", RuleOp.Has, ["warm"]));
        var bo = await world.PersonAsync("Bo");
        await world.ProgramAsync("Waits", When("\"Warm ones\""), Task);
        await world.WorkAsync();
        await world.DoAsync(desk => desk.RecordAsync(bo.Id, new FactsChanged(desk.Now), default));
        var came = false;
        world.Database.Between = new Once(
            asked,
            async () =>
            {
                came = true;
                await world.DoAsync(desk => desk.PutTagAsync([bo.Id], "Warm", default));
            }
        );
        await world.WorkAsync();
        Assert.True(came);
        Assert.Equal(["Bo"], await StartedAsync(world));
    }

    [Fact]
    public async Task Who_begins_to_match_is_started_and_who_matched_before_is_not()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await SegmentAsync(world, "Warm ones", new AllOf([new Leaf("tags", RuleOp.Has, ["warm"]), new Leaf("first_name", RuleOp.IsNot, ["Zora"])]));
        await world.PersonAsync("Ida", p => p.Tags = ["warm"]);
        var (bo, zora) = (await world.PersonAsync("Bo"), await world.PersonAsync("Zora"));
        await world.WorkAsync();
        await world.ProgramAsync("Waits", When("\"warm ONES\""), Task);
        await world.WorkAsync();
        Assert.Empty(await StartedAsync(world));

        await world.DoAsync(desk => desk.PutTagAsync([bo.Id, zora.Id], "Warm", default));
        await world.WorkAsync();
        Assert.Equal(["Bo"], await StartedAsync(world));

        // Somebody new begins to match by coming in, and another event of hers starts nothing again.
        await world.PersonAsync("Una", p => p.Tags = ["warm"]);
        await world.MoveToAsync("2027-03-03T10:00");
        Assert.Equal(["Bo"], await StartedAsync(world));
        await using (var db = world.Db())
        {
            var una = await db.People.SingleAsync(p => p.FirstName == "Una");
            await world.DoAsync(desk => desk.PutTagAsync([una.Id], "another", default));
        }

        await world.WorkAsync();
        Assert.Equal(["Bo", "Una"], await StartedAsync(world));
    }

    [Fact]
    public async Task Time_alone_starts_at_the_beginning_of_a_date()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.PersonAsync("Ida", p => p.AddedAt = World.At("2027-02-25T09:00"));
        await world.PersonAsync("Old", p => p.AddedAt = World.At("2026-01-01T09:00"));
        await world.ProgramAsync("Waits", When("""{"field":"added","op":"not-in-last","value":"P10D"}"""), Task);
        await world.MoveToAsync("2027-03-06T23:00");
        Assert.Empty(await StartedAsync(world));
        await world.MoveToAsync("2027-03-09T10:00");
        Assert.Equal(["Ida"], await StartedAsync(world));
        await using var db = world.Db();
        Assert.Equal(World.At("2027-03-08T00:00"), (await db.Runs.SingleAsync()).StartedAt);
    }

    [Fact]
    public async Task A_segment_that_is_changed_starts_nobody_by_that_and_is_followed_from_then_on()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var segment = await SegmentAsync(world, "Some", new Leaf("tags", RuleOp.Has, ["warm"]));
        await SegmentAsync(world, "Outer", new AllOf([new Leaf("segment", RuleOp.Has, ["some"])]));
        var (ida, bo) = (await world.PersonAsync("Ida", p => p.Tags = ["cold"]), await world.PersonAsync("Bo"));
        await world.ProgramAsync("Waits", When("\"Outer\"", "each-time"), Task);
        await world.WorkAsync();
        await using (var db = world.Db())
        {
            await using var transaction = await db.Database.BeginTransactionAsync();
            (await db.Segments.SingleAsync(s => s.Id == segment.Id)).Rule = RuleReader.Write(new Leaf("tags", RuleOp.Has, ["cold"])).ToJsonString();
            await db.SaveChangesAsync();
            await db.Practices.ExecuteUpdateAsync(u => u.SetProperty(p => p.Edition, p => p.Edition + 1));
            await SegmentSeeds.NoteChangeAsync(db, "Some", await world.NowAsync(), default);
            await transaction.CommitAsync();
        }

        await world.DoAsync(desk => desk.PutTagAsync([ida.Id], "other", default));
        await world.WorkAsync();
        Assert.Empty(await StartedAsync(world));
        await world.DoAsync(desk => desk.PutTagAsync([bo.Id], "cold", default));
        await world.WorkAsync();
        Assert.Equal(["Bo"], await StartedAsync(world));
        await world.DoAsync(desk => desk.TakeTagAsync([ida.Id], "cold", default));
        await world.WorkAsync();
        await world.DoAsync(desk => desk.PutTagAsync([ida.Id], "cold", default));
        await world.WorkAsync();
        Assert.Equal(["Bo", "Ida"], await StartedAsync(world));
    }

    [Fact]
    public async Task Who_begins_to_match_while_the_program_is_paused_is_not_started_when_it_goes_on()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var (ida, bo) = (await world.PersonAsync("Ida"), await world.PersonAsync("Bo"));
        var id = await world.ProgramAsync("Waits", When("""{"field":"tags","op":"has","value":"warm"}"""), Task);
        await world.WorkAsync();
        async Task PauseAsync(bool paused)
        {
            await using var db = world.Db();
            await Programs.ProgramDesk.SetPausedAsync(db, await db.Programs.SingleAsync(p => p.Id == id), paused, null, await world.NowAsync(), default);
        }

        await PauseAsync(true);
        await world.DoAsync(desk => desk.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        await PauseAsync(false);
        await world.WorkAsync();
        Assert.Empty(await StartedAsync(world));
        await world.DoAsync(desk => desk.PutTagAsync([bo.Id], "warm", default));
        await world.WorkAsync();
        Assert.Equal(["Bo"], await StartedAsync(world));
    }
}
