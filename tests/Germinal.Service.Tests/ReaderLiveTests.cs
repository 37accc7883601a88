using Germinal.Channels;
using Germinal.Core.Engine;
using Germinal.Core.Files;
using Germinal.Core.Rules;
using Germinal.Service.Engine;
using Germinal.Service.Incoming;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using MimeKit;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>Rule 3.6, live: what somebody else reads goes to them, is theirs to answer and refuse, and goes with them.</summary>
public sealed class ReaderLiveTests
{
    private const string ToSolicitor = """{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"About {{ person.first_name }}","body":"Dear {{ to.first_name }}, <a href=\"https://example.com/plan\" data-name=\"plan\">the plan</a>","to":{"relation":"solicitor"}}""";
    private const string ToOwner = """{"id":"b","kind":"email","when":{"from":"previous","offset":"P0D"},"subject":"{{ person.first_name }} has come","body":"Dear {{ to.first_name }}, <a href=\"https://example.com/plan\">the plan</a>","to":"owner"}""";
    private const string TextToSolicitor = """{"id":"c","kind":"text","when":{"from":"previous","offset":"P0D"},"body":"{{ to.first_name }}: about {{ person.first_name }}","purpose":"transactional","to":{"relation":"Solicitor"}}""";

    private static async Task RelateAsync(World world, PersonRow person, PersonRow other, string role = "solicitor")
    {
        await using var db = world.Db();
        db.Relations.Add(
            new RelationRow
            {
                Id = Guid.NewGuid(),
                PracticeId = world.Practice,
                PersonId = person.Id,
                OtherId = other.Id,
                Role = role,
                Back = "client",
                By = "Ada Quill",
            }
        );
        await db.SaveChangesAsync();
    }

    private sealed record Begun(World World, PersonRow Ida, PersonRow Mona, PersonRow Sol) : IAsyncDisposable
    {
        public ValueTask DisposeAsync() => World.DisposeAsync();
    }

    /// <summary>Ida has two solicitors, and a program that writes to them and to her owner has begun.</summary>
    private static async Task<Begun> BegunAsync(string steps)
    {
        var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida", consent: false);
        var mona = await world.PersonAsync("Mona", p => p.Mobile = "+12075550102");
        var sol = await world.PersonAsync("Sol", p => p.Mobile = "+12075550103");
        await RelateAsync(world, ida, mona);
        await RelateAsync(world, ida, sol, "Solicitor");
        var program = await world.ProgramAsync("Told", "\"startsWhen\":[{\"kind\":\"by-hand\"}]", steps);
        await world.DoAsync(desk => desk.StartProgramAsync([ida.Id], program, false, default));
        await world.WorkAsync();
        return new Begun(world, ida, mona, sol);
    }

    private static string AddressOf(MimeMessage mail) => mail.To.Mailboxes.Single().Address;

