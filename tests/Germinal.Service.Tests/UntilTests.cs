using Germinal.Core.Engine;
using Germinal.Service.Programs;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>What ends by itself on a date, live: pauses, do not contact, and how long a task stands on the day sheet.</summary>
public sealed class UntilTests
{
    private const string Starts = "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}]";
    private const string Letter = """{"id":"a","kind":"email","when":{"from":"start","offset":"P1D"},"subject":"s","body":"b"}""";
    private static readonly LocalDate TenthOfMarch = new(2027, 3, 10);

    [Fact]
    public async Task A_pause_of_one_run_and_do_not_contact_end_at_the_beginning_of_their_date()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var paused = await world.PersonAsync("Paul");
        var away = await world.PersonAsync("Ava");
        var program = await world.ProgramAsync("Warm", Starts + ",\"again\":\"each-time\"", Letter);
        await world.DoAsync(d => d.PutTagAsync([paused.Id, away.Id], "warm", default));
        await world.WorkAsync();
        await world.DoAsync(d => d.RecordAsync(paused.Id, new ProgramPaused(d.Now, program, TenthOfMarch), default));
        await world.DoAsync(async d =>
        {
            await using var db = world.Db();
            await db
                .People.Where(p => p.Id == away.Id)
                .ExecuteUpdateAsync(u =>
                    u.SetProperty(p => p.DoNotContact, true).SetProperty(p => p.DoNotContactReason, "travels").SetProperty(p => p.DoNotContactUntil, TenthOfMarch)
                );
            await d.RecordAsync(away.Id, new LeftForGood(d.Now, "do-not-contact", TenthOfMarch), default);
        });
        await world.WorkAsync();
        await world.MoveToAsync("2027-03-09T23:59");
        Assert.Empty(world.Mail.Sent);
        await using (var db = world.Db())
        {
            Assert.Equal(World.At("2027-03-10T00:00"), (await db.Runs.SingleAsync(r => r.PersonId == paused.Id)).PausedUntil);
            Assert.True((await db.People.SingleAsync(p => p.Id == away.Id)).DoNotContact);
        }

        await world.MoveToAsync("2027-03-10T00:00");
        Assert.Equal("paul@example.com", Assert.Single(world.Mail.Sent).To.Mailboxes.Single().Address);
        await using (var db = world.Db())
        {
            var row = await db.People.SingleAsync(p => p.Id == away.Id);
            Assert.Equal((false, null, null), (row.DoNotContact, row.DoNotContactReason, row.DoNotContactUntil));
            var run = await db.Runs.SingleAsync(r => r.PersonId == paused.Id);
            Assert.Equal((null, null), (run.PausedAt, run.PausedUntil));

            // What was stopped does not go on; the thread says what the calendar did.
            Assert.Equal("do-not-contact", (await db.Runs.SingleAsync(r => r.PersonId == away.Id)).StopReason);
            Assert.True(await db.Events.AnyAsync(e => e.PersonId == away.Id && e.Kind == "may-contact" && e.By == null));
            Assert.True(await db.Events.AnyAsync(e => e.PersonId == paused.Id && e.Kind == "run-resumed" && e.By == null));
        }

        await world.DoAsync(d => d.RecordAsync(away.Id, new StartedByHand(d.Now, program, "Ada"), default));
        await world.MoveToAsync("2027-03-12T00:00");
        Assert.Equal(2, world.Mail.Sent.Count);
    }

    [Fact]
    public async Task A_pause_of_a_whole_program_ends_by_itself_while_the_clock_moves_and_every_worker_agrees()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = new List<Guid>();
        for (var i = 0; i < 20; i++)
        {
            people.Add((await world.PersonAsync($"P{i}")).Id);
        }

        var id = await world.ProgramAsync("Warm", Starts, Letter);
        await world.DoAsync(d => d.PutTagAsync([.. people], "warm", default));
        await world.WorkAsync();
        await using (var db = world.Db())
        {
            await ProgramDesk.SetPausedAsync(
                db,
                await db.Programs.SingleAsync(p => p.Id == id),
                true,
                World.At("2027-03-10T00:00"),
                await world.NowAsync(),
                default
            );
        }

        // What is to start it meanwhile does not, and is not made up for.
        var late = await world.PersonAsync("Late");
        await world.DoAsync(d => d.PutTagAsync([late.Id], "warm", default));
        await world.MoveToAsync("2027-03-09T12:00");
        Assert.Empty(world.Mail.Sent);
        await using (var db = world.Db())
        {
            var clock = await db.Clock.SingleAsync();
            (clock.MoveFrom, clock.MoveTo) = (clock.Now, World.At("2027-03-20T00:00"));
            await db.SaveChangesAsync();
        }

        var rooms = Enumerable.Range(0, 3).Select(_ => world.NewRoom()).ToList();
        await Task.WhenAll(
            rooms.Select(r =>
                Task.Run(async () =>
                {
                    while (await r.WorkAsync(default)) { }
                })
            )
        );
        Assert.Equal(20, world.Mail.Sent.Count);
        Assert.All(await world.TouchesAsync(), t => Assert.Equal(World.At("2027-03-10T00:00"), t.SettledAt));
        await using var after = world.Db();
        var program = await after.Programs.SingleAsync(p => p.Id == id);
        Assert.Equal(("on", null), (program.Status, program.PausedUntil));
    }

    [Fact]
    public async Task Rule_3_8_a_call_nobody_made_leaves_the_sheet_as_missed_and_the_run_goes_on()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync(
            "Warm",
            Starts,
            """{"id":"c","kind":"call","when":{"from":"start","offset":"P1D"},"script":"Ring","holds":true,"missedAfter":"P3D"},"""
                + """{"id":"n","kind":"email","when":{"from":"previous","offset":"P0D"},"subject":"s","body":"b"}"""
        );
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        await world.MoveToAsync("2027-03-04T12:00");
        Assert.Equal("open", (await world.TouchesAsync())[0].Status.Word());
        await world.MoveToAsync("2027-03-06T12:00");
        var call = (await world.TouchesAsync())[0];
        Assert.Equal(("skipped", "missed", World.At("2027-03-05T09:00")), (call.Status.Word(), call.Reason, call.ClosedAt));
        Assert.Single(world.Mail.Sent);
    }
}
