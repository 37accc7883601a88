using System.Net;
using System.Text.Json;

namespace Germinal.Web.Tests;

/// <summary>The health of sending: who may change what, and what is refused.</summary>
public sealed class SendingApiTests(Site site) : IClassFixture<Site>
{
    private static JsonElement Own(JsonElement health) => health.GetProperty("own").EnumerateArray().Single(o => o.GetProperty("domain").GetString() == "example.com");

    [Fact]
    public async Task Keys_are_made_used_and_ended_and_no_private_key_is_ever_shown()
    {
        var ada = await site.SignedInAsync("ada");
        var made = await ada.DoAsync("/api/sending/keys", new { domain = "example.com" });
        var key = Own(made).GetProperty("keys")[0];
        var selector = key.GetProperty("selector").GetString();
        Assert.StartsWith("v=DKIM1; k=rsa; p=", key.GetProperty("value").GetString(), StringComparison.Ordinal);
        Assert.Equal(JsonValueKind.Null, key.GetProperty("usedFrom").ValueKind);
        Assert.Equal(HttpStatusCode.Conflict, (await ada.PostAsync("/api/sending/keys", new { domain = "example.com" })).StatusCode);
        var records = await ada.GetAsync("/api/sending/records?domain=example.com");
        Assert.Equal(["spf", "dkim", "dmarc"], records.EnumerateArray().Select(r => r.GetProperty("kind").GetString()));

        // Ten at once: it is used once.
        var used = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync("/api/sending/keys/use", new { domain = "example.com", selector })));
        Assert.Single(used, a => a.StatusCode == HttpStatusCode.OK);
        Assert.Equal(9, used.Count(a => a.StatusCode == HttpStatusCode.Conflict));
        var all = (await ada.GetAsync("/api/sending")) + (await ada.GetAsync("/api/practice")).ToString() + await ada.Http.GetStringAsync("/api/practice/file");
        Assert.DoesNotContain("sealed", all, StringComparison.OrdinalIgnoreCase);
        Assert.DoesNotContain("MIIEv", all, StringComparison.Ordinal);
        Assert.Equal(HttpStatusCode.Conflict, (await ada.PostAsync("/api/sending/keys/throw-away", new { domain = "example.com", selector })).StatusCode);
        await ada.DoAsync("/api/sending/keys/end", new { domain = "example.com" });
        Assert.Equal(HttpStatusCode.Conflict, (await ada.PostAsync("/api/sending/keys/end", new { domain = "example.com" })).StatusCode);
        await ada.DoAsync("/api/sending/keys", new { domain = "example.com" });
        await ada.DoAsync("/api/sending/keys/throw-away", new { domain = "example.com", selector = selector + "-2" });
        Assert.Equal(1, Own(await ada.GetAsync("/api/sending")).GetProperty("keys").GetArrayLength());
    }

    [Fact]
    public async Task Everybody_sees_it_and_only_the_principal_changes_it()
    {
        var (wren, other, nobody) = (await site.SignedInAsync("wren"), await site.SignedInAsync("ada2"), await site.NobodyAsync());
        Assert.True((await wren.GetAsync("/api/sending")).GetProperty("brake").GetProperty("on").GetBoolean());
        foreach (var path in new[] { "/keys", "/keys/use", "/keys/end", "/keys/throw-away", "/brake/release" })
        {
            Assert.Equal(HttpStatusCode.Forbidden, (await wren.PostAsync($"/api/sending{path}", new { domain = "example.com" })).StatusCode);
            Assert.Equal(HttpStatusCode.Unauthorized, (await nobody.PostAsync($"/api/sending{path}", new { domain = "example.com" })).StatusCode);
        }

        Assert.Equal(HttpStatusCode.Forbidden, (await wren.SendAsync(HttpMethod.Put, "/api/sending/brake", new { on = false })).StatusCode);
        Assert.Equal(HttpStatusCode.Unauthorized, (await nobody.SendAsync(HttpMethod.Get, "/api/sending")).StatusCode);
        Assert.Equal(HttpStatusCode.Unauthorized, (await nobody.SendAsync(HttpMethod.Get, "/api/sending/records?domain=example.com")).StatusCode);

        // Another practice's brake is its own.
        await other.DoAsync("/api/sending/brake", new { on = false, bouncePercent = 7, complaintPercent = 0.2 }, HttpMethod.Put);
        Assert.Equal(7, (await other.GetAsync("/api/sending")).GetProperty("brake").GetProperty("bouncePercent").GetDecimal());
        Assert.Equal(5, (await wren.GetAsync("/api/sending")).GetProperty("brake").GetProperty("bouncePercent").GetDecimal());
    }

    [Theory]
    [InlineData("bouncePercent", 0.5, 0.3), InlineData("bouncePercent", 99, 0.3), InlineData("complaintPercent", 5, 0), InlineData("complaintPercent", 5, 50), InlineData("bouncePercent", -1, -1)]
    public async Task Limits_that_stop_everything_or_nothing_are_told_at_the_field(string field, double bouncePercent, double complaintPercent)
    {
        var ada = await site.SignedInAsync("ada");
        Assert.Equal(400, (await ada.RefusedAsync("/api/sending/brake", new { on = true, bouncePercent, complaintPercent }, field, HttpMethod.Put)).Status);
    }

    [Theory]
    [InlineData("elsewhere.example.net"), InlineData(""), InlineData("example.com\0"), InlineData("'; DROP TABLE people; --"), InlineData("<script>")]
    public async Task A_domain_nobody_writes_from_is_refused(string domain)
    {
        var ada = await site.SignedInAsync("ada");
        foreach (var path in new[] { "/keys", "/keys/use", "/keys/end", "/keys/throw-away" })
        {
            Assert.Equal(HttpStatusCode.BadRequest, (await ada.PostAsync($"/api/sending{path}", new { domain, selector = "g" })).StatusCode);
        }

        Assert.Equal(HttpStatusCode.BadRequest, (await ada.SendAsync(HttpMethod.Get, $"/api/sending/records?domain={Uri.EscapeDataString(domain)}")).StatusCode);
        Assert.Equal(HttpStatusCode.BadRequest, (await ada.PostAsync("/api/sending/keys", new { domain = new string('x', 5_000_000) })).StatusCode);
        Assert.Equal(HttpStatusCode.Conflict, (await ada.PostAsync("/api/sending/brake/release", new { })).StatusCode);
    }
}
