using System.Net;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>The proof: reading messages before they go.</summary>
public sealed class ProofApiTests(Site site) : IClassFixture<Site>
{
    private const string Steps = """
        [{"id":"a","kind":"email","when":{"from":"start","offset":"P1D"},"subject":"Hello {{ person.first_name }}","body":"<p>Dear {{ person.first_name }}</p>"},
         {"id":"b","kind":"email","when":{"from":"previous","offset":"P2D"},"subject":"Next","body":"<p>b</p>"}]
        """;

    private async Task<string> PersonAsync(Member ada, string first, string name, string more = """{"at":"09:30"}""")
    {
        var person = (await ada.DoAsync("/api/people", new { firstName = first, lastName = "Proof", email = $"{first.ToLowerInvariant()}@example.com" })).GetProperty("id").GetString()!;
        await ada.DoAsync($"/api/people/{person}/consent", new { channel = "email", @in = true, reason = "told me" });
        var program = await PeopleApiTests.ProgramAsync(ada, name, Steps, more);
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await site.WorkAsync();
        return person;
    }

    private static async Task<List<JsonElement>> StackAsync(Member ada, string person, string span = "tomorrow") =>
        [.. (await ada.GetAsync($"/api/proof?span={span}")).GetProperty("items").EnumerateArray().Where(i => i.GetProperty("person").GetProperty("id").GetString() == person)];

    private static string TouchOf(JsonElement item) => item.GetProperty("touchId").GetString()!;

    [Fact]
    public async Task The_stack_has_what_goes_filled_in_and_each_is_read_held_or_dropped()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Stacka", "Stacked");
        Assert.Empty(await StackAsync(ada, person, "today"));
        Assert.Equal(2, (await StackAsync(ada, person, "week")).Count);
        var item = Assert.Single(await StackAsync(ada, person));
        Assert.Equal(("Hello Stacka", "Stacked", false, false, false), (item.GetProperty("subject").GetString(), item.GetProperty("program").GetString(), item.GetProperty("read").GetBoolean(), item.GetProperty("held").GetBoolean(), item.GetProperty("waits").GetBoolean()));

        var touch = TouchOf(item);
        await ada.DoAsync($"/api/touches/{touch}/read?person={person}");
        item = Assert.Single(await StackAsync(ada, person));
        Assert.True(item.GetProperty("read").GetBoolean());
        Assert.True((await ada.GetAsync($"/api/touches/{touch}?person={person}")).GetProperty("proof").GetProperty("read").GetBoolean());
        await ada.DoAsync($"/api/touches/{touch}/hold?person={person}");
        item = Assert.Single(await StackAsync(ada, person));
        Assert.Equal((true, false), (item.GetProperty("held").GetBoolean(), item.GetProperty("read").GetBoolean()));
        await ada.DoAsync($"/api/touches/{touch}/drop?person={person}");
        Assert.Empty(await StackAsync(ada, person));

