using System.Net;
using System.Text.Json;
using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>Whoever keeps the installation: makes practices and stops them, and sees nothing of anybody's people.</summary>
public sealed class KeeperTests(Site site) : IClassFixture<Site>
{
    private const string Password = "lighthouse under the larches";

    private Task<string> KeyAsync() => site.Services.GetRequiredService<KeeperKey>().MakeAsync(default);

    private async Task<Member> KeeperAsync(string email)
    {
        var keeper = await site.NobodyAsync();
        await keeper.DoAsync("/api/session/keep", new { key = await KeyAsync(), name = "Orla Finch", email, password = Password });
        await keeper.RefreshGuardAsync();
        return keeper;
    }

    private static IEnumerable<JsonElement> PracticesIn(JsonElement house) => house.GetProperty("practices").EnumerateArray();

    private static async Task<JsonElement> PracticeAsync(Member keeper, Guid id) => PracticesIn(await keeper.GetAsync("/api/keeper")).Single(p => p.GetProperty("id").GetGuid() == id);

    [Fact]
    public async Task A_key_of_the_machine_makes_one_keeper_whoever_comes_at_once()
    {
        var nobody = await site.NobodyAsync();
        var body = new { key = "not-the-key-at-all", name = "Orla Finch", email = "one@example.com", password = Password };
        Assert.Contains("./germinal keeper", (await nobody.RefusedAsync("/api/session/keep", body, "")).Message, StringComparison.Ordinal);
        var key = await KeyAsync();
        Assert.Contains("address of its own", (await nobody.RefusedAsync("/api/session/keep", body with { key = key, email = "ada@example.com" }, "email")).Message, StringComparison.Ordinal);
        Assert.Equal(400, (await nobody.RefusedAsync("/api/session/keep", body with { key = key, password = "short" }, "password")).Status);
        Assert.Equal(400, (await nobody.RefusedAsync("/api/session/keep", body with { key = key, name = "\0" }, "name")).Status);

        var made = await Task.WhenAll(
            Enumerable
                .Range(0, 10)
                .Select(async i =>
                {
                    var one = await site.NobodyAsync();
                    return (await one.PostAsync("/api/session/keep", body with { key = key, email = $"many{i}@example.com" })).StatusCode;
                })
        );
        Assert.Equal(1, made.Count(s => s == HttpStatusCode.NoContent));
        Assert.NotEqual(key, await KeyAsync());
    }

    [Fact]
    public async Task A_keeper_sees_sizes_and_health_and_no_name_address_or_word_of_anybodys_people()
    {
        var ada = await site.SignedInAsync("ada");
        await ada.DoAsync("/api/people", new { firstName = "Zephyrine", lastName = "Quuxworth", email = "zephyrine@example.com" });
        var keeper = await KeeperAsync("sizes@example.com");
        Assert.Equal(["own-sign-in", "keep-installation"], (await keeper.GetAsync("/api/session")).GetProperty("may").EnumerateArray().Select(m => m.GetString()!));
        var own = await PracticeAsync(keeper, site.Practice);
        await using (var db = site.Db())
        {
            Assert.Equal(await db.People.CountAsync(), own.GetProperty("people").GetInt32());
            Assert.Equal(await db.Users.CountAsync(m => m.PracticeId == site.Practice), own.GetProperty("members").GetInt32());
        }

        Assert.True(own.GetProperty("bytes").GetInt64() > 0);
        Assert.Contains(PracticesIn(await keeper.GetAsync("/api/keeper")), p => p.GetProperty("id").GetGuid() == site.Other);
        Assert.DoesNotContain(PracticesIn(await keeper.GetAsync("/api/keeper")), p => p.GetProperty("id").GetGuid() == PracticeRow.House);
        Assert.NotEmpty((await keeper.GetAsync("/api/keeper/health")).EnumerateArray());
        foreach (var path in new[] { "/api/keeper", "/api/keeper/health", "/api/session", "/api/me" })
        {
            var words = (await keeper.GetAsync(path)).GetRawText();
            foreach (var theirs in new[] { "Zephyrine", "Quuxworth", "ada@example.com", "Ada Quill" })
            {
                Assert.DoesNotContain(theirs, words, StringComparison.OrdinalIgnoreCase);
            }
        }

        // What is asked of a practice is refused, whichever way it is asked.
        foreach (var path in new[] { "/api/people", "/api/today", "/api/journal", "/api/members", "/api/practice", "/api/whole", "/api/changes" })
        {
            Assert.Equal(HttpStatusCode.Forbidden, (await keeper.SendAsync(HttpMethod.Get, path)).StatusCode);
        }
    }

