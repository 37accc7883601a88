using System.Net;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>How calls end in the practice's own words, and what follows them.</summary>
public sealed class OutcomesApiTests(Site site) : IClassFixture<Site>
{
    private const string Calling = """[{"id":"a","kind":"call","when":{"from":"start","offset":"P0D"},"script":"x"}]""";

    private static int numbers = 10;

    private static object Outcome(string name, bool reached = true, int againDays = 0, bool note = false, string? stage = null, string? appointment = null, string? program = null) =>
        new
        {
            name,
            reached,
            again = (string?)null,
            againDays,
            note,
            stage,
            appointment,
            program,
        };

    private async Task<(string Person, string Touch)> CallAsync(Member ada, string first)
    {
        var person = (await ada.DoAsync("/api/people", new { firstName = first, lastName = "Ending", email = $"{first.ToLowerInvariant()}@example.com", mobile = $"207 555 01{Interlocked.Increment(ref numbers):00}" })).GetProperty("id").GetString()!;
        var program = await PeopleApiTests.ProgramAsync(ada, $"Calls {first}", Calling);
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await site.WorkAsync();
        return (person, (await CallsAsync(ada, person)).Single(c => !c.GetProperty("ownTask").GetBoolean()).GetProperty("touchId").GetString()!);
    }

    private static async Task<List<JsonElement>> CallsAsync(Member ada, string person) =>
        [.. (await ada.GetAsync("/api/today")).GetProperty("calls").EnumerateArray().Where(c => c.GetProperty("person").GetProperty("id").GetString() == person)];

    private static async Task<JsonElement> DealingsAsync(Member ada, string person) => await ada.GetAsync($"/api/people/{person}/dealings");

    [Fact]
    public async Task What_usually_follows_follows_by_itself_and_is_taken_back_with_the_call()
    {
        var ada = await site.SignedInAsync("ada");
        var before = await ada.GetAsync("/api/outcomes");
        Assert.Equal(["spoke", "left word", "no answer", "not interested"], before.EnumerateArray().Select(o => o.GetProperty("name").GetString()));
        var later = await PeopleApiTests.ProgramAsync(ada, "After a call", """[{"id":"a","kind":"task","when":{"from":"start","offset":"P6M"},"title":"Ask again"}]""");
        var saved = await ada.DoAsync(
            "/api/outcomes",
            new { outcomes = new[] { Outcome("spoke"), Outcome("ring later", reached: false, againDays: 3, note: true, stage: "Planning/Client", program: later), Outcome("not interested") } },
            HttpMethod.Put
        );

        // Monday, the first of March: three working days on it is Thursday.
        Assert.Equal("2027-03-04", saved[1].GetProperty("again").GetString());
        var (person, touch) = await CallAsync(ada, "Follo");
        await ada.DoAsync($"/api/people/{person}/opportunities", new { title = "A plan", stage = "Planning/Inquiry" });
        Assert.Equal(400, (await ada.RefusedAsync($"/api/touches/{touch}/done", new { outcome = "left word" }, "outcome")).Status);

        await ada.DoAsync($"/api/touches/{touch}/done", new { outcome = "ring later", remark = "after the harvest" });
        await site.WorkAsync();
        var dealings = await DealingsAsync(ada, person);
        Assert.Equal(
            [("task", "Write a note: after the harvest", "2027-03-01"), ("call", "after the harvest", "2027-03-04")],
            dealings.GetProperty("tasks").EnumerateArray().Select(t => (t.GetProperty("kind").GetString(), t.GetProperty("title").GetString(), t.GetProperty("due").GetString()))
        );
        Assert.Equal("Planning/Client", dealings.GetProperty("opportunities")[0].GetProperty("stage").GetString());
        Assert.Equal("Planning/Client", (await ada.GetAsync($"/api/people/{person}")).GetProperty("stage").GetString());
        await using (var db = site.Db())
        {
            Assert.True(await db.Runs.AnyAsync(r => r.PersonId == Guid.Parse(person) && r.ProgramId == Guid.Parse(later) && r.EndedAt == null));
        }

        await ada.DoAsync($"/api/touches/{touch}/undo");
        await site.WorkAsync();
        dealings = await DealingsAsync(ada, person);
        Assert.Empty(dealings.GetProperty("tasks").EnumerateArray());
        Assert.Equal("Planning/Inquiry", dealings.GetProperty("opportunities")[0].GetProperty("stage").GetString());
        Assert.Equal(touch, Assert.Single(await CallsAsync(ada, person)).GetProperty("touchId").GetString());
        await using (var db = site.Db())
        {
            Assert.False(await db.Runs.AnyAsync(r => r.PersonId == Guid.Parse(person) && r.ProgramId == Guid.Parse(later) && r.EndedAt == null));
        }

        await ada.DoAsync("/api/outcomes", new { outcomes = before }, HttpMethod.Put);
    }

