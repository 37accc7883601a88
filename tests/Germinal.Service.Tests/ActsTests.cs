using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Tests;

/// <summary>What a member does to many is looked at before, done as one act, and taken back as one.</summary>
public sealed class ActsTests
{
    private const string ByHand = "\"startsWhen\":[{\"kind\":\"by-hand\"}]";
    private const string ByTag = "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"Warm\"}]";
    private const string InAWeek = """{"id":"a","kind":"email","when":{"from":"start","offset":"P7D"},"subject":"Hello","body":"b"}""";
    private const string AtOnce = """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Hello","body":"b"}""";

    private static async Task<(Guid? Act, int Count)> DoAsync(World world, ActKind kind, string what, params Guid[] people)
    {
        await using var db = world.Db();
        var done = await new Acts(db, "Ada Quill", await world.NowAsync()).DoAsync(kind, what, people, default);
        return done;
    }

    private static async Task<ActUndone?> UndoAsync(World world, Guid act)
    {
        await using var db = world.Db();
        return await new Acts(db, "Ada Quill", await world.NowAsync()).UndoAsync(act, default);
    }

    [Fact]
    public async Task A_start_that_is_taken_back_never_was()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var program = await world.ProgramAsync("Letters", ByHand, InAWeek);
        var (ida, bo) = (await world.PersonAsync("Ida"), await world.PersonAsync("Bo"));
        var (act, count) = await DoAsync(world, ActKind.Start, program.ToString(), ida.Id, bo.Id);
        Assert.Equal(2, count);
        await world.WorkAsync();
        Assert.Equal(new ActUndone(2, 2, 0, 0, 0), await UndoAsync(world, act!.Value));
        await world.WorkAsync();
        await using (var db = world.Db())
        {
            Assert.All(await db.Runs.ToListAsync(), r => Assert.Equal(Reason.TakenBack.Word(), r.StopReason));
        }

