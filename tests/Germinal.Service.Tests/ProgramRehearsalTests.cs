using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Service.Programs;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Logging.Abstractions;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>A program rehearsed over a whole practice: its numbers are those of the engine, person by person.</summary>
public sealed class ProgramRehearsalTests
{
    private const string Starts = "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}]";
    private const string Steps =
        """{"id":"hello","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"s","body":"b"},{"id":"ring","kind":"call","when":{"from":"start","offset":"P3D"},"script":"x"},{"id":"short","kind":"text","when":{"from":"start","offset":"P10D"},"body":"A word"},{"id":"later","kind":"email","when":{"from":"start","offset":"P400D"},"subject":"s","body":"b"}""";

    private static readonly MessagePrices Prices = new(0.01m, 0.05m, 2m, "USD");

    private static async Task<(World World, Guid Program)> WarmPeopleAsync()
    {
        var world = await World.AtAsync("2027-03-01T10:00");
        foreach (var (name, tags) in new[] { ("Ida", "warm"), ("Bo", "warm"), ("Una", "warm"), ("Cold", "cold") })
        {
            var person = await world.PersonAsync(name);
            await using var db = world.Db();
            await db.People.Where(p => p.Id == person.Id).ExecuteUpdateAsync(u => u.SetProperty(p => p.Tags, new List<string> { tags }));
            if (name == "Una")
            {
                await db.People.Where(p => p.Id == person.Id).ExecuteUpdateAsync(u => u.SetProperty(p => p.Email, (string?)null));
            }
        }

        return (world, await world.ProgramAsync("Warm", Starts, Steps));
    }

    private static async Task<RehearsalResult> RunAsync(World world, Guid id, Action<int, int>? progress = null, int days = 365)
    {
        await using var db = world.Db();
        var program = ShelfReading.Definition((await db.Programs.SingleAsync(p => p.Id == id)).Draft);
        var now = World.At("2027-03-01T10:00");
        return await new ProgramRehearsal(world.Programs, world.Letters).RunAsync(db, id, program, now, now + Duration.FromDays(days), Prices, progress ?? ((_, _) => { }), default);
    }

    [Fact]
    public async Task It_starts_for_those_who_qualify_and_counts_what_the_engine_gives_each_of_them()
    {
        var (world, id) = await WarmPeopleAsync();
        await using var _ = world;
        var seen = new List<(int, int)>();
        var result = await RunAsync(world, id, (done, of) => { lock (seen) { seen.Add((done, of)); } });
        Assert.Equal((4, 3), (result.LookedAt, result.Starting));
        Assert.Equal((0, 4), seen[0]);
        Assert.Contains((4, 4), seen);

        await using var db = world.Db();
        var program = ShelfReading.Definition((await db.Programs.SingleAsync(p => p.Id == id)).Draft);
        var (from, until) = (World.At("2027-03-01T10:00"), World.At("2027-03-01T10:00") + Duration.FromDays(365));
        var counted = new Dictionary<string, int>();
        foreach (var who in result.Who)
        {
            var line = (await new ProgramRehearsal(world.Programs, world.Letters).OfOneAsync(db, id, program, who.Person.Id, from, until, default))!;
            var goes = line.Where(t => t.Here && t.Touch.Outcome is Outcome.Sent or Outcome.Open or Outcome.Done).ToList();
            Assert.Equal(who.Touches, goes.Count);
            foreach (var touch in goes)
            {
                counted[touch.Touch.Step.Kind] = counted.GetValueOrDefault(touch.Touch.Step.Kind) + 1;
            }
        }

        Assert.Equal(counted.OrderBy(c => c.Key), result.Counts.OrderBy(c => c.Key));
        Assert.Equal(result.Counts.Where(c => c.Key != "call").Sum(c => c.Value), result.Weeks.Sum(w => w.Messages));
        Assert.Equal(result.Counts.GetValueOrDefault("call"), result.Weeks.Sum(w => w.Calls));
        Assert.Equal(result.Counts.GetValueOrDefault("call"), result.Members.Sum(m => m.Calls));
        Assert.Equal(0.01m * result.Counts.GetValueOrDefault("email") + 0.05m * result.Counts.GetValueOrDefault("text"), result.Price);
        Assert.Contains(result.Held, h => h.People.Any(p => p.Name.StartsWith("Una", StringComparison.Ordinal)));
        Assert.Equal(0, result.Finished);
    }

