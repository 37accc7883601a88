using System.Net;
using System.Text.Json;
using Germinal.Store;
using Germinal.Store.Tests;
using Microsoft.AspNetCore.Hosting;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Web.Tests;

/// <summary>An installation without a practice: the first one is made on its page, once, by whoever has the key; then part after part.</summary>
public sealed class BeginningApiTests : IAsyncLifetime
{
    private const string Password = "the kettle knew it first";
    private readonly TestDatabase database = new();
    private readonly string data = Directory.CreateTempSubdirectory("germinal-beginning-").FullName;
    private WebApplicationFactory<Program> site = null!;

    public Task InitializeAsync()
    {
        site = new WebApplicationFactory<Program>().WithWebHostBuilder(builder =>
        {
            builder.UseEnvironment("Production");
            builder.UseSetting("GERMINAL_DB", database.ConnectionString);
            builder.UseSetting("GERMINAL_DATA", data);
            builder.UseSetting("GERMINAL_RESOLVER", "none");
            builder.UseSetting("GERMINAL_PRIVATE_SERVERS", "1");
        });
        return Task.CompletedTask;
    }

    public async Task DisposeAsync()
    {
        await site.DisposeAsync();
        database.Dispose();
        Directory.Delete(data, true);
    }

    private string Key => File.ReadAllText(Path.Combine(data, "beginning-key"));

    private async Task<Member> BrowserAsync()
    {
        var member = new Member(site.CreateClient(new WebApplicationFactoryClientOptions { AllowAutoRedirect = false }));
        await member.RefreshGuardAsync();
        return member;
    }

    private static object Body(string key, string email = "iris@example.com", string country = "US", string zone = "America/New_York", string password = Password) =>
        new { key, practice = "Fern & Hollow", name = "Iris Fern", email, password, zone, country };

