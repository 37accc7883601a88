using System.Net;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>Each reads and is answered in their own language: members, the practice, whoever it writes to.</summary>
public sealed class TonguesTests(Site site) : IClassFixture<Site>
{
    private static HttpRequestMessage Asking(string path, string? cookie = null, string? accepts = null)
    {
        var ask = new HttpRequestMessage(HttpMethod.Get, path);
        if (cookie is not null)
        {
            ask.Headers.Add("Cookie", $"germinal-tongue={cookie}");
        }

        if (accepts is not null)
        {
            ask.Headers.TryAddWithoutValidation("Accept-Language", accepts);
        }

        return ask;
    }

    [Theory]
    [InlineData(null, null, "There is no such film")]
    [InlineData(null, "de", "Diesen Film gibt es nicht")]
    [InlineData(null, "fr-FR, de-AT;q=0.7, en;q=0.3", "Diesen Film gibt es nicht")]
    [InlineData(null, "en-US,en;q=0.9,de;q=0.1", "There is no such film")]
    [InlineData(null, "fr, *;q=0.1", "There is no such film")]
    [InlineData("c%3Dde-DE%7Cuic%3Dde-DE", "en", "Diesen Film gibt es nicht")]
    [InlineData("c%3Den-GB%7Cuic%3Den-GB", "de", "There is no such film")]
    [InlineData("nonsense", null, "There is no such film")]
    [InlineData("c%3D..%2F..%7Cuic%3D%00", "\u0001;q=x", "There is no such film")]
    [InlineData("c%3Dzz-ZZ%7Cuic%3Dzz-ZZ", "de;q=1.0", "Diesen Film gibt es nicht")]
    public async Task A_page_answers_in_the_language_of_whoever_asks(string? cookie, string? accepts, string says)
    {
        using var http = site.CreateClient(new() { HandleCookies = false });
        using var answer = await http.SendAsync(Asking("/film/nosuch", cookie, accepts));
        var html = WebUtility.HtmlDecode(await answer.Content.ReadAsStringAsync());
        Assert.Contains(says, html, StringComparison.Ordinal);
        Assert.Contains($"lang=\"{(says.StartsWith("Diesen", StringComparison.Ordinal) ? "de" : "en")}\"", html, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_member_works_in_their_language_else_in_that_of_the_practice()
    {
        var wren = await site.SignedInAsync("wren");
        async Task<string?> SpokenAsync() => (await wren.GetAsync("/api/session")).GetProperty("tongue").GetString();
        Assert.Equal("en-GB", await SpokenAsync());
        Assert.Contains("de-DE", (await wren.RefusedAsync("/api/me/tongue", new { tongue = "fr-FR" }, "tongue", HttpMethod.Put)).Message, StringComparison.Ordinal);
        foreach (var wrong in new[] { new string('x', 5000), "\0", "<b>", "de" })
        {
            Assert.Equal(400, (int)(await wren.SendAsync(HttpMethod.Put, "/api/me/tongue", new { tongue = wrong })).StatusCode);
        }

        var many = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => wren.SendAsync(HttpMethod.Put, "/api/me/tongue", new { tongue = "de-DE" })));
        Assert.All(many, m => Assert.True((int)m.StatusCode is 204 or 409, $"{m.StatusCode}"));
        Assert.Equal("de-DE", await SpokenAsync());
        Assert.Equal("de-DE", (await wren.GetAsync("/api/me")).GetProperty("tongue").GetString());

        await wren.DoAsync("/api/me/tongue", new { tongue = "" }, HttpMethod.Put);
        Assert.Equal("en-GB", await SpokenAsync());
        var ada = await site.SignedInAsync("ada");
        Assert.Contains("en-US", (await ada.RefusedAsync("/api/practice", new { tongue = "xx" }, "tongue", HttpMethod.Put)).Message, StringComparison.Ordinal);
        await ada.DoAsync("/api/practice", new { tongue = "en-US" }, HttpMethod.Put);
        Assert.Equal("en-US", await SpokenAsync());
        Assert.Equal("en-US", (await ada.GetAsync("/api/practice")).GetProperty("tongue").GetString());
        await ada.DoAsync("/api/practice", new { tongue = "en-GB" }, HttpMethod.Put);
        Assert.Equal("en-GB", await SpokenAsync());
    }

