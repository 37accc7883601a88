using System.Net;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>Segments: written, counted, explained, kept, used by each other and by programs; and as somebody hostile.</summary>
public sealed class SegmentsTests(Site site) : IClassFixture<Site>
{
    private static object Is(string field, string value, string op = "is") => new { field, op, value };

    private static object All(params object[] parts) => new { all = parts };

    private static async Task<string> PersonAsync(Member member, string first, string address = "", string last = "Segment")
    {
        var id = (await member.DoAsync("/api/people", new { firstName = first, lastName = last, anyway = true })).GetProperty("id").GetString()!;
        if (address.Length > 0)
        {
            await member.DoAsync($"/api/people/{id}", new { edition = 1, fields = new { address } }, HttpMethod.Patch);
        }

        return id;
    }

    private static async Task<(int Count, string[] Names)> PickAsync(Member member, object rule)
    {
        var picked = (await member.DoAsync("/api/segments/preview", new { rule })).GetProperty("picked");
        return (picked.GetProperty("count").GetInt32(), [.. picked.GetProperty("sample").EnumerateArray().Select(p => p.GetProperty("name").GetString()!)]);
    }

    [Fact]
    public async Task People_are_counted_sampled_and_explained()
    {
        var ada = await site.SignedInAsync("ada");
        var (ida, bo) = (await PersonAsync(ada, "Ida", "1 A Street\nPort Averil, Maine 04999"), await PersonAsync(ada, "Bo", "2 B Street\nSaltmarsh, MA 01999"));
        var rule = All(Is("last_name", "segment"), Is("state", "ME"));
        Assert.Equal((1, "Ida Segment"), (await PickAsync(ada, rule)) is var (n, names) ? (n, names[0]) : default);
        Assert.Equal((2, "Bo Segment"), (await PickAsync(ada, Is("last_name", "segment"))) is var (m, both) ? (m, both[0]) : default);

        var why = await ada.DoAsync("/api/segments/why", new { rule, person = bo });
        Assert.False(why.GetProperty("holds").GetBoolean());
        Assert.Equal("/all/1", why.GetProperty("deciding")[0].GetString());
        Assert.Equal("MA", why.GetProperty("parts").EnumerateArray().Single(p => p.GetProperty("pointer").GetString() == "/all/1").GetProperty("found")[0].GetString());
        Assert.True((await ada.DoAsync("/api/segments/why", new { rule, person = ida })).GetProperty("holds").GetBoolean());

        // What people have there is offered, in words.
        var states = await ada.GetAsync("/api/rules/values?field=state");
        Assert.Contains(states.EnumerateArray(), s => s.GetProperty("value").GetString() == "ME" && s.GetProperty("words").GetString() == "Maine");
        Assert.Contains((await ada.GetAsync("/api/rules/names?field=relation")).EnumerateArray(), r => r.GetProperty("value").GetString() == "solicitor");
        Assert.Empty((await ada.GetAsync("/api/rules/values?field=nonsense")).EnumerateArray());
    }

