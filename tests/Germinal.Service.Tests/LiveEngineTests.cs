using Germinal.Channels;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Service.Programs;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>Event log, reactor, dispatcher, sweep and clock on real PostgreSQL.</summary>
public sealed class LiveEngineTests
{
    private const string Hello =
        """{"id":"hello","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Hello {{ person.first_name }}","body":"<p>Dear {{ person.first_name }}</p>"}""";
    private const string Second = """{"id":"second","kind":"email","when":{"from":"start","offset":"P3D"},"subject":"Second","body":"b"}""";
    private const string Call = """{"id":"call","kind":"call","when":{"from":"start","offset":"P1D"},"script":"Ask"}""";
    private const string OnWarm = "\"at\":\"09:30\",\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}],\"stopsWhen\":[{\"kind\":\"replied\"}]";

    /// <summary>It is given up the moment after it was blocked, which the database has to be able to tell from the moment before.</summary>
    [Fact]
    public async Task What_cannot_be_filled_and_is_late_at_once_is_given_up_and_keeps_nobody_busy()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida", p => p.FirstName = null);
        await world.ProgramAsync(
            "P",
            "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}]",
            """{"id":"a","kind":"email","lateLimit":"P0D","when":{"from":"start","offset":"P0D"},"subject":"Hello {{ person.first_name }}","body":"b"}"""
        );
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        using var patience = new CancellationTokenSource(TimeSpan.FromSeconds(60));
        while (await world.Room.WorkAsync(patience.Token)) { }