        // One that is foreseen only is read all the same.
        var next = TouchOf((await StackAsync(ada, person, "week"))[^1]);
        await ada.DoAsync($"/api/touches/{next}/read?person={person}");
        Assert.Contains(await StackAsync(ada, person, "week"), i => TouchOf(i) == next && i.GetProperty("read").GetBoolean());
        Assert.Equal(HttpStatusCode.BadRequest, (await ada.Http.GetAsync("/api/proof?span=ever")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await (await site.SignedInAsync("ada2")).PostAsync($"/api/touches/{next}/read?person={person}")).StatusCode);
    }

    [Fact]
    public async Task What_waits_to_be_read_says_so_and_goes_when_it_was()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Waita", "Waits to be read", """{"at":"09:30","unread":"waits"}""");
        var item = Assert.Single(await StackAsync(ada, person));
        Assert.True(item.GetProperty("waits").GetBoolean());
        var touch = TouchOf(item);
        async Task<List<string?>> WhyAsync() => [.. (await ada.GetAsync($"/api/touches/{touch}?person={person}")).GetProperty("why").EnumerateArray().Select(w => w.GetProperty("text").GetString())];
        Assert.Contains("It waits until somebody has read it; its program says so.", await WhyAsync());
        await using (var db = site.Db())
        {
            // Tomorrow at noon it is still here: nobody has read it.
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, Site.Now + NodaTime.Duration.FromHours(28)));
        }

        await site.WorkAsync();
        await using (var db = site.Db())
        {
            Assert.Equal(Core.Engine.TouchStatus.Planned, (await db.Touches.AsNoTracking().SingleAsync(t => t.Id == Guid.Parse(touch))).Status);
        }

        Assert.Single(await StackAsync(ada, person, "today"));
        await ada.DoAsync($"/api/touches/{touch}/read?person={person}");
        await site.WorkAsync();
        await using (var db = site.Db())
        {
            Assert.NotEqual(Core.Engine.TouchStatus.Planned, (await db.Touches.AsNoTracking().SingleAsync(t => t.Id == Guid.Parse(touch))).Status);
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, Site.Now));
        }
    }

    [Fact]
    public async Task One_message_gets_words_of_its_own_that_can_be_filled_and_its_program_s_again()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Worda", "Words of its own");
        var touch = TouchOf(Assert.Single(await StackAsync(ada, person)));
        var path = $"/api/touches/{touch}/words?person={person}";
        var words = await ada.GetAsync(path);
        Assert.Equal(("email", "Hello {{ person.first_name }}", JsonValueKind.Null), (words.GetProperty("kind").GetString(), words.GetProperty("subject").GetString(), words.GetProperty("by").ValueKind));

        Assert.Contains("subject", (await ada.RefusedAsync(path, new { subject = " ", body = "<p>x</p>" }, "subject", HttpMethod.Put)).Message, StringComparison.OrdinalIgnoreCase);
        Assert.Contains("cannot be filled", (await ada.RefusedAsync(path, new { subject = "x", body = "{{ person.birthday }}" }, "body", HttpMethod.Put)).Message, StringComparison.Ordinal);
        await ada.RefusedAsync(path, new { subject = "x", body = "{% if %}" }, "body", HttpMethod.Put);

        await ada.DoAsync(path, new { subject = "Only for {{ person.first_name }}", body = "<p>Come by.</p><script>alert(1)</script>" }, HttpMethod.Put);
        var item = Assert.Single(await StackAsync(ada, person));
        Assert.Equal(("Only for Worda", true), (item.GetProperty("subject").GetString(), item.GetProperty("reworded").GetBoolean()));
        var read = await ada.GetAsync($"/api/touches/{touch}?person={person}");
        Assert.Equal(("Only for Worda", "<p>Come by.</p>"), (read.GetProperty("subject").GetString(), read.GetProperty("html").GetString()));
        Assert.Equal("Only for Worda", (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("coming")[0].GetProperty("title").GetString());
        Assert.Equal("Ada Quill", (await ada.GetAsync(path)).GetProperty("by").GetString());

        // Not another practice's, not another person's, not a message that is not there.
        var other = await site.SignedInAsync("ada2");
        Assert.Equal(HttpStatusCode.NotFound, (await other.Http.GetAsync(path)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Put, path, new { subject = "x", body = "y" })).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Delete, path)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.SendAsync(HttpMethod.Put, $"/api/touches/{Guid.NewGuid()}/words?person={person}", new { subject = "x", body = "y" })).StatusCode);

        await ada.DoAsync(path, null, HttpMethod.Delete);
        Assert.Equal("Hello Worda", Assert.Single(await StackAsync(ada, person)).GetProperty("subject").GetString());

        // Ten at once leave one.
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(i => ada.SendAsync(HttpMethod.Put, path, new { subject = $"Number {i}", body = "<p>x</p>" })));
        Assert.All(answers, a => Assert.Equal(HttpStatusCode.NoContent, a.StatusCode));
        await using var db = site.Db();
        Assert.Single(await db.OwnWords.Where(w => w.TouchId == Guid.Parse(touch)).ToListAsync());
    }
}