    [Fact]
    public async Task Each_reader_gets_one_with_their_own_name_address_and_way_out()
    {
        await using var begun = await BegunAsync($"{ToSolicitor},{ToOwner},{TextToSolicitor}");
        var world = begun.World;
        Assert.Equal(["mona@example.com", "sol@example.com", "ada@example.com"], world.Mail.Sent.Select(AddressOf));
        Assert.Equal(["+12075550102", "+12075550103"], world.Texts.Sent.Select(t => t.To));
        Assert.Equal(["Mona: about Ida", "Sol: about Ida"], world.Texts.Sent.Select(t => t.Body));
        var (toMona, toOwner) = (world.Mail.Sent.First(), world.Mail.Sent.Last());
        Assert.Equal(("About Ida", "Mona Rowan"), (toMona.Subject, toMona.To.Mailboxes.Single().Name));
        Assert.Contains("Dear Mona", toMona.HtmlBody, StringComparison.Ordinal);
        var preferences = toMona.HtmlBody!.Split("/p/")[1].Split('"')[0];
        Assert.Equal(begun.Mona.Id, world.Links.TryReadPreferences(preferences));

        // A member is told: nothing to be unsubscribed from, nothing watched.
        Assert.Null(toOwner.Headers["List-Unsubscribe"]);
        Assert.Contains("https://example.com/plan", toOwner.HtmlBody, StringComparison.Ordinal);
        Assert.DoesNotContain("germinal.example.com", toOwner.HtmlBody, StringComparison.Ordinal);
        Assert.Empty(toOwner.ReplyTo);

        await using var db = world.Db();
        var kept = await db.Messages.AsNoTracking().OrderBy(m => m.SentAt).ToListAsync();
        Assert.Equal(
            new[] { begun.Mona.Id, begun.Mona.Id, begun.Sol.Id, begun.Sol.Id }.Order(),
            kept.Where(m => m.AboutId == begun.Ida.Id).Select(m => m.PersonId).Order()
        );
        Assert.Equal((begun.Ida.Id, world.Ada), kept.Where(m => m.MemberId is not null).Select(m => (m.PersonId, m.MemberId!.Value)).Single());
        Assert.All(await world.TouchesAsync(), t => Assert.Equal((TouchStatus.Sent, begun.Ida.Id, true), (t.Status, t.PersonId, t.ReaderId is not null)));

        // Ida was not written to.
        Assert.Equal(Instant.MinValue, (await db.States.SingleAsync(s => s.PersonId == begun.Ida.Id)).LastTouchAt);
    }

    [Fact]
    public async Task What_a_reader_does_is_theirs_and_what_a_member_does_is_nobodys()
    {
        await using var begun = await BegunAsync($"{ToSolicitor},{ToOwner}");
        var world = begun.World;
        await world.MoveToAsync("2027-03-01T11:00");
        await using var db = world.Db();
        var touches = await db.Messages.AsNoTracking().ToDictionaryAsync(m => m.ToAddress, m => m.TouchId);
        var visits = new LinkVisits(world.Database);
        foreach (var touch in touches.Values)
        {
            await visits.OpenedAsync(touch, "Reader/1.0", false, default);
        }

        await Bounces.TakeAsync(world.Db(), (await TouchOf.FindAsync(world.Db(), touches["sol@example.com"], default))!, true, "bounced", "5.1.1", default);
        await world.WorkAsync();
        Assert.Null(await TouchOf.FindAsync(world.Db(), touches["ada@example.com"], default));
        var events = await db.Events.AsNoTracking().Where(e => e.Kind == EventKinds.Opened || e.Kind == EventKinds.Bounced).ToListAsync();
        Assert.Equal(
            new[] { (begun.Mona.Id, EventKinds.Opened), (begun.Sol.Id, EventKinds.Opened), (begun.Sol.Id, EventKinds.Bounced) }.Order(),
            events.Select(e => (e.PersonId, e.Kind)).Order()
        );
        Assert.Equal("sol@example.com", (await db.Suppressions.SingleAsync()).Address);

        // “Got” and “opened” are asked of whoever read it, by the core and by SQL alike.
        var (engine, _) = await world.Engines().OfAsync(db, default);
        foreach (var (field, who) in new[] { ("got:Told/a", new[] { begun.Mona.Id, begun.Sol.Id }), ("opened:Told/a", [begun.Mona.Id, begun.Sol.Id]), ("got:Told/b", []) })
        {
            var rule = new Leaf(field, RuleOp.Exists, []);
            var moment = engine.Practice.RulesAt(await world.NowAsync());
            Assert.Equal(who.Order(), (await db.Matching(rule, moment).Select(p => p.Id).ToListAsync()).Order());
            foreach (var id in new[] { begun.Ida.Id, begun.Mona.Id, begun.Sol.Id })
            {
                Assert.Equal(who.Contains(id), RuleJudge.Holds(rule, (await FactsReading.WholeAsync(db, id, default))!, moment));
            }
        }
    }