        await world.MoveToAsync("2027-03-01T10:01");
        await using var db = world.Db();
        Assert.Equal(TouchStatus.GivenUp, (await db.Touches.SingleAsync()).Status);
    }

    [Fact]
    public async Task A_tag_starts_a_program_and_time_carries_it_through()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync("Eight", OnWarm, $"{Hello},{Call},{Second}");
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        Assert.Equal(["Hello Ida"], world.Mail.Sent.Select(m => m.Subject));
        await world.MoveToAsync("2027-03-10T09:00");
        Assert.Equal(["Hello Ida", "Second"], world.Mail.Sent.Select(m => m.Subject));
        var touches = await world.TouchesAsync();
        Assert.Equal([TouchStatus.Sent, TouchStatus.Open, TouchStatus.Sent], touches.Select(t => t.Status));
        Assert.Equal(World.At("2027-03-04T09:30"), touches[2].SettledAt);
        await using var db = world.Db();
        var state = await db.States.SingleAsync();
        Assert.Equal(World.At("2027-03-04T09:30"), state.LastTouchAt);
        Assert.Equal(Instant.MaxValue, state.NextTouchAt);
        Assert.All(await db.Runs.ToListAsync(), r => Assert.Null(r.StopReason));
    }

    [Fact]
    public async Task Putting_on_a_tag_that_is_on_is_no_event()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.DoAsync(async d =>
        {
            Assert.Equal(1, await d.PutTagAsync([ida.Id], "Warm", default));
            Assert.Equal(0, await d.PutTagAsync([ida.Id], "warm", default));
        });
        await using var db = world.Db();
        Assert.Equal(1, await db.Events.CountAsync());
    }

    [Fact]
    public async Task An_answer_stops_and_a_withdrawal_takes_effect_at_once()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        var bo = await world.PersonAsync("Bo");
        await world.ProgramAsync("Eight", OnWarm, $"{Hello},{Second}");
        await world.DoAsync(d => d.PutTagAsync([ida.Id, bo.Id], "warm", default));
        await world.WorkAsync();
        await world.DoAsync(async d =>
        {
            await d.RecordAsync(ida.Id, new Replied(d.Now, Channel.Email), default);
            await d.AddConsentAsync(bo.Id, "email", "commercial", null, false, "express", "the unsubscribe page", null, default);
        });
        await world.MoveToAsync("2027-03-10T09:00");
        Assert.Equal(2, world.Mail.Sent.Count);
        await using var db = world.Db();
        Assert.Equal(["nothing-left-to-send", "replied"], await db.Runs.Select(r => r.StopReason!).OrderBy(r => r).ToListAsync());
    }

    [Fact]
    public async Task A_gap_blocks_and_mending_it_sends()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var nameless = await world.PersonAsync("Ida", p => p.FirstName = null);
        await world.ProgramAsync("Eight", OnWarm, Hello);
        await world.DoAsync(d => d.PutTagAsync([nameless.Id], "warm", default));
        await world.WorkAsync();
        Assert.Empty(world.Mail.Sent);
        Assert.Equal(TouchStatus.Blocked, (await world.TouchesAsync())[0].Status);
        await using (var db = world.Db())
        {
            await db.People.ExecuteUpdateAsync(u => u.SetProperty(p => p.FirstName, "Ida"));
        }

        await world.DoAsync(d => d.RecordAsync(nameless.Id, new FactsChanged(d.Now), default));
        await world.WorkAsync();
        Assert.Equal(["Hello Ida"], world.Mail.Sent.Select(m => m.Subject));
    }

    [Fact]
    public async Task Birthdays_start_once_at_their_time_and_a_missed_one_within_its_grace()
    {
        await using var world = await World.AtAsync("2027-03-01T08:00");
        await world.PersonAsync("Today", birthday: "1980-03-01");
        await world.PersonAsync("Leap", birthday: "--02-29");
        await world.PersonAsync("West", p => p.ZoneId = "America/Los_Angeles", "1990-03-02");
        await world.ProgramAsync(
            "Birthday",
            "\"at\":\"09:30\",\"startsWhen\":[{\"kind\":\"occasion\",\"date\":\"birthday\",\"offset\":\"P0D\"}]",
            """{"id":"wish","kind":"email","when":{"from":"occasion","offset":"P0D"},"subject":"Happy returns, {{ person.first_name }}","body":"b"}"""
        );
        await world.MoveToAsync("2027-03-04T08:00");
        Assert.Equal(["Happy returns, Today", "Happy returns, West"], world.Mail.Sent.Select(m => m.Subject));
        Assert.Equal([World.At("2027-03-01T09:30"), World.At("2027-03-02T12:30")], (await world.TouchesAsync()).Select(t => t.SettledAt!.Value));

        // Added a day after their birthday: still happens, at once; five days after: not.
        await world.PersonAsync("Yesterday", birthday: "1980-03-03");
        await world.PersonAsync("Lastweek", birthday: "1980-02-26");
        await world.WorkAsync();
        Assert.Equal("Happy returns, Yesterday", world.Mail.Sent.Last().Subject);
        await world.MoveToAsync("2027-03-08T08:00");
        Assert.Equal(3, world.Mail.Sent.Count);
    }

    [Fact]
    public async Task A_server_that_says_later_holds_the_touch_and_it_goes_once_the_server_is_back()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync("Eight", OnWarm, Hello);
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.NotTaken, "451 busy");
        await world.WorkAsync();
        Assert.Equal(TouchStatus.Handing, (await world.TouchesAsync())[0].Status);
        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.Sent, "250 kept");
        await using (var db = world.Db())
        {
            await db.Touches.ExecuteUpdateAsync(u => u.SetProperty(t => t.LeasedUntil, (Instant?)Instant.MinValue));
        }

        await world.WorkAsync();
        Assert.Single(world.Mail.Sent);
        Assert.Equal(TouchStatus.Sent, (await world.TouchesAsync())[0].Status);
    }

    [Fact]
    public async Task A_server_that_refuses_for_good_settles_the_touch_and_the_run_goes_on()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync("Eight", OnWarm, $"{Hello},{Second}");
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        world.Mail.Answers = m =>
            m.Subject == "Second" ? new ProviderAnswer(ProviderResult.Sent, "ok") : new ProviderAnswer(ProviderResult.Refused, "550 no such user");
        await world.MoveToAsync("2027-03-05T10:00");
        Assert.Equal([TouchStatus.Skipped, TouchStatus.Sent], (await world.TouchesAsync()).Select(t => t.Status));
    }

    /// <summary>A worker that died between handing over and recording: the touch is looked up by its own key.</summary>
    [Theory]
    [InlineData(LookUpResult.Found, "sent", 0), InlineData(LookUpResult.NotThere, "sent", 1)]
    [InlineData(LookUpResult.CannotSay, "uncertain", 0), InlineData(LookUpResult.NotNow, "handing", 0)]
    public async Task After_a_crash_a_touch_is_looked_up_and_never_sent_twice(LookUpResult known, string status, int sentAgain)
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync("Eight", OnWarm, Hello);
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.Reactor.ReactAsync(world.Practice, await world.NowAsync(), null, default);
        world.Mail.Answers = _ => throw new InvalidOperationException("the worker dies here");
        await Assert.ThrowsAsync<InvalidOperationException>(() =>
            world.Dispatcher.DispatchAsync(world.Practice, World.At("2027-03-01T10:00"), null, default)
        );
        Assert.Equal(TouchStatus.Handing, (await world.TouchesAsync())[0].Status);
        Assert.Equal(0, await world.Dispatcher.RecoverAsync(world.Practice, World.At("2027-03-01T10:00"), null, default));
        await using (var db = world.Db())
        {
            await db.Touches.ExecuteUpdateAsync(u => u.SetProperty(t => t.LeasedUntil, (Instant?)Instant.MinValue));
        }

        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.Sent, "ok");
        world.Mail.Knows = _ => known;
        await world.WorkAsync();
        Assert.Equal(TouchStatuses.Read(status), (await world.TouchesAsync())[0].Status);
        Assert.Equal(sentAgain, world.Mail.Sent.Count);
    }

    [Fact]
    public async Task Two_workers_side_by_side_send_everything_once()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = new List<Guid>();
        for (var i = 0; i < 60; i++)
        {
            people.Add((await world.PersonAsync($"P{i}")).Id);
        }

        await world.ProgramAsync("Eight", OnWarm, Hello);
        await world.DoAsync(d => d.PutTagAsync([.. people], "warm", default));
        await Task.WhenAll(Enumerable.Range(0, 3).Select(_ => Task.Run(world.WorkAsync)));
        await world.WorkAsync();
        Assert.Equal(60, world.Mail.Sent.Count);
        Assert.Equal(60, world.Mail.Sent.Select(m => m.MessageId).Distinct().Count());
    }

    [Fact]
    public async Task Pausing_freezes_and_resuming_judges_what_fell_due_meanwhile()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        var id = await world.ProgramAsync("Eight", OnWarm, $"{Hello},{Second}");
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        async Task PausedAsync(bool paused)
        {
            await using var db = world.Db();
            await ProgramDesk.SetPausedAsync(db, await db.Programs.SingleAsync(p => p.Id == id), paused, null, await world.NowAsync(), default);
        }

        await PausedAsync(true);
        await world.MoveToAsync("2027-03-08T10:00");
        Assert.Single(world.Mail.Sent);
        await PausedAsync(false);
        await world.WorkAsync();
        Assert.Equal(2, world.Mail.Sent.Count);
        Assert.Equal(World.At("2027-03-08T10:00"), (await world.TouchesAsync())[1].SettledAt);
    }

    [Fact]
    public async Task Rule_12_2_live_agrees_with_the_rehearsal()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = new List<Guid>();
        foreach (
            var (zone, birthday, consent) in new[]
            {
                (null, "1975-03-20", true),
                ("America/Denver", "--04-02", true),
                ("Australia/Sydney", null, true),
                ("Europe/London", "1960-03-28", false),
            }
        )
        {
            people.Add((await world.PersonAsync($"P{people.Count}", p => p.ZoneId = zone, birthday, consent)).Id);
        }

        var office = "\"window\":{\"days\":[\"mon\",\"tue\",\"wed\",\"thu\",\"fri\"],\"from\":\"09:00\",\"to\":\"17:30\"}";
        var id = await world.ProgramAsync(
            "Eight",
            $"{OnWarm},{office}",
            $"{Hello},{Call},{Second},"
                + """{"id":"kd","kind":"email","when":{"from":"key-date","date":"birthday","offset":"-P1D"},"subject":"s","body":"b"},{"id":"go","kind":"hand-over","when":{"from":"previous","offset":"P2D"},"program":"Next"}"""
        );
        await world.ProgramAsync("Next", office, """{"id":"n","kind":"email","when":{"from":"start","offset":"P3D"},"subject":"s","body":"b"}""");
        await using var db = world.Db();
        var engine = await world.Programs.EngineAsync(db, default);
        var facts = await FactsReading.LoadAsync(db, people, default);
        var foreseen = people
            .SelectMany(p =>
                Rehearsal.Of(
                    engine,
                    facts[p],
                    PersonState.Empty,
                    World.At("2027-03-01T10:00"),
                    World.At("2027-07-01T00:00"),
                    new StartedByHand(World.At("2027-03-01T10:00"), id, "Ada")
                )
            )
            .Where(t => t.SettledAt is not null)
            .Select(t => (t.TouchId, t.SettledAt!.Value, TouchStatuses.Of(t.Outcome!.Value), t.Reason))
            .Order()
            .ToList();
        await world.DoAsync(d => d.StartProgramAsync([.. people], id, false, default));
        await world.MoveToAsync("2027-07-01T00:00");
        var lived = (await world.TouchesAsync())
            .Where(t => t.SettledAt is not null)
            .Select(t => (t.Id, t.SettledAt!.Value, t.Status, t.Reason))
            .Order()
            .ToList();
        Assert.NotEmpty(lived);
        Assert.Equal(foreseen, lived);
    }

    [Fact]
    public async Task Who_would_start_is_counted_before_switching_on()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida", p => p.Tags = ["warm"]);
        await world.PersonAsync("Bo", p => (p.Tags, p.DoNotContact) = (["warm"], true));
        await world.PersonAsync("Cy");
        var id = await world.ProgramAsync("Eight", OnWarm, Hello);
        await using var db = world.Db();
        var program = ShelfReading.Definition((await db.Programs.SingleAsync(p => p.Id == id)).Draft);
        var who = await world.Programs.WhoStartsAsync(db, id, program, await world.NowAsync(), default);
        Assert.Equal([ida.Id], who.Starting.Select(p => p.Id));
        Assert.Equal(1, who.Refused["do-not-contact"]);
    }

    [Fact]
    public async Task Checking_finds_gaps_addresses_and_consent_of_the_people_concerned()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.PersonAsync("Ida", p => (p.Tags, p.FirstName) = (["warm"], null));
        await world.PersonAsync("Bo", p => (p.Tags, p.Email) = (["warm"], null));
        await world.PersonAsync("Cy", p => p.Tags = ["warm"], consent: false);
        await world.PersonAsync("Elsewhere", p => p.Email = null);
        var id = await world.ProgramAsync("Eight", OnWarm, Hello);
        await using var db = world.Db();
        var program = ShelfReading.Definition((await db.Programs.SingleAsync(p => p.Id == id)).Draft);
        await world.PersonAsync("Been", p => (p.Tags, p.DoNotContact) = (["warm"], true));
        var (looked, anybody, findings) = await world.Programs.AudienceAsync(db, id, program, await world.NowAsync(), default);
        Assert.Equal((3, false), (looked, anybody));
        Assert.Equal(["First name missing", "No email address", "Nobody has recorded that they may be emailed"], findings.Select(f => f.Text).Order());
        Assert.All(findings, f => Assert.Equal(1, f.Count));
    }
}