        // `again: never` would refuse them had they been through it.
        await world.MoveToAsync("2027-03-02T10:00");
        await DoAsync(world, ActKind.Start, program.ToString(), ida.Id, bo.Id);
        await world.WorkAsync();
        await using var after = world.Db();
        Assert.Equal(2, await after.Runs.CountAsync(r => r.EndedAt == null));
        Assert.Empty(await after.Refusals.ToListAsync());
    }

    [Fact]
    public async Task Where_a_letter_has_gone_the_run_is_stopped_and_said_so()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var program = await world.ProgramAsync(
            "Letters",
            ByHand,
            AtOnce + """,{"id":"b","kind":"email","when":{"from":"start","offset":"P7D"},"subject":"Again","body":"b"}"""
        );
        var ida = await world.PersonAsync("Ida");
        var (act, _) = await DoAsync(world, ActKind.Start, program.ToString(), ida.Id);
        await world.WorkAsync();
        Assert.Single(world.Mail.Sent);
        Assert.Equal(new ActUndone(1, 0, 1, 0, 0), await UndoAsync(world, act!.Value));
        await world.MoveToAsync("2027-03-20T10:00");
        Assert.Single(world.Mail.Sent);
        await using var db = world.Db();
        Assert.Equal(Reason.ByHand.Word(), (await db.Runs.SingleAsync()).StopReason);
    }

    [Fact]
    public async Task A_start_the_engine_has_not_taken_in_yet_never_comes()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var program = await world.ProgramAsync("Letters", ByHand, AtOnce);
        var ida = await world.PersonAsync("Ida");
        var (act, _) = await DoAsync(world, ActKind.Start, program.ToString(), ida.Id);
        await UndoAsync(world, act!.Value);
        await world.WorkAsync();
        Assert.Empty(world.Mail.Sent);
    }

    [Fact]
    public async Task A_tag_a_stage_and_a_list_go_back_to_what_they_were()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.ProgramAsync("By tag", ByTag, InAWeek);
        var (ida, bo) = (await world.PersonAsync("Ida"), await world.PersonAsync("Bo"));
        await DoAsync(world, ActKind.Stage, "Planning/Client", ida.Id);
        await world.MoveToAsync("2027-03-05T10:00");
        var (tag, tagged) = await DoAsync(world, ActKind.Tag, "Warm", ida.Id, bo.Id);
        var (stage, _) = await DoAsync(world, ActKind.Stage, "Planning/Inquiry", ida.Id, bo.Id);
        var (list, _) = await DoAsync(world, ActKind.Join, "Evening", ida.Id);
        Assert.Equal(2, tagged);
        await world.WorkAsync();
        await using (var db = world.Db())
        {
            Assert.Equal(2, await db.Runs.CountAsync(r => r.EndedAt == null));
        }

        Assert.Equal(new ActUndone(2, 2, 0, 0, 0), await UndoAsync(world, tag!.Value));
        Assert.Equal(2, (await UndoAsync(world, stage!.Value))!.People);
        Assert.Equal(1, (await UndoAsync(world, list!.Value))!.People);
        await world.WorkAsync();
        await using var after = world.Db();
        var people = await after.People.OrderByDescending(p => p.FirstName).ToListAsync();
        Assert.Equal(["Planning/Client", null], people.Select(p => p.Stage));
        Assert.Equal(World.At("2027-03-01T10:00"), people[0].StageSince);
        Assert.All(people, p => Assert.Empty(p.Tags.Concat(p.Lists)));
        Assert.Equal(0, await after.Runs.CountAsync(r => r.EndedAt == null));
    }

    [Fact]
    public async Task What_somebody_has_changed_since_is_left_alone()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        var (first, _) = await DoAsync(world, ActKind.Stage, "Planning/Inquiry", ida.Id);
        await DoAsync(world, ActKind.Stage, "Planning/Client", ida.Id);
        Assert.Equal(new ActUndone(0, 0, 0, 1, 0), await UndoAsync(world, first!.Value));
        await using var db = world.Db();
        Assert.Equal("Planning/Client", (await db.People.SingleAsync()).Stage);
    }

    [Fact]
    public async Task Ten_that_take_back_at_once_do_it_once()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        var (act, _) = await DoAsync(world, ActKind.Tag, "Warm", ida.Id);
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => UndoAsync(world, act!.Value)));
        Assert.Single(answers, a => a is not null);
        await using var db = world.Db();
        Assert.Equal(1, await db.Events.CountAsync(e => e.Kind == EventKinds.Undone));
    }

    [Fact]
    public async Task What_it_would_do_is_told_before()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.ProgramAsync("By tag", ByTag, InAWeek);
        var program = await world.ProgramAsync("Letters", ByHand + ""","stopsWhen":[{"kind":"tag-added","tag":"Warm"}]""", InAWeek);
        var (ida, bo, cy) = (await world.PersonAsync("Ida"), await world.PersonAsync("Bo"), await world.PersonAsync("Cy"));
        await DoAsync(world, ActKind.Start, program.ToString(), ida.Id);
        await DoAsync(world, ActKind.Tag, "warm", cy.Id);
        await world.WorkAsync();
        await using (var db = world.Db())
        {
            (await db.People.SingleAsync(p => p.Id == bo.Id)).DoNotContact = true;
            await db.SaveChangesAsync();
        }

        await using var looking = world.Db();
        var previews = new ManyPreview(world.Engines());
        Guid[] all = [ida.Id, bo.Id, cy.Id];
        var tag = await previews.OfAsync(looking, ActKind.Tag, "warm", all, await world.NowAsync(), default);
        Assert.Equal((3, 1), (tag.People, tag.Unchanged));
        Assert.Equal(new ProgramCount("By tag", 1), Assert.Single(tag.Starts));
        Assert.Equal(new ProgramCount("Letters", 1), Assert.Single(tag.Stops));
        var refused = Assert.Single(tag.Refused);
        Assert.Equal(("By tag", "they are marked “do not contact”", 1), (refused.Program, refused.Reason, refused.Count));
        Assert.Equal("Bo Rowan", Assert.Single(refused.First).Name);
        var start = await previews.OfAsync(looking, ActKind.Start, program.ToString(), all, await world.NowAsync(), default);
        Assert.Equal(new ProgramCount("Letters", 1), Assert.Single(start.Starts));
        Assert.Equal(["it is running for them already", "they are marked “do not contact”"], start.Refused.Select(r => r.Reason).Order());
        Assert.Equal(2, await looking.Runs.CountAsync());
    }
}
