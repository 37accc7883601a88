using Germinal.Channels.Letters;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Service.Programs;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Tests;

/// <summary>Walking through a program: what is done changes what comes, nothing is saved, and a kept walk is a test.</summary>
public sealed class ProgramWalkTests
{
    private const string Steps =
        """{"id":"hello","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Hello {{ person.first_name }}","body":"<p><a href=\"https://example.com/book\" data-name=\"Book\">Book</a></p>"},{"id":"asks","kind":"fork","when":{"from":"previous","offset":"P0D"},"within":"P3D","if":{"kind":"link-followed","step":"hello","link":"Book"},"then":[{"id":"met","kind":"change","when":{"from":"previous","offset":"P2D"},"set":[{"stage":"Planning/First meeting"}]}],"else":[{"id":"again","kind":"email","when":{"from":"previous","offset":"P0D"},"subject":"Again","body":"b"}]}""";

    private static async Task<(World World, Guid Program, Guid Ida)> BeginAsync()
    {
        var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        return (world, await world.ProgramAsync("Walked", "\"startsWhen\":[{\"kind\":\"by-hand\"}]", Steps), ida.Id);
    }

    private static ProgramWalk Walks(World world)
    {
        var liquid = new LiquidLetters();
        return new ProgramWalk(world.Programs, new LetterDesk(liquid, new LetterWriter(liquid, world.Links)), liquid);
    }

    private static async Task<WalkDto> WalkAsync(World world, Guid id, Guid person, params WalkMoveDto[] moves)
    {
        await using var db = world.Db();
        var program = ShelfReading.Definition((await db.Programs.SingleAsync(p => p.Id == id)).Draft);
        return (await Walks(world).WalkAsync(db, id, program, person, moves, default))!;
    }

    [Fact]
    public async Task Who_follows_the_link_stands_in_the_next_stage_and_who_does_not_is_asked_again()
    {
        var (world, id, ida) = await BeginAsync();
        await using var _ = world;
        var quiet = await WalkAsync(world, id, ida);
        Assert.Equal(["hello", "asks", "again"], quiet.Lines.Select(l => l.StepId));
        Assert.Equal("Hello Ida", quiet.Lines[0].Subject);
        Assert.Equal(["Book"], quiet.Lines[0].Links);
        Assert.Equal("no", quiet.Lines[1].Reason);
        Assert.NotEmpty(quiet.Lines[0].Why);
        Assert.Empty(quiet.Changed);

        var follows = await WalkAsync(world, id, ida, new WalkMoveDto("hello", "follow", "Book", 5));
        Assert.Equal(["hello", "asks", "met"], follows.Lines.Select(l => l.StepId));
        Assert.Equal("2027-03-01T20:00:00Z", follows.Played[0].At);
        Assert.Equal(["they stand in First meeting"], follows.Changed);

        await using var db = world.Db();
        Assert.Equal((0, 0), (await db.Runs.CountAsync(), await db.Touches.CountAsync()));
        Assert.Null((await db.People.SingleAsync(p => p.Id == ida)).Stage);
    }

    [Fact]
    public async Task A_kept_walk_goes_as_it_went_until_the_program_is_changed_and_says_what_goes_otherwise()
    {
        var (world, id, ida) = await BeginAsync();
        await using var _ = world;
        await using var db = world.Db();
        var row = await db.Programs.SingleAsync(p => p.Id == id);
        var program = ShelfReading.Definition(row.Draft);
        var moves = new[] { new WalkMoveDto("hello", "follow", "Book", 5) };
        Assert.Equal((null, false), await Walks(world).KeepAsync(db, id, program, "follows Book", ida, moves, "Ada", default));
        Assert.Empty(Assert.Single(await Walks(world).KeptAsync(db, id, program, default)).Differences);

        // The practice's moment moves on: the walk is still the one that was kept.
        await world.MoveToAsync("2027-04-01T10:00");
        Assert.Empty(Assert.Single(await Walks(world).KeptAsync(db, id, program, default)).Differences);

        var later = ShelfReading.Definition(row.Draft.Replace("\"P2D\"", "\"P4D\"", StringComparison.Ordinal));
        Assert.Contains("“met” came on day 2, and comes on day 4.", Assert.Single(await Walks(world).KeptAsync(db, id, later, default)).Differences);
        var renamed = ShelfReading.Definition(row.Draft.Replace("First meeting", "Plan", StringComparison.Ordinal));
        Assert.Contains(Assert.Single(await Walks(world).KeptAsync(db, id, renamed, default)).Differences, d => d.Contains("First meeting", StringComparison.Ordinal));

        await db.People.Where(p => p.Id == ida).ExecuteDeleteAsync();
        Assert.Contains("no longer here", Assert.Single(Assert.Single(await Walks(world).KeptAsync(db, id, program, default)).Differences), StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_trial_goes_to_the_member_marked_unwatched_and_counted_nowhere()
    {
        var (world, id, ida) = await BeginAsync();
        await using var _ = world;
        await using var db = world.Db();
        var program = ShelfReading.Definition((await db.Programs.SingleAsync(p => p.Id == id)).Draft);
        var facts = (await FactsReading.LoadAsync(db, [ida], default))[ida];
        var trials = new TrialMail(new LetterWriter(new LiquidLetters(), world.Links), world.Links, world.Mail, new Secrets(new EphemeralDataProtectionProvider()), new CarriedFiles(world.Database));
        var letter = (Core.Programs.EmailStep)program.StepOf("hello")!;
        Assert.Null(await trials.SendAsync(db, program, letter, facts, world.Ada, default));
        var sent = Assert.Single(world.Mail.Sent);
        Assert.Equal("Trial: Hello Ida", sent.Subject);
        Assert.Equal("ada@example.com", Assert.Single(sent.To.Mailboxes).Address);
        Assert.Contains("https://example.com/book", sent.HtmlBody, StringComparison.Ordinal);
        Assert.DoesNotContain("<img", sent.HtmlBody, StringComparison.Ordinal);
        Assert.Equal((0, 0), (await db.Messages.CountAsync(), await db.Touches.CountAsync()));
        Assert.NotNull(await trials.SendAsync(db, program, letter, facts with { FirstName = null }, world.Ada, default));
        Assert.NotNull(await trials.SendAsync(db, program, letter, facts, Guid.NewGuid(), default));
    }
}