    [Fact]
    public async Task A_practice_is_made_once_its_principal_joins_and_from_then_on_it_is_theirs()
    {
        var keeper = await KeeperAsync("maker@example.com");
        var body = new { practice = "Hollin Lane Homes", zone = "America/Detroit", country = "US", name = "Piet Marlow", email = "piet@example.com" };
        Assert.Equal(400, (await keeper.RefusedAsync("/api/keeper/practices", body with { zone = "Mars/Olympus" }, "zone")).Status);
        Assert.Equal(400, (await keeper.RefusedAsync("/api/keeper/practices", body with { practice = "" }, "practice")).Status);
        Assert.Equal(400, (await keeper.RefusedAsync("/api/keeper/practices", body with { email = "tomas@example.com" }, "email")).Status);
        var made = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => keeper.PostAsync("/api/keeper/practices", body)));
        var won = Assert.Single(made, m => m.StatusCode == HttpStatusCode.OK);
        Assert.All(made.Where(m => m != won), m => Assert.Equal(HttpStatusCode.BadRequest, m.StatusCode));
        var practice = JsonDocument.Parse(await won.Content.ReadAsStringAsync()).RootElement;
        var id = practice.GetProperty("id").GetGuid();
        Assert.False((await PracticeAsync(keeper, id)).GetProperty("hasPrincipal").GetBoolean());

        // Nobody came; another one is invited in their place, and the first address leads nowhere.
        var first = KeyIn(practice);
        var again = await keeper.DoAsync($"/api/keeper/practices/{id}/principal", new { name = "Esme Tarn", email = "esme@example.com" });
        var join = new { key = first, name = "Piet Marlow", password = "a quiet harbour at noon" };
        var nobody = await site.NobodyAsync();
        Assert.Equal(HttpStatusCode.Gone, (await nobody.PostAsync("/api/session/join", join)).StatusCode);
        await nobody.DoAsync("/api/session/join", join with { key = KeyIn(again), name = "Esme Tarn" });
        var session = await nobody.GetAsync("/api/session");
        Assert.Equal(("Hollin Lane Homes", "principal", true), (session.GetProperty("practice").GetString(), session.GetProperty("role").GetString(), session.GetProperty("begins").GetBoolean()));
        Assert.True((await PracticeAsync(keeper, id)).GetProperty("hasPrincipal").GetBoolean());

        // No keeper makes themselves, or a friend, one of them any more.
        Assert.Equal(HttpStatusCode.Conflict, (await keeper.PostAsync($"/api/keeper/practices/{id}/principal", new { name = "Me", email = "me@example.com" })).StatusCode);
        Assert.Equal(HttpStatusCode.Conflict, (await keeper.PostAsync($"/api/keeper/practices/{site.Practice}/principal", new { name = "Me", email = "me@example.com" })).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await keeper.PostAsync($"/api/keeper/practices/{PracticeRow.House}/principal", new { name = "Me", email = "me@example.com" })).StatusCode);

        // The invitation is a mail of the installation.
        await using var db = site.Database.For(PracticeRow.House);
        Assert.Equal(["esme@example.com", "piet@example.com"], (await db.OwnMails.Where(m => m.Subject == "Join Hollin Lane Homes").Select(m => m.ToAddress).ToListAsync()).Order(StringComparer.Ordinal));
    }

    private static string KeyIn(JsonElement made) => made.GetProperty("address").GetString()!.Split("key=")[1];

    [Fact]
    public async Task A_stopped_practice_sends_nothing_lets_nobody_in_and_goes_on_where_it_was()
    {
        await using var own = new OwnSite();
        await own.Site.InitializeAsync();
        var (there, db) = (own.Site, own.Site.Db());
        await using var _ = db;
        var ada = await there.SignedInAsync("ada");
        var stranger = await there.SignedInAsync("ada2");
        var person = (await ada.DoAsync("/api/people", new { firstName = "Stoppa", email = "stoppa@example.com" })).GetProperty("id").GetGuid();
        await ada.DoAsync($"/api/people/{person}/consent", new { channel = "email", @in = true, reason = "told me" });
        var program = await PeopleApiTests.ProgramAsync(ada, "Stopped", """[{"id":"a","kind":"email","when":{"from":"start","offset":"P1D"},"subject":"Hello","body":"<p>Hello</p>"}]""", """{"at":"09:30"}""");
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await there.WorkAsync();
        var key = (await ada.DoAsync("/api/keys", new { name = "Reader", rights = new[] { "work" }, days = 30 })).GetProperty("key").GetString();

        var keeper = await there.NobodyAsync();
        await keeper.DoAsync("/api/session/keep", new { key = await there.Services.GetRequiredService<KeeperKey>().MakeAsync(default), name = "Orla Finch", email = "stops@example.com", password = Password });
        await keeper.RefreshGuardAsync();
        Assert.Equal(400, (await keeper.RefusedAsync($"/api/keeper/practices/{there.Practice}/stop", new { why = " " }, "why")).Status);
        Assert.Equal(HttpStatusCode.NotFound, (await keeper.PostAsync($"/api/keeper/practices/{PracticeRow.House}/stop", new { why = "x" })).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await ada.PostAsync($"/api/keeper/practices/{there.Other}/stop", new { why = "x" })).StatusCode);
        var stops = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => keeper.PostAsync($"/api/keeper/practices/{there.Practice}/stop", new { why = "The bill of March <b>is open</b>" })));
        Assert.All(stops, s => Assert.Equal(HttpStatusCode.NoContent, s.StatusCode));

        // Nobody of it is in any more, nor comes in; and only who shows who they are is told why.
        Assert.Equal(HttpStatusCode.Unauthorized, (await ada.SendAsync(HttpMethod.Get, "/api/people")).StatusCode);
        var nobody = await there.NobodyAsync();
        var said = await nobody.RefusedAsync("/api/session", new { email = "ada@example.com", password = Site.Password }, "");
        Assert.Equal((403, true), (said.Status, said.Message.Contains("The bill of March", StringComparison.Ordinal)));
        Assert.DoesNotContain("bill", (await nobody.RefusedAsync("/api/session", new { email = "ada@example.com", password = "wrong" }, "password")).Message, StringComparison.Ordinal);
        using (var asks = new HttpRequestMessage(HttpMethod.Get, "/api/people") { Headers = { Authorization = new("Bearer", key) } })
        {
            Assert.Equal(HttpStatusCode.Unauthorized, (await nobody.Http.SendAsync(asks)).StatusCode);
        }

        // The other practice goes on as it did.
        Assert.Equal(HttpStatusCode.OK, (await stranger.SendAsync(HttpMethod.Get, "/api/people")).StatusCode);

        // What is due waits, and no worker turns round for it.
        await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, Site.Now + Duration.FromHours(28)));
        var touch = db.Touches.AsNoTracking().Where(t => t.PersonId == person);
        await there.WorkAsync();
        Assert.False(await there.Services.GetRequiredService<EngineRoom>().WorkAsync(default));
        Assert.Equal((TouchStatus.Planned, 0), await touch.Select(t => new ValueTuple<TouchStatus, int>(t.Status, t.Attempts)).SingleAsync());
        var row = await PracticeAsync(keeper, there.Practice);
        Assert.NotEqual(JsonValueKind.Null, row.GetProperty("stoppedAt").ValueKind);
        Assert.NotEqual(JsonValueKind.Null, row.GetProperty("waitsSince").ValueKind);

        Assert.All(await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => keeper.PostAsync($"/api/keeper/practices/{there.Practice}/start"))), s => Assert.Equal(HttpStatusCode.NoContent, s.StatusCode));
        Assert.Equal(HttpStatusCode.NotFound, (await keeper.PostAsync($"/api/keeper/practices/{Guid.NewGuid()}/start")).StatusCode);
        await there.WorkAsync();
        Assert.NotEqual(0, (await touch.SingleAsync()).Attempts);
        ada = await there.SignedInAsync("ada");
        var journal = (await ada.GetAsync("/api/journal")).GetRawText();
        Assert.Contains("stopped the practice, as keeper of the installation", journal, StringComparison.Ordinal);
        Assert.Contains("let the practice go on", journal, StringComparison.Ordinal);

        // Its principals were told once each, from the installation, because its own mail waited.
        await using var house = there.Database.For(PracticeRow.House);
        Assert.Equal(1, await house.OwnMails.CountAsync(m => m.ToAddress == "ada@example.com" && m.Subject.EndsWith("is stopped")));
        Assert.Equal(1, await house.OwnMails.CountAsync(m => m.ToAddress == "ada@example.com" && m.Subject.EndsWith("goes on")));
    }

    [Fact]
    public async Task Keepers_take_each_other_out_and_one_stays()
    {
        var first = await KeeperAsync("stays@example.com");
        async Task<List<Guid>> OthersAsync()
        {
            var house = await first.GetAsync("/api/keeper");
            return [.. house.GetProperty("keepers").EnumerateArray().Where(k => k.GetProperty("email").GetString() != "stays@example.com").Select(k => k.GetProperty("id").GetGuid())];
        }

        var second = await KeeperAsync("goes@example.com");
        foreach (var other in await OthersAsync())
        {
            await first.DoAsync($"/api/keeper/keepers/{other}", null, HttpMethod.Delete);
        }

        Assert.Equal(HttpStatusCode.Unauthorized, (await second.SendAsync(HttpMethod.Get, "/api/keeper")).StatusCode);
        var me = (await first.GetAsync("/api/session")).GetProperty("member").GetProperty("id").GetGuid();
        Assert.Equal(HttpStatusCode.Conflict, (await first.SendAsync(HttpMethod.Delete, $"/api/keeper/keepers/{me}")).StatusCode);
        await using var db = site.Db();
        var ada = await db.Users.Where(u => u.Email == "ada@example.com").Select(u => u.Id).SingleAsync();
        Assert.Equal(HttpStatusCode.NotFound, (await first.SendAsync(HttpMethod.Delete, $"/api/keeper/keepers/{ada}")).StatusCode);
    }

    /// <summary>A site that nobody else stops practices of.</summary>
    private sealed class OwnSite : IAsyncDisposable
    {
        public Site Site { get; } = new();

        public ValueTask DisposeAsync() => new(((IAsyncLifetime)Site).DisposeAsync());
    }
}
