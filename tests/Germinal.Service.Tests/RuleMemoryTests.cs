using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Rules;
using Germinal.Service.Engine;
using Germinal.Service.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>
/// What rules ask of the engine's memory means the same in SQL and in the core. The memory the core judges by is made by the
/// engine from the saved state, not read from the columns that SQL reads.
/// </summary>
public sealed class RuleMemoryTests
{
    private const string OnWarm = "\"again\":\"each-time\",\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}]";

    private static readonly Leaf[] Asked =
    [
        new("next-touch", RuleOp.Exists, []),
        new("next-touch", RuleOp.Missing, []),
        new("next-touch", RuleOp.Before, ["2027-03-06"]),
        new("next-touch", RuleOp.After, ["2027-03-06"]),
        new("last-touch", RuleOp.Exists, []),
        new("last-touch", RuleOp.InLast, ["P2D"]),
        new("last-reply", RuleOp.Exists, []),
        new("programs", RuleOp.Has, ["Short"]),
        new("programs", RuleOp.HasNot, ["Long"]),
        new("been-in", RuleOp.Has, ["Long"]),
    ];

    private static async Task AgreeAsync(World world, string after)
    {
        var letters = new Channels.Letters.LiquidLetters();
        await using var db = world.Db();
        var engine = await new ProgramDesk(letters, new Engines(letters, new ShelfReading())).EngineAsync(db, default);
        var now = await world.NowAsync();
        var ids = await db.People.Select(p => p.Id).ToListAsync();
        var facts = await FactsReading.LoadAsync(db, ids, default);
        var states = await db.States.ToDictionaryAsync(s => s.PersonId, s => Core.Engine.PersonStateJson.Read(s.State));
        foreach (var leaf in Asked)
        {
            var sql = await db.Matching(leaf, new RuleMoment(now, World.Zone)).Select(p => p.FirstName).Order().ToListAsync();
            var judged = ids.Where(id =>
                    RuleJudge.Holds(leaf, facts[id], new RuleMoment(now, World.Zone, Core.Time.LeapDay.Feb28, () => engine.Remember(facts[id], states[id])))
                )
                .Select(id => facts[id].FirstName)
                .Order()
                .ToList();
            Assert.True(sql.SequenceEqual(judged), $"{leaf.Field} {leaf.Op} {after}: in SQL {string.Join(",", sql)}, in the core {string.Join(",", judged)}");
        }
    }

    [Fact]
    public async Task Next_touch_and_the_rest_agree_while_touches_are_planned_sent_held_blocked_and_paused()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var people = new Dictionary<string, PersonRow>();
        foreach (var name in new[] { "Plain", "Held", "Paused", "Blocked", "Replied", "Nobody" })
        {
            people[name] = await world.PersonAsync(name, name == "Blocked" ? p => p.Stage = null : p => p.Stage = "Planning/Inquiry");
        }

        await world.ProgramAsync(
            "Short",
            OnWarm,
            """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"s","body":"{{ person.stage }}"}"""
        );
        var longer = await world.ProgramAsync(
            "Long",
            OnWarm,
            """{"id":"a","kind":"email","when":{"from":"start","offset":"P3D"},"subject":"s","body":"b"},{"id":"b","kind":"call","when":{"from":"start","offset":"P9D"},"script":"x"}"""
        );
        await AgreeAsync(world, "before anything");
        await world.DoAsync(d => d.PutTagAsync([.. people.Where(p => p.Key != "Nobody").Select(p => p.Value.Id)], "warm", default));
        await world.WorkAsync();
        await AgreeAsync(world, "after the first letters");
        await using (var db = world.Db())
        {
            var held = await db.Touches.Where(t => t.PersonId == people["Held"].Id && t.Status == TouchStatus.Planned).Select(t => t.Id).SingleAsync();
            await world.DoAsync(d =>
                d.RecordAsync(people["Held"].Id, new TouchMarked(d.Now, held, TouchMark.Held), default)
            );
            await world.DoAsync(d => d.RecordAsync(people["Paused"].Id, new ProgramPaused(d.Now, longer), default));
            await world.DoAsync(d => d.RecordAsync(people["Replied"].Id, new Replied(d.Now, Channel.Email), default));
        }

        await world.WorkAsync();
        await AgreeAsync(world, "one held, one paused, one has answered");
        await world.MoveToAsync("2027-03-05T12:00");
        await AgreeAsync(world, "four days later");
        foreach (var paused in new[] { true, false })
        {
            await using var db = world.Db();
            await ProgramDesk.SetPausedAsync(db, await db.Programs.SingleAsync(p => p.Id == longer), paused, null, await world.NowAsync(), default);
            await world.WorkAsync();
            await AgreeAsync(world, paused ? "the program paused" : "the program goes on");
        }

        await world.MoveToAsync("2027-03-20T12:00");
        await AgreeAsync(world, "at the end");
    }
}
