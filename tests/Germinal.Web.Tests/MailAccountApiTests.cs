using System.Net;
using System.Text.Json;
using Germinal.Service.Engine;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.Http;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Web.Tests;

/// <summary>One's own mail account, as its page asks for it: what is wrong is said where it is, nothing is kept that does not work, and nobody comes near another's.</summary>
public sealed class MailAccountApiTests(Site site) : IClassFixture<Site>
{
    private static object Server(string host, int port, string? password = "secret") => new { host, port, security = "none", user = "ada", password };

    private async Task<Guid> AccountAsync(string email)
    {
        await using var db = site.Db();
        var member = await db.Users.SingleAsync(u => u.Email == email);
        await db.MailAccounts.IgnoreQueryFilters().Where(a => a.MemberId == member.Id).ExecuteDeleteAsync();
        var secrets = site.Services.GetRequiredService<Secrets>();
        db.MailAccounts.Add(
            new MailAccountRow
            {
                MemberId = member.Id,
                PracticeId = member.PracticeId,
                Address = email,
                Out = new MailServerSettings { Host = "mail.example.org", Port = 465, User = "ada", SealedPassword = secrets.Seal("very-secret-word") },
                In = new MailServerSettings { Host = "mail.example.org", Port = 993, User = "ada", SealedPassword = secrets.Seal("very-secret-word") },
                Issuer = "https://accounts.example.org",
                SealedRefresh = secrets.Seal("very-secret-word"),
            }
        );
        await db.SaveChangesAsync();
        return member.Id;
    }

    [Fact]
    public async Task What_is_wrong_is_said_at_its_field_and_nothing_is_kept_that_does_not_work()
    {
        var wren = await site.SignedInAsync("wren");
        Assert.Equal(JsonValueKind.Null, (await wren.GetAsync("/api/me/mail")).GetProperty("account").ValueKind);
        Assert.Contains("is not an email address", (await wren.RefusedAsync("/api/me/mail", new { address = "x", @out = Server("mail.example.org", 465) }, "address", HttpMethod.Put)).Message, StringComparison.Ordinal);
        Assert.Contains("Name the server", (await wren.RefusedAsync("/api/me/mail", new { address = "wren@example.com" }, "out", HttpMethod.Put)).Message, StringComparison.Ordinal);
        Assert.Contains("port from 1", (await wren.RefusedAsync("/api/me/mail", new { address = "wren@example.com", @out = Server("mail.example.org", 0) }, "out", HttpMethod.Put)).Message, StringComparison.Ordinal);
        Assert.Contains("Give the password", (await wren.RefusedAsync("/api/me/mail", new { address = "wren@example.com", @out = Server("mail.example.org", 465, null) }, "out", HttpMethod.Put)).Message, StringComparison.Ordinal);
        Assert.Contains("port from 1", (await wren.RefusedAsync("/api/me/mail", new { address = "wren@example.com", @out = Server("mail.example.org", 465), @in = Server("mail.example.org", 99_999) }, "in", HttpMethod.Put)).Message, StringComparison.Ordinal);

        // Nobody is at home there: the page is told so, and nothing is kept.
        var tried = await wren.DoAsync("/api/me/mail", new { address = "wren@example.com", @out = Server("127.0.0.1", 9) }, HttpMethod.Put);
        Assert.False(tried.GetProperty("worked").GetBoolean());
        Assert.Contains("does not answer", tried.GetProperty("words").GetString(), StringComparison.Ordinal);
        Assert.Equal(JsonValueKind.Null, (await wren.GetAsync("/api/me/mail")).GetProperty("account").ValueKind);
        Assert.Equal(HttpStatusCode.NotFound, (await wren.SendAsync(HttpMethod.Put, "/api/me/mail/rules", new { perDay = 5 })).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await wren.SendAsync(HttpMethod.Delete, "/api/me/mail")).StatusCode);