    [Fact]
    public async Task A_letter_speaks_the_language_of_its_reader()
    {
        var ada = await site.SignedInAsync("ada");
        var ida = (await ada.DoAsync("/api/people", new { firstName = "Ida", lastName = "Sprachlos", email = "ida.sprachlos@example.com" })).GetProperty("id").GetGuid();
        const string Body = "<p>Today is {{ today }}.</p>";
        async Task<string> ReadAsync()
        {
            var read = await ada.DoAsync("/api/letters/read", new { subject = "A word", body = Body, person = ida, move = 0 });
            return WebUtility.HtmlDecode(read.GetProperty("page").GetString()!);
        }

        var english = await ReadAsync();
        Assert.Contains("Today is 1 March 2027.", english, StringComparison.Ordinal);
        Assert.Contains("<html lang=\"en\">", english, StringComparison.Ordinal);

        var edition = (await ada.GetAsync($"/api/people/{ida}")).GetProperty("edition").GetInt64();
        Assert.Contains("de-DE", (await ada.RefusedAsync($"/api/people/{ida}", new { edition, fields = new { tongue = "xx" } }, "tongue", HttpMethod.Patch)).Message, StringComparison.Ordinal);
        await ada.DoAsync($"/api/people/{ida}", new { edition, fields = new { tongue = "de-DE" } }, HttpMethod.Patch);
        Assert.Equal("de-DE", (await ada.GetAsync($"/api/people/{ida}")).GetProperty("tongue").GetString());
        var german = await ReadAsync();
        Assert.Contains("Today is 1. März 2027.", german, StringComparison.Ordinal);
        Assert.Contains("<html lang=\"de\">", german, StringComparison.Ordinal);
        Assert.Contains("Diese E-Mails beenden", german, StringComparison.Ordinal);

        await ada.DoAsync("/api/practice", new { tongue = "en-US" }, HttpMethod.Put);
        edition = (await ada.GetAsync($"/api/people/{ida}")).GetProperty("edition").GetInt64();
        await ada.DoAsync($"/api/people/{ida}", new { edition, fields = new { tongue = "" } }, HttpMethod.Patch);
        Assert.Contains("Today is March 1, 2027.", await ReadAsync(), StringComparison.Ordinal);
        await ada.DoAsync("/api/practice", new { tongue = "en-GB" }, HttpMethod.Put);
    }

    [Fact]
    public async Task What_is_mailed_to_a_member_is_in_their_language()
    {
        var ada = await site.SignedInAsync("ada");
        await ada.DoAsync("/api/practice", new { tongue = "de-DE" }, HttpMethod.Put);
        await ada.DoAsync("/api/members", new { name = "Noor Vale", email = "noor.tongue@example.com", role = "adviser" });
        await ada.DoAsync("/api/practice", new { tongue = "en-GB" }, HttpMethod.Put);
        await using var db = site.Db();
        var mail = await db.OwnMails.SingleAsync(m => m.ToAddress == "noor.tongue@example.com");
        Assert.Contains("Ada Quill bittet Sie, Alder Quay Planning in Germinal beizutreten.", mail.Text, StringComparison.Ordinal);
    }

    [Fact]
    public async Task What_is_wrong_and_why_is_said_in_the_language_of_whoever_asks()
    {
        var ada = await site.SignedInAsync("ada");
        ada.Http.DefaultRequestHeaders.Add("Accept-Language", "de-DE");
        Assert.Equal("Eine Liste braucht einen Namen, höchstens 80 Buchstaben, ohne Semikolon.", (await ada.RefusedAsync("/api/lists", new { name = "" }, "name")).Message);
        var journal = await ada.GetAsync("/api/journal");
        Assert.Contains(journal.GetProperty("lines").EnumerateArray(), l => l.GetProperty("words").GetString() == "meldete sich an");
    }
}