    [Fact]
    public async Task What_follows_one_call_is_said_with_it()
    {
        var ada = await site.SignedInAsync("ada");
        var (person, touch) = await CallAsync(ada, "Saidso");
        Assert.Equal(400, (await ada.RefusedAsync($"/api/touches/{touch}/done", new { outcome = "spoke", next = new { again = "2027-02-28" } }, "again")).Status);
        Assert.Equal(400, (await ada.RefusedAsync($"/api/touches/{touch}/done", new { outcome = "spoke", next = new { stage = "Planning/Nowhere" } }, "stage")).Status);
        Assert.Equal(400, (await ada.RefusedAsync($"/api/touches/{touch}/done", new { outcome = "spoke", next = new { appointment = "Review", at = "soon" } }, "at")).Status);
        Assert.Equal(400, (await ada.RefusedAsync($"/api/touches/{touch}/done", new { outcome = "spoke", next = new { program = Guid.NewGuid() } }, "program")).Status);
        Assert.Single(await CallsAsync(ada, person));

        // Ten at once: one of them is the call's end, and what follows follows once.
        var body = new { outcome = "spoke", next = new { again = "2027-03-09", appointment = "Review", at = "2027-03-10T15:00", stage = "Planning/Client" } };
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.SendAsync(HttpMethod.Post, $"/api/touches/{touch}/done", body)));
        Assert.All(answers, a => Assert.Equal(HttpStatusCode.NoContent, a.StatusCode));
        var dealings = await DealingsAsync(ada, person);
        Assert.Equal("2027-03-09", Assert.Single(dealings.GetProperty("tasks").EnumerateArray()).GetProperty("due").GetString());
        Assert.Equal(("Review", "2027-03-10T20:00:00Z"), Assert.Single(dealings.GetProperty("appointments").EnumerateArray()) is var a ? (a.GetProperty("type").GetString(), a.GetProperty("at").GetString()) : default);

        // None was open: they themselves stand there.
        Assert.Equal("Planning/Client", (await ada.GetAsync($"/api/people/{person}")).GetProperty("stage").GetString());
        await ada.DoAsync($"/api/touches/{touch}/undo");
        dealings = await DealingsAsync(ada, person);
        Assert.Empty(dealings.GetProperty("tasks").EnumerateArray());
        Assert.True(dealings.GetProperty("appointments")[0].GetProperty("cancelled").GetBoolean());
        Assert.NotEqual("Planning/Client", (await ada.GetAsync($"/api/people/{person}")).GetProperty("stage").GetString());
    }

    [Fact]
    public async Task A_call_of_one_s_own_ends_the_same_way_and_is_put_back_with_what_followed()
    {
        var ada = await site.SignedInAsync("ada");
        var person = (await ada.DoAsync("/api/people", new { firstName = "Owncall", lastName = "Ending", email = "owncall@example.com" })).GetProperty("id").GetString()!;
        await ada.DoAsync($"/api/people/{person}/tasks", new { kind = "call", title = "The roof", due = "2027-03-01" });
        var task = Assert.Single(await CallsAsync(ada, person)).GetProperty("touchId").GetString();
        Assert.Equal(400, (await ada.RefusedAsync($"/api/tasks/{task}/done", new { outcome = "shouted" }, "outcome")).Status);
        await ada.DoAsync($"/api/tasks/{task}/done", new { outcome = "no answer", next = new { again = "2027-03-02" } });
        Assert.Equal(("The roof", "2027-03-02"), Assert.Single((await DealingsAsync(ada, person)).GetProperty("tasks").EnumerateArray()) is var t ? (t.GetProperty("title").GetString(), t.GetProperty("due").GetString()) : default);
        await ada.DoAsync($"/api/tasks/{task}/undo");
        Assert.Equal("2027-03-01", Assert.Single((await DealingsAsync(ada, person)).GetProperty("tasks").EnumerateArray()).GetProperty("due").GetString());
    }

    [Fact]
    public async Task Outcomes_are_named_once_lead_somewhere_and_are_not_taken_from_programs_that_ask_for_them()
    {
        var ada = await site.SignedInAsync("ada");
        async Task<string> WrongAsync(string field, params object[] outcomes) => (await ada.RefusedAsync("/api/outcomes", new { outcomes }, field, HttpMethod.Put)).Message;
        Assert.Contains("one to 9", await WrongAsync("outcomes"), StringComparison.Ordinal);
        Assert.Contains("one to 9", await WrongAsync("outcomes", [.. Enumerable.Range(0, 10).Select(i => Outcome($"way {i}"))]), StringComparison.Ordinal);
        Assert.Contains("twice", await WrongAsync("outcomes", Outcome("spoke"), Outcome("Spoke")), StringComparison.Ordinal);
        Assert.Contains("no stage", await WrongAsync("outcomes[0]", Outcome("spoke", stage: "Nowhere/At all")), StringComparison.Ordinal);
        Assert.Contains("200", await WrongAsync("outcomes[0]", Outcome("spoke", againDays: 4000)), StringComparison.Ordinal);
        Assert.Contains("not here", await WrongAsync("outcomes[0]", Outcome("spoke", program: Guid.NewGuid().ToString())), StringComparison.Ordinal);

        await PeopleApiTests.ProgramAsync(ada, "Ends when not interested", Calling, """{"stopsWhen":[{"kind":"call-ended","outcome":"not interested"}]}""");
        Assert.Contains("“Ends when not interested” waits", await WrongAsync("outcomes", Outcome("spoke"), Outcome("left word")), StringComparison.Ordinal);

        // Only a principal changes them, and each practice has its own.
        var wren = await site.SignedInAsync("wren");
        Assert.Equal(HttpStatusCode.Forbidden, (await wren.SendAsync(HttpMethod.Put, "/api/outcomes", new { outcomes = new[] { Outcome("spoke") } })).StatusCode);
        var other = await site.SignedInAsync("ada2");
        await other.DoAsync("/api/outcomes", new { outcomes = new[] { Outcome("rang") } }, HttpMethod.Put);
        Assert.Equal(4, (await ada.GetAsync("/api/outcomes")).GetArrayLength());
    }
}