        var way = new { address = "wren@example.com", @out = Server("mail.example.org", 465), issuer = "nowhere", clientId = "germinal" };
        Assert.Contains("is no address", (await wren.RefusedAsync("/api/me/mail/provider", way, "issuer")).Message, StringComparison.Ordinal);
        Assert.Contains("client id", (await wren.RefusedAsync("/api/me/mail/provider", way with { issuer = "http://127.0.0.1:9", clientId = " " }, "clientId")).Message, StringComparison.Ordinal);
        Assert.Equal(400, (await wren.RefusedAsync("/api/me/mail/provider", way with { issuer = "http://127.0.0.1:9" }, "issuer")).Status);
    }

    [Fact]
    public async Task Its_rules_are_kept_its_secrets_are_not_told_and_it_is_nobody_elses()
    {
        var tomas = await AccountAsync("tomas@example.com");
        var member = await site.SignedInAsync("tomas");
        Assert.Equal(400, (await member.RefusedAsync("/api/me/mail/rules", new { perDay = 0 }, "perDay", HttpMethod.Put)).Status);
        Assert.Contains("nearly everything", (await member.RefusedAsync("/api/me/mail/rules", new { @private = new[] { "a" } }, "private", HttpMethod.Put)).Message, StringComparison.Ordinal);
        var rules = new { perDay = 300, takesIn = true, @private = new[] { "@bank.example.net", " ", "<b>Club</b>", "@BANK.example.net" } };
        var kept = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => member.SendAsync(HttpMethod.Put, "/api/me/mail/rules", rules)));
        Assert.All(kept, k => Assert.Equal(HttpStatusCode.NoContent, k.StatusCode));
        var read = await member.GetAsync("/api/me/mail");
        var account = read.GetProperty("account");
        Assert.Equal((300, true), (account.GetProperty("perDay").GetInt32(), account.GetProperty("takesIn").GetBoolean()));
        Assert.Equal(["@bank.example.net", "<b>Club</b>"], account.GetProperty("private").EnumerateArray().Select(p => p.GetString()));
        Assert.DoesNotContain("very-secret-word", read.GetRawText(), StringComparison.Ordinal);
        Assert.DoesNotContain("seal", read.GetRawText(), StringComparison.OrdinalIgnoreCase);

        // Ada, a principal of the same practice, has none; and what she puts away is not his.
        var ada = await site.SignedInAsync("ada");
        Assert.Equal(HttpStatusCode.NotFound, (await ada.SendAsync(HttpMethod.Delete, "/api/me/mail")).StatusCode);
        await using var db = site.Db();
        Assert.True(await db.MailAccounts.AnyAsync(a => a.MemberId == tomas));
        Assert.Equal(HttpStatusCode.NoContent, (await member.SendAsync(HttpMethod.Delete, "/api/me/mail")).StatusCode);
        Assert.False(await db.MailAccounts.AnyAsync(a => a.MemberId == tomas));
    }

    /// <summary>Whoever comes back from a provider has to be the browser that went there.</summary>
    [Fact]
    public async Task A_made_up_way_back_changes_nothing()
    {
        await using var issuer = await Elsewhere.StartAsync(async http =>
        {
            var here = $"http://{http.Request.Host}";
            await (
                http.Request.Path.Value!.EndsWith("openid-configuration", StringComparison.Ordinal)
                    ? http.Response.WriteAsJsonAsync(new Dictionary<string, string> { ["issuer"] = here, ["authorization_endpoint"] = $"{here}/authorize", ["token_endpoint"] = $"{here}/token" })
                    : http.Response.WriteAsJsonAsync(new { access_token = "a", refresh_token = "r", token_type = "Bearer", expires_in = 60 })
            );
        });
        var ada = await site.SignedInAsync("ada");
        var way = await ada.DoAsync("/api/me/mail/provider", new { address = "ada@example.com", @out = Server("127.0.0.1", 9), issuer = issuer.Address, clientId = "germinal" });
        var there = new Uri(way.GetProperty("address").GetString()!);
        var asked = System.Web.HttpUtility.ParseQueryString(there.Query);
        Assert.Equal(("code", "S256", "germinal", "https://germinal.example.com/mail-account/back", "ada@example.com"), (asked["response_type"], asked["code_challenge_method"], asked["client_id"], asked["redirect_uri"], asked["login_hint"]));

        async Task<string?> BackAsync(Member browser, string query)
        {
            var answer = await browser.Http.GetAsync($"/mail-account/back?{query}");
            Assert.Equal("/you/mail", answer.Headers.Location?.ToString());
            return (await browser.GetAsync("/api/me/mail")).GetProperty("said").GetString();
        }

        // Another's browser, with the right words of the address; and this one with wrong ones, or words of the provider's.
        var tomas = await site.SignedInAsync("tomas");
        Assert.Contains("another browser", await BackAsync(tomas, $"code=x&state={asked["state"]}"), StringComparison.Ordinal);
        Assert.Contains("another browser", await BackAsync(ada, "code=x&state=made-up"), StringComparison.Ordinal);
        way = await ada.DoAsync("/api/me/mail/provider", new { address = "ada@example.com", @out = Server("127.0.0.1", 9), issuer = issuer.Address, clientId = "germinal" });
        var state = System.Web.HttpUtility.ParseQueryString(new Uri(way.GetProperty("address").GetString()!).Query)["state"];
        Assert.Contains("said no: Not allowed", await BackAsync(ada, $"error=access_denied&error_description=Not+allowed&state={state}"), StringComparison.Ordinal);

        // The way is gone with its first use; told once, it is told no more.
        Assert.Contains("another browser", await BackAsync(ada, $"code=x&state={state}"), StringComparison.Ordinal);
        Assert.Equal(JsonValueKind.Null, (await ada.GetAsync("/api/me/mail")).GetProperty("said").ValueKind);

        // A right way to servers that do not answer: nothing is kept.
        way = await ada.DoAsync("/api/me/mail/provider", new { address = "ada@example.com", @out = Server("127.0.0.1", 9), issuer = issuer.Address, clientId = "germinal" });
        state = System.Web.HttpUtility.ParseQueryString(new Uri(way.GetProperty("address").GetString()!).Query)["state"];
        Assert.Contains("does not answer", await BackAsync(ada, $"code=x&state={state}"), StringComparison.Ordinal);
        Assert.Equal(JsonValueKind.Null, (await ada.GetAsync("/api/me/mail")).GetProperty("account").ValueKind);
    }
}
