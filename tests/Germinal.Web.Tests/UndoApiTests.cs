using System.Net;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>What is done to one person at once can be taken back, from where it was done and in the thread, until something has built on it.</summary>
public sealed class UndoApiTests(Site site) : IClassFixture<Site>
{
    private const string Steps =
        """[{"id":"a","kind":"email","when":{"from":"start","offset":"P1D"},"subject":"First","body":"b"},{"id":"b","kind":"email","when":{"from":"previous","offset":"P1D"},"subject":"Second","body":"b"}]""";

    private static int names;

    private async Task<(Member Ada, string Person, string Program)> StandingAsync()
    {
        var ada = await site.SignedInAsync("ada");
        var name = $"Undo{Interlocked.Increment(ref names)}";
        var person = (await ada.DoAsync("/api/people", new { firstName = name, lastName = "Undone", email = $"{name}@example.com" })).GetProperty("id").GetString()!;
        await ada.DoAsync($"/api/people/{person}/consent", new { channel = "email", @in = true, reason = "said so" });
        var program = await PeopleApiTests.ProgramAsync(ada, $"Program of {name}", Steps, "{}");
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await site.WorkAsync();
        return (ada, person, program);
    }

    private static async Task<string[]> ComingAsync(Member ada, string person) =>
        [.. (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("coming").EnumerateArray().Select(l => l.GetProperty("title").GetString()!)];

    private static async Task<JsonElement> RunAsync(Member ada, string person) =>
        (await ada.GetAsync($"/api/people/{person}")).GetProperty("runs").EnumerateArray().SingleOrDefault();

    [Theory]
    [InlineData("stop")]
    [InlineData("pause")]
    [InlineData("drop")]
    [InlineData("do-not-contact")]
    [InlineData("no")]
    [InlineData("died")]
    public async Task It_is_as_it_was_once_taken_back_and_the_thread_says_so(string what)
    {
        var (ada, person, _) = await StandingAsync();
        var run = (await RunAsync(ada, person)).GetProperty("id").GetString();
        var touch = (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("coming")[0].GetProperty("touchId").GetString();
        var done = what switch
        {
            "stop" => await ada.DoAsync($"/api/people/{person}/runs/{run}/stop"),
            "pause" => await ada.DoAsync($"/api/people/{person}/runs/{run}/pause"),
            "drop" => await ada.DoAsync($"/api/touches/{touch}/drop?person={person}"),
            "no" => await ada.DoAsync($"/api/people/{person}/consent", new { channel = "email", @in = false, reason = "heard wrong", everything = true }),
            "died" => await ada.DoAsync($"/api/people/{person}/contact", new { doNotContact = true, died = true }),
            _ => await ada.DoAsync($"/api/people/{person}/contact", new { doNotContact = true, reason = "moved away" }),
        };
        await site.WorkAsync();
        var coming = await ComingAsync(ada, person);
        Assert.True(what is "pause" ? coming.Length > 0 : coming.Length < 2, string.Join(", ", coming));

        // The thread has the same way back as the press itself, whoever wrote down how they stood and in whatever order.
        var happened = done.GetProperty("event").GetInt64();
        await using (var db = site.Db())
        {
            Assert.Equal(1, await db.Database.ExecuteSqlAsync($"UPDATE events SET after = after::jsonb::text WHERE id = {happened} AND after IS NOT NULL"));
        }

        var lines = (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("past").EnumerateArray();
        Assert.Contains(lines, l => l.GetProperty("event") is { ValueKind: JsonValueKind.Number } e && e.GetInt64() == happened);
        await ada.DoAsync($"/api/people/{person}/events/{happened}/undo");
        await site.WorkAsync();
        Assert.Equal(["First", "Second"], await ComingAsync(ada, person));
        var page = await ada.GetAsync($"/api/people/{person}");
        Assert.False(page.GetProperty("doNotContact").GetBoolean() || page.GetProperty("died").GetBoolean());
        Assert.False((await RunAsync(ada, person)).GetProperty("paused").GetBoolean());
        Assert.Equal("yes, said so", page.GetProperty("mayWe")[0].GetProperty("words").GetString());
        var past = (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("past").EnumerateArray().ToList();
        Assert.Contains(past, l => l.GetProperty("title").GetString()!.StartsWith("Taken back", StringComparison.Ordinal));
        Assert.DoesNotContain(past, l => l.GetProperty("event").ValueKind == JsonValueKind.Number);

        // A second press finds it taken back already; what was dropped or stopped goes in its time.
        Assert.Equal(HttpStatusCode.Conflict, (await ada.PostAsync($"/api/people/{person}/events/{happened}/undo", new { })).StatusCode);
    }

    [Fact]
    public async Task Once_something_has_built_on_it_it_stays_and_says_why()
    {
        var (ada, person, program) = await StandingAsync();
        var run = (await RunAsync(ada, person)).GetProperty("id").GetString();
        var happened = (await ada.DoAsync($"/api/people/{person}/runs/{run}/stop")).GetProperty("event").GetInt64();
        await site.WorkAsync();
        await ada.DoAsync($"/api/people/{person}/inquiries", new { how = "phone", text = "Is it still there?", form = (string?)null });
        await site.WorkAsync();
        var answer = await ada.PostAsync($"/api/people/{person}/events/{happened}/undo", new { });
        Assert.Equal(HttpStatusCode.Conflict, answer.StatusCode);
        Assert.Contains("Since then something else has happened", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.Equal(JsonValueKind.Undefined, (await RunAsync(ada, person)).ValueKind);
        Assert.NotNull(program);
    }

    [Fact]
    public async Task Ten_at_once_take_it_back_once_and_strangers_not_at_all()
    {
        var (ada, person, _) = await StandingAsync();
        var run = (await RunAsync(ada, person)).GetProperty("id").GetString();
        var happened = (await ada.DoAsync($"/api/people/{person}/runs/{run}/stop")).GetProperty("event").GetInt64();
        await site.WorkAsync();
        var other = await site.SignedInAsync("ada2");
        Assert.Equal(HttpStatusCode.NotFound, (await other.PostAsync($"/api/people/{person}/events/{happened}/undo", new { })).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.PostAsync($"/api/people/{Guid.NewGuid()}/events/{happened}/undo", new { })).StatusCode);
        var answers = await Task.WhenAll(
            Enumerable.Range(0, 10).Select(_ => ada.PostAsync($"/api/people/{person}/events/{happened}/undo", new { }))
        );
        Assert.Equal(1, answers.Count(a => a.StatusCode == HttpStatusCode.NoContent));
        Assert.Equal(9, answers.Count(a => a.StatusCode == HttpStatusCode.Conflict));
        await site.WorkAsync();
        Assert.Equal(["First", "Second"], await ComingAsync(ada, person));
    }

    [Fact]
    public async Task An_inquiry_noted_as_answered_waits_again()
    {
        var (ada, person, _) = await StandingAsync();
        await ada.DoAsync($"/api/people/{person}/inquiries", new { how = "phone", text = "Who answers me?", form = (string?)null });
        await site.WorkAsync();
        async Task<string?> WaitingAsync() =>
            (await ada.GetAsync("/api/today"))
                .GetProperty("waiting")
                .EnumerateArray()
                .Where(w => w.GetProperty("kind").GetString() == "inquiry" && w.GetProperty("person").GetProperty("id").GetString() == person)
                .Select(w => w.GetProperty("id").GetString())
                .SingleOrDefault();
        var waiting = await WaitingAsync();
        Assert.NotNull(waiting);
        await ada.DoAsync($"/api/today/waiting/{waiting}/seen");
        await site.WorkAsync();
        Assert.Null(await WaitingAsync());
        await ada.DoAsync($"/api/today/waiting/{waiting}/unseen");
        Assert.Equal(waiting, await WaitingAsync());
        Assert.Equal(HttpStatusCode.NotFound, (await ada.PostAsync($"/api/today/waiting/{waiting}/unseen", new { })).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.PostAsync("/api/today/waiting/x1/unseen", new { })).StatusCode);
    }

    [Theory]
    [InlineData("2027-03-01")]
    [InlineData("9999-12-31")]
    [InlineData("soon")]
    [InlineData("<b>1</b>")]
    public async Task A_date_until_which_it_holds_lies_ahead(string until)
    {
        var (ada, person, program) = await StandingAsync();
        var run = (await RunAsync(ada, person)).GetProperty("id").GetString();
        foreach (
            var (path, body) in new (string, object)[]
            {
                ($"/api/people/{person}/runs/{run}/pause?until={Uri.EscapeDataString(until)}", new { }),
                ($"/api/people/{person}/contact", new { doNotContact = true, reason = "away", until }),
                ($"/api/programs/{program}/pause?until={Uri.EscapeDataString(until)}", new { }),
            }
        )
        {
            var answer = await ada.PostAsync(path, body);
            Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
            Assert.Contains("after today", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }
    }

    [Fact]
    public async Task Until_a_date_is_said_where_it_stands()
    {
        var (ada, person, program) = await StandingAsync();
        var run = (await RunAsync(ada, person)).GetProperty("id").GetString();
        await ada.DoAsync($"/api/people/{person}/runs/{run}/pause?until=2030-01-15");
        await site.WorkAsync();
        Assert.StartsWith("2030-01-15", (await RunAsync(ada, person)).GetProperty("pausedUntil").GetString(), StringComparison.Ordinal);
        await ada.DoAsync($"/api/programs/{program}/pause?until=2030-02-01");
        Assert.StartsWith("2030-02-01", (await ada.GetAsync($"/api/programs/{program}")).GetProperty("pausedUntil").GetString(), StringComparison.Ordinal);
        await ada.DoAsync($"/api/people/{person}/contact", new { doNotContact = true, reason = "away", until = "2030-03-01" });
        Assert.Equal("2030-03-01", (await ada.GetAsync($"/api/people/{person}")).GetProperty("doNotContactUntil").GetString());
        await site.WorkAsync();
        Assert.Contains(
            (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("past").EnumerateArray(),
            l => l.GetProperty("detail").GetString() is { } detail && detail.StartsWith("away; until", StringComparison.Ordinal)
        );
    }
}
