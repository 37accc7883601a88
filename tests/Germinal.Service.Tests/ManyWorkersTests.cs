using Germinal.Channels;
using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Logging;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>Providers that fail, people that make work fail, and limits that workers share.</summary>
public sealed class ManyWorkersTests
{
    private const string OnWarm = "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}]";
    private const string Hello = """{"id":"hello","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Hello","body":"b","lateLimit":"P2D"}""";
    private const string Text = """{"id":"text","kind":"text","when":{"from":"start","offset":"P0D"},"body":"Hello {{ person.first_name }}"}""";

    private static async Task RetryAsync(World world)
    {
        await using var db = world.Db();
        await db.Touches.Where(t => t.Status == TouchStatus.Handing).ExecuteUpdateAsync(u => u.SetProperty(t => t.LeasedUntil, (Instant?)Instant.MinValue));
        await world.WorkAsync();
    }

    [Fact]
    public async Task An_outage_holds_touches_is_one_line_and_late_limits_count()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = new[] { (await world.PersonAsync("Ida")).Id, (await world.PersonAsync("Bo")).Id };
        await world.ProgramAsync("P", OnWarm, Hello);
        world.Mail.Answers = _ => ProviderAnswer.Away("The mail server does not answer");
        await world.DoAsync(d => d.PutTagAsync(people, "warm", default));
        await world.WorkAsync();
        await using (var db = world.Db())
        {
            Assert.Equal([TouchStatus.Handing, TouchStatus.Handing], (await world.TouchesAsync()).Select(t => t.Status));
            Assert.Equal("The mail server does not answer", (await db.Providers.SingleAsync()).Trouble);

            // Time goes on (in real use; here the clock is set), and one of them says no meanwhile.
            await world.DoAsync(d => d.AddConsentAsync(people[0], "email", "commercial", null, false, "express", "said no", null, default));
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, World.At("2027-03-04T10:00")));
        }

        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.Sent, "250 ok");
        await RetryAsync(world);
        Assert.Equal(["skipped late", "skipped opted-out"], (await world.TouchesAsync()).Select(t => $"{t.Status.Word()} {t.Reason}").Order());
        Assert.Empty(world.Mail.Sent);
    }

    [Fact]
    public async Task Waits_grow_with_each_attempt_and_what_the_provider_said_is_kept()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync("P", OnWarm, Hello);
        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.NotTaken, "451 busy");
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        var waits = new List<double>();
        for (var i = 0; i < 4; i++)
        {
            var touch = (await world.TouchesAsync()).Single();
            Assert.Equal((TouchStatus.Handing, "later", "451 busy", i + 1), (touch.Status, touch.Reason, touch.LastAnswer, touch.Attempts));
            waits.Add((touch.LeasedUntil!.Value - SystemClock.Instance.GetCurrentInstant()).TotalSeconds);
            await RetryAsync(world);
        }

        Assert.Equal(waits.Order(), waits);
        Assert.True(waits[3] > 3 * waits[0], string.Join(" ", waits));
        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.Sent, "250 ok");
        await RetryAsync(world);
        Assert.Single(world.Mail.Sent);
    }

    [Fact]
    public async Task Whoever_makes_work_fail_is_set_aside_and_nobody_else_waits()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = new List<Guid>();
        for (var i = 0; i < 12; i++)
        {
            people.Add((await world.PersonAsync($"P{i}")).Id);
        }

        await world.ProgramAsync("P", OnWarm, Hello);
        await using (var db = world.Db())
        {
            // A state that does not read.
            await db.Database.ExecuteSqlAsync($"UPDATE person_states SET state = '[]'::jsonb WHERE person_id = {people[5]}");
        }

        await world.DoAsync(d => d.PutTagAsync([.. people], "warm", default));
        await world.WorkAsync();
        Assert.Equal(11, world.Mail.Sent.Count);
        await using var after = world.Db();
        var aside = await after.States.SingleAsync(s => s.SetAside != null);
        Assert.Equal(people[5], aside.PersonId);

        // Mended and tried again, they catch up.
        aside.State = PersonStateJson.Write(PersonState.Empty);
        aside.SetAside = null;
        await after.SaveChangesAsync();
        await world.WorkAsync();
        Assert.Equal(12, world.Mail.Sent.Count);
    }

    [Fact]
    public async Task Rule_9_3_texts_over_the_daily_limit_go_on_the_next_days_in_their_order_whatever_number_of_workers()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await using (var db = world.Db())
        {
            var practice = await db.Practices.SingleAsync(p => p.Id == world.Practice);
            practice.Settings = new PracticeSettings
            {
                PostalAddress = "x",
                DailyLimits = new() { ["text"] = 10 },
            };
            await db.SaveChangesAsync();
        }

        var people = new List<Guid>();
        for (var i = 0; i < 34; i++)
        {
            people.Add((await world.PersonAsync($"P{i:00}", p => p.Mobile = $"+1207555{100 + i:0000}")).Id);
        }

        await world.ProgramAsync("P", OnWarm + ",\"purpose\":\"transactional\"", Text);
        await world.DoAsync(d => d.PutTagAsync([.. people], "warm", default));
        await using (var db = world.Db())
        {
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.MoveFrom, c => c.Now).SetProperty(c => c.MoveTo, World.At("2027-03-10T10:00")));
        }

        await Task.WhenAll(Enumerable.Range(0, 3).Select(_ => Task.Run(() => world.NewRoom().WorkAsync(default))));
        var sent = (await world.TouchesAsync()).OrderBy(t => t.SettledAt).ThenBy(t => t.PersonId).ToList();
        Assert.All(sent, t => Assert.Equal(TouchStatus.Sent, t.Status));
        Assert.Equal([10, 10, 10, 4], sent.GroupBy(t => t.SettledAt!.Value.InZone(World.Zone).Date).OrderBy(g => g.Key).Select(g => g.Count()));
        Assert.Equal(
            people.OrderBy(p => p.ToString(), StringComparer.Ordinal),
            sent.OrderBy(t => t.SettledAt).ThenBy(t => t.PersonId.ToString(), StringComparer.Ordinal).Select(t => t.PersonId)
        );
        Assert.Equal(34, world.Texts.Sent.Count);
    }

    [Fact]
    public async Task Rule_5_5_starts_over_the_limit_wait_their_turn_first_come_first_served()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = new List<Guid>();
        for (var i = 0; i < 5; i++)
        {
            people.Add((await world.PersonAsync($"P{i}")).Id);
        }

        await world.ProgramAsync("P", OnWarm + ",\"startLimit\":2", Hello);
        var turn = people.AsEnumerable().Reverse().ToList();
        foreach (var (person, i) in turn.Select((p, i) => (p, i)))
        {
            await world.DoAsync(d => d.PutTagAsync([person], "warm", default));
            await world.MoveToAsync($"2027-03-01T11:0{i}");
        }

        await world.MoveToAsync("2027-03-05T10:00");
        await using var db = world.Db();
        var runs = await db.Runs.OrderBy(r => r.StartedAt).ToListAsync();
        Assert.Equal([2, 2, 1], runs.GroupBy(r => r.StartedAt.InZone(World.Zone).Date).Select(g => g.Count()));
        Assert.Equal(turn.Take(4).ToHashSet(), runs.Take(4).Select(r => r.PersonId).ToHashSet());
        Assert.Equal(turn[4], runs[4].PersonId);
    }

    [Fact]
    public async Task Rule_13_1_runs_move_to_a_new_version_when_a_member_says_so()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        var id = await world.ProgramAsync("P", OnWarm, """{"id":"a","kind":"email","when":{"from":"start","offset":"P5D"},"subject":"Old","body":"b"}""");
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        await world.WorkAsync();
        await using (var db = world.Db())
        {
            var program = await db.Programs.SingleAsync(p => p.Id == id);
            program.Draft = program.Draft.Replace("Old", "New", StringComparison.Ordinal).Replace("P5D", "P2D", StringComparison.Ordinal);
            await Programs.ProgramDesk.PublishAsync(db, program, "Ada", await world.NowAsync(), default);
        }

        await world.DoAsync(d => d.RecordAsync(ida.Id, new MovedToVersion(d.Now, id, 2), default));
        await world.MoveToAsync("2027-03-10T10:00");
        Assert.Equal(["New"], world.Mail.Sent.Select(m => m.Subject));
        await using var after = world.Db();
        Assert.Equal(2, (await after.Runs.SingleAsync()).Version);
    }

    [Fact]
    public async Task Old_events_are_forgotten_where_the_practice_wants_it()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await using var db = world.Db();
        db.Events.Add(new PeopleDesk(db, "Ada", await world.NowAsync()).NewNote(ida.Id, EventKinds.Remark, ("text", "x")));
        await db.SaveChangesAsync();
        Assert.Equal(0, await EventRetention.ForgetAsync(db, World.At("2037-03-01T10:00"), default));
        var practice = await db.Practices.SingleAsync(p => p.Id == world.Practice);
        practice.Settings = new PracticeSettings { KeepEventsMonths = 12 };
        await db.SaveChangesAsync();
        Assert.Equal(0, await EventRetention.ForgetAsync(db, World.At("2028-02-28T10:00"), default));
        Assert.Equal(1, await EventRetention.ForgetAsync(db, World.At("2028-03-02T10:00"), default));
    }

    [Fact]
    public async Task The_log_says_what_happened_without_a_name_an_address_or_a_word_of_a_letter()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.ProgramAsync(
            "Quietly",
            "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}]",
            """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Secretly {{ person.first_name }}","body":"Confidential"}"""
        );
        var ida = await world.PersonAsync("Ida");
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.NotTaken, "451 busy");
        await world.WorkAsync();
        await using (var db = world.Db())
        {
            await db.Touches.ExecuteUpdateAsync(u => u.SetProperty(t => t.LeasedUntil, (Instant?)Instant.MinValue));
        }

        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.Sent, "250 kept");
        await world.WorkAsync();
        Assert.Single(world.Mail.Sent);
        Assert.Contains(world.Logs, l => l is { Level: LogLevel.Warning } && l.Text.Contains("451 busy", StringComparison.Ordinal));
        Assert.Contains(world.Logs, l => l is { Level: LogLevel.Information } && l.Text.Contains("1 are tried again", StringComparison.Ordinal));
        foreach (var word in new[] { "Ida", "Rowan", "@", "Secretly", "Confidential", "+1207" })
        {
            Assert.DoesNotContain(world.Logs, l => l.Text.Contains(word, StringComparison.OrdinalIgnoreCase));
        }
    }
}