    [Fact]
    public async Task Nothing_of_it_is_kept_and_what_goes_out_anyway_is_told_apart()
    {
        var (world, id) = await WarmPeopleAsync();
        await using var _ = world;
        var other = await world.ProgramAsync("Other", Starts, """{"id":"x","kind":"email","when":{"from":"start","offset":"P20D"},"subject":"s","body":"b"}""");
        await using var db = world.Db();
        var (programs, touches, runs) = (await db.Programs.CountAsync(), await db.Touches.CountAsync(), await db.Runs.CountAsync());
        var result = await RunAsync(world, id);
        Assert.Equal((programs, touches, runs), (await db.Programs.CountAsync(), await db.Touches.CountAsync(), await db.Runs.CountAsync()));
        Assert.NotEqual(id, other);
        Assert.Equal(0, result.Weeks.Sum(w => w.MessagesAnyway));
    }

    [Fact]
    public async Task It_can_be_stopped_and_one_begun_anew_takes_its_place_and_the_last_is_kept_for_comparing()
    {
        var (world, id) = await WarmPeopleAsync();
        await using var _ = world;
        using var room = new RehearsalRoom(world.Database, new ProgramRehearsal(world.Programs, world.Letters), NullLogger<RehearsalRoom>.Instance);
        await using var db = world.Db();
        var row = await db.Programs.SingleAsync(p => p.Id == id);
        var program = ShelfReading.Definition(row.Draft);
        var now = World.At("2027-03-01T10:00");
        Assert.Null(room.StateOf(db, id));

        async Task<RehearsalState> EndAsync()
        {
            while (room.StateOf(db, id)!.Running)
            {
                await Task.Delay(10);
            }

            return room.StateOf(db, id)!;
        }

        room.Begin(db, id, 1, program, now, now + Duration.FromDays(30), Prices);
        room.Stop(db, id);
        var stopped = await EndAsync();
        Assert.True(stopped.Result is not null || stopped.Trouble is not null);
        room.Begin(db, id, 2, program, now, now + Duration.FromDays(30), Prices);
        room.Begin(db, id, 3, program, now, now + Duration.FromDays(40), Prices);
        var state = await EndAsync();
        Assert.Equal((3, null), (state.DraftNumber, state.Trouble));
        Assert.Equal(3, state.Result!.Starting);
        room.Begin(db, id, 4, program, now, now + Duration.FromDays(30), Prices);
        state = await EndAsync();
        Assert.Equal(3, state.Before!.Starting);
    }

    [Fact]
    public async Task One_that_goes_wrong_says_so_and_gives_its_place_back()
    {
        var (world, id) = await WarmPeopleAsync();
        await using var _ = world;
        using var room = new RehearsalRoom(world.Database, new ProgramRehearsal(world.Programs, world.Letters), NullLogger<RehearsalRoom>.Instance);
        await using var db = world.Db();
        var row = await db.Programs.SingleAsync(p => p.Id == id);
        var program = ShelfReading.Definition(row.Draft);
        for (var i = 0; i < 4; i++)
        {
            // A practice that is not there: nothing can be read for it.
            await using var nowhere = world.Database.For(Guid.NewGuid());
            room.Begin(nowhere, id, 1, program, World.At("2027-03-01T10:00"), World.At("2027-04-01T10:00"), Prices);
            while (room.StateOf(db, id)!.Running)
            {
                await Task.Delay(10);
            }

            Assert.NotNull(room.StateOf(db, id)!.Trouble);
        }
    }
}
