using System.Net;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>Members' own tasks.</summary>
public sealed class TasksApiTests(Site site) : IClassFixture<Site>
{
    private static async Task<string> AddAsync(Member ada, string title, string due = "2027-03-01", string rule = "", string? person = null, string? member = null, string kind = "task") =>
        (await ada.DoAsync("/api/tasks", new { kind, title, due, person, member, rule })).GetProperty("id").GetString()!;

    private static async Task<List<JsonElement>> TasksAsync(Member ada, string title, string query = "") =>
        [.. (await ada.GetAsync($"/api/tasks{query}")).GetProperty("tasks").EnumerateArray().Where(t => t.GetProperty("title").GetString() == title)];

    private static async Task<List<JsonElement>> SheetAsync(Member ada, string title, string query = "") =>
        [.. (await ada.GetAsync($"/api/today{query}")).GetProperty("calls").EnumerateArray().Where(c => c.GetProperty("script").GetString() == title)];

    private static async Task<string> IdOfAsync(Member ada, string name) =>
        (await ada.GetAsync("/api/session")).GetProperty("members").EnumerateArray().Single(m => m.GetProperty("name").GetString()!.StartsWith(name, StringComparison.Ordinal)).GetProperty("id").GetString()!;

    [Fact]
    public async Task A_task_about_nobody_stands_on_the_sheet_is_moved_done_and_put_back()
    {
        var ada = await site.SignedInAsync("ada");
        var id = await AddAsync(ada, "Water the plants");
        var line = Assert.Single(await SheetAsync(ada, "Water the plants"));
        Assert.Equal((true, JsonValueKind.Null, "task"), (line.GetProperty("ownTask").GetBoolean(), line.GetProperty("person").ValueKind, line.GetProperty("kind").GetString()));
        Assert.Equal("2027-03-01", (await ada.DoAsync($"/api/tasks/{id}/move", new { to = "2027-03-04" })).GetProperty("before").GetString());
        Assert.Empty(await SheetAsync(ada, "Water the plants"));
        await ada.DoAsync($"/api/tasks/{id}/move", new { to = "2027-03-01" });

        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync($"/api/tasks/{id}/done", new { outcome = "done" })));
        Assert.All(answers, a => Assert.Equal(HttpStatusCode.NoContent, a.StatusCode));
        Assert.Empty(await TasksAsync(ada, "Water the plants"));
        Assert.Equal("done", Assert.Single(await TasksAsync(ada, "Water the plants", "?done=true")).GetProperty("outcome").GetString());
        await ada.DoAsync($"/api/tasks/{id}/undo");
        Assert.Single(await SheetAsync(ada, "Water the plants"));
        Assert.Equal(HttpStatusCode.NoContent, (await ada.SendAsync(HttpMethod.Delete, $"/api/tasks/{id}")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.SendAsync(HttpMethod.Delete, $"/api/tasks/{id}")).StatusCode);
    }

    [Fact]
    public async Task One_that_comes_again_stands_on_its_next_day_once_and_goes_with_an_undo()
    {
        var ada = await site.SignedInAsync("ada");
        var id = await AddAsync(ada, "Read the market", rule: "FREQ=WEEKLY;INTERVAL=2");
        Assert.Equal("every 2 weeks", Assert.Single(await TasksAsync(ada, "Read the market")).GetProperty("again").GetString());
        await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync($"/api/tasks/{id}/done", new { outcome = "done" })));
        var next = Assert.Single(await TasksAsync(ada, "Read the market"));
        Assert.Equal("2027-03-15", next.GetProperty("due").GetString());
        await ada.DoAsync($"/api/tasks/{id}/undo");
        Assert.Equal(id, Assert.Single(await TasksAsync(ada, "Read the market")).GetProperty("id").GetString());

        // Another rule counts from the day it stands on; none any more comes once.
        await ada.DoAsync($"/api/tasks/{id}", new { kind = "task", title = "Read the market", due = "2027-03-02", rule = "FREQ=DAILY" }, HttpMethod.Put);
        await ada.DoAsync($"/api/tasks/{id}/done", new { outcome = "done" });
        next = Assert.Single(await TasksAsync(ada, "Read the market"));
        Assert.Equal("2027-03-03", next.GetProperty("due").GetString());
        var last = next.GetProperty("id").GetString();
        await ada.DoAsync($"/api/tasks/{last}", new { kind = "task", title = "Read the market", due = "2027-03-03", rule = "" }, HttpMethod.Put);
        await ada.DoAsync($"/api/tasks/{last}/done", new { outcome = "done" });
        Assert.Empty(await TasksAsync(ada, "Read the market"));
    }

    [Fact]
    public async Task It_is_handed_over_with_a_word_and_stands_on_the_other_sheet()
    {
        var ada = await site.SignedInAsync("ada");
        var person = (await ada.DoAsync("/api/people", new { firstName = "Handa", lastName = "Over", email = "handa@example.com" })).GetProperty("id").GetString()!;
        var id = await AddAsync(ada, "Find the deed", person: person);
        var tomas = await IdOfAsync(ada, "Tomas");
        await ada.DoAsync($"/api/tasks/{id}/give", new { member = tomas, words = "it is in the blue box" });
        var theirs = Assert.Single(await SheetAsync(await site.SignedInAsync("tomas"), "Find the deed", "?mine=true"));
        Assert.Contains("it is in the blue box", theirs.GetProperty("program").GetString(), StringComparison.Ordinal);
        Assert.Empty(await SheetAsync(ada, "Find the deed", "?mine=true"));
        Assert.Single(await TasksAsync(ada, "Find the deed", $"?member={tomas}"));
        Assert.Contains(
            (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("past").EnumerateArray(),
            l => l.GetProperty("title").GetString()!.Contains("blue box", StringComparison.Ordinal)
        );
        await ada.RefusedAsync($"/api/tasks/{id}/give", new { member = Guid.NewGuid(), words = "" }, "member");
        await ada.RefusedAsync($"/api/tasks/{id}/give", new { member = await IdOfAsync(await site.SignedInAsync("ada2"), "Ada"), words = "" }, "member");
    }

    [Fact]
    public async Task A_set_makes_its_tasks_on_their_working_days()
    {
        var ada = await site.SignedInAsync("ada");
        await ada.DoAsync(
            "/api/tasks/sets",
            new { sets = new[] { new { name = "New client", tasks = new[] { new { kind = "task", title = "Open the folder", days = 0 }, new { kind = "call", title = "Ask how the first week was", days = 5 } } } } },
            HttpMethod.Put
        );
        var person = (await ada.DoAsync("/api/people", new { firstName = "Setta", lastName = "Made", email = "setta@example.com" })).GetProperty("id").GetString()!;
        Assert.Contains("a call", (await ada.RefusedAsync("/api/tasks/set", new { set = "New client" }, "person")).Message, StringComparison.Ordinal);
        Assert.Contains("“Old client”", (await ada.RefusedAsync("/api/tasks/set", new { set = "Old client", person }, "set")).Message, StringComparison.Ordinal);
        var made = (await ada.DoAsync("/api/tasks/set", new { set = "new client", person, from = "2027-03-05" })).GetProperty("ids");
        Assert.Equal(2, made.GetArrayLength());

        // From a Friday, five working days are a week.
        Assert.Equal(
            [("Open the folder", "2027-03-05"), ("Ask how the first week was", "2027-03-12")],
            (await ada.GetAsync($"/api/people/{person}/dealings")).GetProperty("tasks").EnumerateArray().Select(t => (t.GetProperty("title").GetString()!, t.GetProperty("due").GetString()!))
        );
        object Set(string name, string title = "x", int days = 0, string kind = "task") => new { name, tasks = new[] { new { kind, title, days } } };
        foreach (var wrong in new[] { Set(" "), Set("A", " "), Set("A", days: -1), Set("A", kind: "note") })
        {
            await ada.RefusedAsync("/api/tasks/sets", new { sets = new[] { wrong } }, "sets[0]", HttpMethod.Put);
        }

        await ada.RefusedAsync("/api/tasks/sets", new { sets = new[] { Set("A"), Set("a") } }, "sets[0]", HttpMethod.Put);
        Assert.Equal(HttpStatusCode.Forbidden, (await (await site.SignedInAsync("wren")).SendAsync(HttpMethod.Put, "/api/tasks/sets", new { sets = Array.Empty<object>() })).StatusCode);
    }

    [Fact]
    public async Task What_is_wrong_is_said_at_its_field_and_other_practices_see_and_do_nothing()
    {
        var ada = await site.SignedInAsync("ada");
        await ada.RefusedAsync("/api/tasks", new { kind = "task", title = " ", due = "2027-03-01" }, "title");
        await ada.RefusedAsync("/api/tasks", new { kind = "dance", title = "x", due = "2027-03-01" }, "title");
        await ada.RefusedAsync("/api/tasks", new { kind = "task", title = "x", due = "9999-12-31" }, "due");
        await ada.RefusedAsync("/api/tasks", new { kind = "call", title = "x", due = "2027-03-01" }, "person");
        await ada.RefusedAsync("/api/tasks", new { kind = "task", title = "x", due = "2027-03-01", rule = "FREQ=SECONDLY" }, "rule");
        await ada.RefusedAsync("/api/tasks", new { kind = "task", title = "x", due = "2027-03-01", member = Guid.NewGuid() }, "member");
        var id = await AddAsync(ada, "Mine alone");
        var other = await site.SignedInAsync("ada2");
        Assert.Empty(await TasksAsync(other, "Mine alone"));
        foreach (var act in new[] { "done", "undo", "move", "give" })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await other.PostAsync($"/api/tasks/{id}/{act}", new { outcome = "done", to = "2027-03-02" })).StatusCode);
        }

        Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Delete, $"/api/tasks/{id}")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Put, $"/api/tasks/{id}", new { kind = "task", title = "x", due = "2027-03-01" })).StatusCode);
    }

    [Fact]
    public async Task Each_member_says_for_themselves_when_their_morning_letter_comes()
    {
        var wren = await site.SignedInAsync("wren");
        Assert.Equal("", (await wren.GetAsync("/api/morning")).GetProperty("at").GetString());

        // A quarter past eight on Monday: the next half past seven is on Tuesday.
        var set = await wren.DoAsync("/api/morning", new { at = "07:30" }, HttpMethod.Put);
        Assert.Equal(("07:30", "2027-03-02T12:30:00Z", "wren@example.com"), (set.GetProperty("at").GetString(), set.GetProperty("next").GetString(), set.GetProperty("address").GetString()));
        await wren.RefusedAsync("/api/morning", new { at = "26:00" }, "at", HttpMethod.Put);
        Assert.Equal("", (await (await site.SignedInAsync("ada")).GetAsync("/api/morning")).GetProperty("at").GetString());
        Assert.Equal(JsonValueKind.Null, (await wren.DoAsync("/api/morning", new { at = "" }, HttpMethod.Put)).GetProperty("next").ValueKind);
        await using var db = site.Db();
        Assert.False(await db.Users.AnyAsync(u => u.MorningDue != null));
    }

    [Fact]
    public async Task While_somebody_is_away_their_calls_and_answers_stand_on_their_deputy_s_sheet_and_the_almanac_says_so()
    {
        var ada = await site.SignedInAsync("ada");
        var tomas = await site.SignedInAsync("tomas");
        var (adaId, tomasId) = (await IdOfAsync(ada, "Ada"), await IdOfAsync(ada, "Tomas"));
        var person = (await ada.DoAsync("/api/people", new { firstName = "Awaya", lastName = "Called", email = "awaya@example.com", mobile = "207 555 0187" })).GetProperty("id").GetString()!;
        await ada.DoAsync("/api/people/owner", new { ids = new[] { person }, owner = adaId });
        var program = await PeopleApiTests.ProgramAsync(ada, "Calls while away", """[{"id":"a","kind":"call","when":{"from":"start","offset":"P0D"},"script":"Called while away","slack":"P0D"}]""");
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await site.WorkAsync();
        Assert.Empty(await SheetAsync(tomas, "Called while away", "?mine=true"));
        Assert.Single(await SheetAsync(ada, "Called while away", "?mine=true"));

        await using (var db = site.Db())
        {
            await db.Users.Where(u => u.Id == Guid.Parse(adaId)).ExecuteUpdateAsync(u => u.SetProperty(m => m.DeputyId, Guid.Parse(tomasId)));
        }

        var absence = (await ada.DoAsync("/api/giving/absences", new { from = "2027-03-01", until = "2027-03-02" })).GetProperty("id").GetString();
        var call = Assert.Single(await SheetAsync(tomas, "Called while away", "?mine=true"));
        Assert.Equal((tomasId, "Ada Quill"), (call.GetProperty("memberId").GetString(), call.GetProperty("insteadOf").GetString()));
        Assert.Empty(await SheetAsync(ada, "Called while away", "?mine=true"));
        var day = (await ada.GetAsync("/api/almanac?days=1")).GetProperty("days")[0];
        Assert.Contains("Ada Quill", day.GetProperty("away").EnumerateArray().Select(a => a.GetString()));
        Assert.Contains(day.GetProperty("calls").EnumerateArray(), c => c.GetProperty("memberId").GetString() == tomasId);

        await ada.SendAsync(HttpMethod.Delete, $"/api/giving/absences/{absence}");
        Assert.Single(await SheetAsync(ada, "Called while away", "?mine=true"));
        Assert.Empty(await SheetAsync(tomas, "Called while away", "?mine=true"));
    }
}