    [Fact]
    public async Task The_first_practice_is_made_once_by_whoever_has_the_key()
    {
        var iris = await BrowserAsync();
        Assert.True((await iris.GetAsync("/api/session")).GetProperty("noPractice").GetBoolean());
        Assert.Equal(400, (await iris.RefusedAsync("/api/session/begin", Body("made up"), "key")).Status);
        Assert.Equal(400, (await iris.RefusedAsync("/api/session/begin", Body(Key, email: "<b>nobody"), "email")).Status);
        Assert.Equal(400, (await iris.RefusedAsync("/api/session/begin", Body(Key, zone: "Mars/Olympus"), "zone")).Status);
        Assert.Equal(400, (await iris.RefusedAsync("/api/session/begin", Body(Key, country: "XX"), "country")).Status);
        Assert.Equal(400, (await iris.RefusedAsync("/api/session/begin", Body(Key, password: "irisfernirisfern"), "password")).Status);

        var key = Key;
        var browsers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => BrowserAsync()));
        var many = await Task.WhenAll(browsers.Select(async (b, i) => (await b.PostAsync("/api/session/begin", Body(key, $"iris{i}@example.com"))).StatusCode));
        Assert.Single(many, s => s == HttpStatusCode.NoContent);
        Assert.Equal(9, many.Count(s => s == HttpStatusCode.Conflict));
        Assert.False(File.Exists(Path.Combine(data, "beginning-key")));

        var first = browsers[Array.IndexOf(many, HttpStatusCode.NoContent)];
        await first.RefreshGuardAsync();
        var session = await first.GetAsync("/api/session");
        Assert.Equal(("principal", true, false), (session.GetProperty("role").GetString(), session.GetProperty("begins").GetBoolean(), session.GetProperty("isDemo").GetBoolean()));
        await using var scope = site.Services.CreateAsyncScope();
        var db = scope.ServiceProvider.GetRequiredService<GerminalDb>();
        var practice = await db.Practices.SingleAsync();
        Assert.Equal(("US", "08:00", "21:00", 3, 18), (practice.Settings.HolidaysOf, practice.Settings.QuietFrom, practice.Settings.QuietTo, practice.Settings.InquiryMonths, practice.Settings.ClientMonths));
        Assert.True((await first.GetAsync("/api/clock")).GetProperty("real").GetBoolean());

        // Who comes too late is told so, whatever key they have.
        Assert.Equal(409, (await (await BrowserAsync()).RefusedAsync("/api/session/begin", Body(key), "key")).Status);
    }

    [Fact]
    public async Task Each_part_is_done_because_it_is_and_what_is_wrong_is_said_at_its_field()
    {
        var iris = await BrowserAsync();
        await iris.DoAsync("/api/session/begin", Body(Key));
        await iris.RefreshGuardAsync();
        async Task<JsonElement> PartAsync(string key) => (await iris.GetAsync("/api/beginning")).GetProperty("parts").EnumerateArray().Single(p => p.GetProperty("key").GetString() == key);
        async Task<bool> DoneAsync(string key) => (await PartAsync(key)).GetProperty("done").GetBoolean();
        foreach (var key in new[] { "who", "look", "mail", "people", "members", "program", "letter" })
        {
            Assert.False(await DoneAsync(key), key);
        }

        Assert.Equal(400, (await iris.RefusedAsync("/api/beginning/who", new { practice = "Fern", zone = "America/New_York", country = "DE", postalAddress = " " }, "postalAddress", HttpMethod.Put)).Status);
        await iris.DoAsync("/api/beginning/who", new { practice = "Fern & Hollow", zone = "Europe/Berlin", country = "DE", postalAddress = "3 Quay Lane\nPort Averil" }, HttpMethod.Put);
        Assert.True(await DoneAsync("who"));
        var practice = await iris.GetAsync("/api/practice");
        Assert.Equal(("09:00", "Europe/Berlin"), (practice.GetProperty("quietFrom").GetString(), practice.GetProperty("zone").GetString()));
        Assert.Equal(["post"], practice.GetProperty("openChannels").EnumerateArray().Select(c => c.GetString()!));

        // A colour that cannot be read is refused with the nearest that can.
        var (status, message) = await iris.RefusedAsync("/api/beginning/look", new { colour = "#ffee66", groundColour = "" }, "colour", HttpMethod.Put);
        Assert.Equal(400, status);
        var nearest = System.Text.RegularExpressions.Regex.Match(message, "#[0-9a-f]{6}").Value;
        await iris.DoAsync("/api/beginning/look", new { colour = nearest, groundColour = "#1f2620" }, HttpMethod.Put);
        Assert.True(await DoneAsync("look"));

        // Without a server that works nothing is kept; the answer is the server's own.
        Assert.Equal(400, (await iris.RefusedAsync("/api/beginning/mail", new { host = "", port = 25, security = "none", user = "" }, "host", HttpMethod.Put)).Status);
        var tried = await iris.DoAsync("/api/beginning/mail", new { host = "127.0.0.1", port = 1, security = "none", user = "" }, HttpMethod.Put);
        Assert.False(tried.GetProperty("worked").GetBoolean());
        Assert.False(await DoneAsync("mail"));
        Assert.Equal(JsonValueKind.Null, (await iris.GetAsync("/api/beginning")).GetProperty("mail").ValueKind);

        await iris.DoAsync("/api/people", new { firstName = "Ida", lastName = "Rowan", email = "ida@example.com" });
        Assert.True(await DoneAsync("people"));
        await iris.DoAsync("/api/members", new { name = "Noor", email = "noor@example.com", role = "assistant" });
        Assert.True(await DoneAsync("members"));

        await iris.DoAsync("/api/beginning/parts/letter", new { putOff = true }, HttpMethod.Put);
        Assert.True((await PartAsync("letter")).GetProperty("putOff").GetBoolean());
        await iris.DoAsync("/api/beginning/parts/letter", new { putOff = false }, HttpMethod.Put);
        Assert.False((await PartAsync("letter")).GetProperty("putOff").GetBoolean());
        Assert.Equal(HttpStatusCode.NotFound, (await iris.SendAsync(HttpMethod.Put, "/api/beginning/parts/moon", new { putOff = true })).StatusCode);
        await iris.DoAsync("/api/beginning/shown", new { shown = false }, HttpMethod.Put);
        Assert.False((await iris.GetAsync("/api/session")).GetProperty("begins").GetBoolean());
    }

    [Fact]
    public async Task Servers_are_looked_for_by_the_address_and_what_was_found_is_told()
    {
        var iris = await BrowserAsync();
        await iris.DoAsync("/api/session/begin", Body(Key));
        await iris.RefreshGuardAsync();
        var found = await iris.DoAsync("/api/beginning/mail/find", new { address = "iris@invalid" + ".example" });
        var servers = found.GetProperty("servers").EnumerateArray().ToList();
        Assert.Equal(4, servers.Count);
        Assert.All(servers, s => Assert.False(s.GetProperty("answers").GetBoolean()));
        Assert.All(servers, s => Assert.NotEmpty(s.GetProperty("words").GetString()!));
        Assert.Equal(400, (await iris.RefusedAsync("/api/beginning/mail/find", new { address = "nothing" }, "address")).Status);
    }
}