    [Fact]
    public async Task Whoever_says_no_by_the_link_says_it_for_themselves()
    {
        await using var begun = await BegunAsync(ToSolicitor);
        var world = begun.World;
        await using (var db = world.Db())
        {
            await new PeopleDesk(db, "the recipient", await world.NowAsync()).AddConsentAsync(
                (await TouchOf.FindAsync(db, (await db.Messages.SingleAsync(m => m.ToAddress == "sol@example.com")).TouchId, default))!.PersonId,
                "email",
                "commercial",
                null,
                false,
                "express",
                "link in the letter",
                null,
                default
            );
        }

        await using var after = world.Db();
        Assert.Equal(begun.Sol.Id, (await after.Consent.SingleAsync(c => !c.IsIn)).PersonId);
    }

    [Fact]
    public async Task A_reader_who_is_erased_takes_what_they_were_sent_along_and_the_run_goes_on()
    {
        await using var begun = await BegunAsync($"{ToSolicitor},{TextToSolicitor.Replace("P0D", "P3D", StringComparison.Ordinal)}");
        var world = begun.World;
        await using (var db = world.Db())
        {
            await using var transaction = await db.Database.BeginTransactionAsync();
            await new PersonData(db).EraseAsync(await db.People.SingleAsync(p => p.Id == begun.Mona.Id), await world.NowAsync(), default);
            await transaction.CommitAsync();
        }

        await using (var db = world.Db())
        {
            Assert.Equal(["sol@example.com"], await db.Messages.Select(m => m.ToAddress).ToListAsync());
            Assert.DoesNotContain("mona", System.Text.Json.JsonSerializer.Serialize(await world.TouchesAsync()), StringComparison.OrdinalIgnoreCase);
        }

        await world.MoveToAsync("2027-03-08T10:00");
        Assert.Equal(["+12075550103"], world.Texts.Sent.Select(t => t.To));
        await using var last = world.Db();
        Assert.False(await last.States.AnyAsync(s => s.SetAside != null));
        Assert.NotNull((await last.Runs.SingleAsync()).EndedAt);
    }

    [Fact]
    public async Task Whom_it_is_about_erased_takes_it_along_too()
    {
        await using var begun = await BegunAsync(ToSolicitor);
        await using var db = begun.World.Db();
        await using (var transaction = await db.Database.BeginTransactionAsync())
        {
            await new PersonData(db).EraseAsync(await db.People.SingleAsync(p => p.Id == begun.Ida.Id), await begun.World.NowAsync(), default);
            await transaction.CommitAsync();
        }

        Assert.Empty(await db.Messages.ToListAsync());
        Assert.Empty(await db.Touches.ToListAsync());
    }

    [Fact]
    public async Task A_line_that_drops_between_two_readers_sends_to_nobody_twice_and_leaves_nobody_out()
    {
        var drops = 0;
        await using var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida", consent: false);
        for (var i = 0; i < 5; i++)
        {
            var name = $"Sol{i}";
            await RelateAsync(world, ida, await world.PersonAsync(name));
        }

        world.Mail.Answers = _ => Interlocked.Increment(ref drops) % 2 == 1 ? new ProviderAnswer(ProviderResult.NotTaken, "the line dropped") : new ProviderAnswer(ProviderResult.Sent, "250 kept");
        var program = await world.ProgramAsync("Told", "\"startsWhen\":[{\"kind\":\"by-hand\"}]", ToSolicitor);
        await world.DoAsync(desk => desk.StartProgramAsync([ida.Id], program, false, default));
        for (var i = 0; i < 40 && world.Mail.Sent.Count < 5; i++)
        {
            await using var db = world.Db();
            await world.WorkAsync();
            await db.Touches.Where(t => t.LeasedUntil != null).ExecuteUpdateAsync(u => u.SetProperty(t => t.LeasedUntil, Instant.MinValue));
            await db.Providers.ExecuteDeleteAsync();
        }

        await world.WorkAsync();
        Assert.Equal(["sol0@example.com", "sol1@example.com", "sol2@example.com", "sol3@example.com", "sol4@example.com"], world.Mail.Sent.Select(AddressOf));
        Assert.Equal(5, (await world.TouchesAsync()).Select(t => t.ReaderId).Distinct().Count());
    }
}