    [Fact]
    public async Task Whoever_did_not_come_is_found_and_it_can_be_taken_back()
    {
        var ada = await site.SignedInAsync("ada");
        var id = await PersonAsync(ada, "Ida", last: "Absent");
        await ada.DoAsync($"/api/people/{id}/appointments", new { type = "review", at = "2027-03-02T10:00" });
        async Task<JsonElement> FirstAsync() => (await ada.GetAsync($"/api/people/{id}/dealings")).GetProperty("appointments")[0];
        var appointment = (await FirstAsync()).GetProperty("id").GetString();
        var missed = All(Is("last_name", "Absent"), new { field = "missed", op = "exists" });
        Assert.Equal((409, true), (await ada.RefusedAsync($"/api/appointments/{appointment}/missed", new { }, "")) is var (status, message) ? (status, message.Contains("still to be", StringComparison.Ordinal)) : default);
        await using (var db = site.Db())
        {
            await db.Appointments.Where(a => a.PersonId == Guid.Parse(id)).ExecuteUpdateAsync(u => u.SetProperty(a => a.At, Site.Now - NodaTime.Duration.FromHours(1)));
        }

        Assert.Equal(0, (await PickAsync(ada, missed)).Count);
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync($"/api/appointments/{appointment}/missed", new { missed = true })));
        Assert.All(answers, a => Assert.Equal(HttpStatusCode.NoContent, a.StatusCode));
        Assert.Equal(1, (await PickAsync(ada, missed)).Count);
        Assert.True((await FirstAsync()).GetProperty("missed").GetBoolean());
        Assert.Single((await ada.GetAsync($"/api/people/{id}/thread")).GetRawText().Split("Did not come").Skip(1));

        await ada.PostAsync($"/api/appointments/{appointment}/missed", new { missed = false });
        Assert.Equal(0, (await PickAsync(ada, missed)).Count);
    }

    [Fact]
    public async Task Archived_people_are_in_only_where_the_sentence_says_so()
    {
        var ada = await site.SignedInAsync("ada");
        var (kept, gone) = (await PersonAsync(ada, "Kept", last: "Archive"), await PersonAsync(ada, "Gone", last: "Archive"));
        await ada.DoAsync($"/api/people/{kept}/merge", new { other = gone });
        Assert.Equal(1, (await PickAsync(ada, Is("last_name", "Archive"))).Count);
        Assert.Equal(1, (await PickAsync(ada, All(Is("last_name", "Archive"), new { field = "archived", op = "exists" }))).Count);
        Assert.Equal(2, (await PickAsync(ada, All(Is("last_name", "Archive"), new { any = new object[] { new { field = "archived", op = "exists" }, new { field = "archived", op = "missing" } } }))).Count);
    }

    [Fact]
    public async Task A_segment_is_kept_used_by_others_and_never_asks_for_itself()
    {
        var ada = await site.SignedInAsync("ada");
        var one = await ada.DoAsync("/api/segments", new { name = "One", rule = Is("first_name", "Una") });
        var two = await ada.DoAsync("/api/segments", new { name = "Two", rule = All(Is("segment", "one", "has"), Is("last_name", "Used")) });
        await PersonAsync(ada, "Una", last: "Used");
        Assert.Equal(1, (await PickAsync(ada, Is("segment", "TWO", "has"))).Count);
        Assert.Equal("Two", (await ada.GetAsync($"/api/segments/{one.GetProperty("id").GetString()}")).GetProperty("uses")[0].GetString());

        // In a circle, under another name, or gone, it would take the other along.
        var path = $"/api/segments/{one.GetProperty("id").GetString()}";
        var (status, message) = await ada.RefusedAsync(path, new { name = "One", rule = Is("segment", "Two", "has"), edition = 1 }, "rule", HttpMethod.Put);
        Assert.Equal((400, "It would ask for itself: “One” asks for “Two” asks for “One”. Say here what is meant, without that segment."), (status, message));
        Assert.Equal(HttpStatusCode.Conflict, (await ada.SendAsync(HttpMethod.Put, path, new { name = "Uno", rule = Is("first_name", "Una"), edition = 1 })).StatusCode);
        Assert.Equal(HttpStatusCode.Conflict, (await ada.SendAsync(HttpMethod.Delete, path)).StatusCode);

        // What changes here changes there, and an older edition is refused.
        await ada.DoAsync(path, new { name = "One", rule = Is("first_name", "Nobody"), edition = 1 }, HttpMethod.Put);
        Assert.Equal(0, (await PickAsync(ada, Is("segment", "Two", "has"))).Count);
        Assert.Equal(HttpStatusCode.Conflict, (await ada.SendAsync(HttpMethod.Put, path, new { name = "One", rule = Is("first_name", "x"), edition = 1 })).StatusCode);
        await ada.DoAsync($"/api/segments/{two.GetProperty("id").GetString()}", null, HttpMethod.Delete);
        await ada.DoAsync(path, null, HttpMethod.Delete);
        var preview = await ada.DoAsync("/api/segments/preview", new { rule = Is("segment", "One", "has") });
        Assert.Equal("There is no segment “One” of the practice. Choose one from the list.", preview.GetProperty("findings")[0].GetProperty("text").GetString());
    }

    [Fact]
    public async Task One_kept_for_oneself_is_nobody_elses_and_a_field_that_is_gone_is_said()
    {
        var ada = await site.SignedInAsync("ada");
        var tomas = await site.SignedInAsync("tomas");
        var mine = await ada.DoAsync("/api/segments", new { name = "Mine", rule = Is("first_name", "x"), mine = true });
        Assert.DoesNotContain((await tomas.GetAsync("/api/segments")).EnumerateArray(), s => s.GetProperty("name").GetString() == "Mine");
        Assert.Equal(HttpStatusCode.NotFound, (await tomas.Http.GetAsync($"/api/segments/{mine.GetProperty("id").GetString()}")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await tomas.SendAsync(HttpMethod.Delete, $"/api/segments/{mine.GetProperty("id").GetString()}")).StatusCode);
        var preview = await ada.DoAsync("/api/segments/preview", new { rule = new { field = "custom:Gone", op = "exists" } });
        Assert.StartsWith("“Gone” is no field of the practice any more.", preview.GetProperty("findings")[0].GetProperty("text").GetString(), StringComparison.Ordinal);
        Assert.Equal(0, preview.GetProperty("picked").GetProperty("count").GetInt32());
    }

    [Fact]
    public async Task Strangers_and_nonsense_change_nothing()
    {
        var ada = await site.SignedInAsync("ada");
        var stranger = await site.SignedInAsync("ada2");
        var wren = await site.SignedInAsync("wren");
        var ours = await ada.DoAsync("/api/segments", new { name = "Ours", rule = Is("first_name", "x") });
        var path = $"/api/segments/{ours.GetProperty("id").GetString()}";
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.Http.GetAsync(path)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.SendAsync(HttpMethod.Put, path, new { name = "x", rule = Is("id", "1"), edition = 1 })).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.PostAsync("/api/segments/why", new { rule = Is("id", "1"), person = await PersonAsync(ada, "Not yours", last: "Other") })).StatusCode);
        Assert.True((await wren.PostAsync("/api/segments/preview", new { rule = Is("first_name", "x") })).IsSuccessStatusCode);

        foreach (var rule in new object?[] { null, 5, "x", Array.Empty<int>(), new { }, new { field = "nonsense", op = "is", value = "x" }, new { all = "x" }, new { field = "age", op = "less", value = "old" } })
        {
            var answer = await ada.PostAsync("/api/segments", new { name = "Bad", rule });
            Assert.Equal(400, (int)answer.StatusCode);
            Assert.True((int)(await ada.PostAsync("/api/segments/preview", new { rule })).StatusCode < 500);
        }

        // A value with NUL, markup or SQL is a value; what is too deep or too long is refused.
        foreach (var value in new[] { "a\0b", "<script>", "'; DROP TABLE people; --", "{0}", new string('x', 5000) })
        {
            Assert.True((int)(await ada.PostAsync("/api/segments/preview", new { rule = Is("first_name", value) })).StatusCode < 500);
        }

        foreach (var depth in new[] { 50, 5_000 })
        {
            var deep = string.Concat(Enumerable.Repeat("{\"not\":", depth)) + """{"field":"first_name","op":"is","value":"x"}""" + new string('}', depth);
            using var body = new StringContent($$"""{"rule":{{deep}}}""", System.Text.Encoding.UTF8, "application/json");
            Assert.True((int)(await ada.PostAsync("/api/segments/preview", body)).StatusCode is 200 or 400);
        }

        Assert.Equal(400, (int)(await ada.PostAsync("/api/segments", new { name = "Long", rule = All([.. Enumerable.Repeat(Is("first_name", new string('x', 900)), 100)]) })).StatusCode);
        Assert.Equal(400, (int)(await ada.PostAsync("/api/segments", new { name = " ", rule = Is("first_name", "x") })).StatusCode);

        // Ten at once under one name: one is kept.
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync("/api/segments", new { name = "Race", rule = Is("first_name", "x") })));
        Assert.Equal(1, answers.Count(a => a.IsSuccessStatusCode));
    }
}
