using System.IO.Compression;
using System.Net;
using System.Text.Json;
using Germinal.Store.Rows;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>What helps somebody who has never seen it: one's own day sheet, holding many, who is on a program, meetings ahead, data to read.</summary>
public sealed class InTheHandTests(Site site) : IClassFixture<Site>
{
    private static async Task<string> PersonAsync(Member member, string name, object? more = null)
    {
        var id = (await member.DoAsync("/api/people", new { firstName = name, lastName = "Handy", email = $"{name}@example.com" })).GetProperty("id").GetString()!;
        await member.DoAsync($"/api/people/{id}/consent", new { channel = "email", @in = true, reason = "said so" });
        if (more is not null)
        {
            var edition = (await member.GetAsync($"/api/people/{id}")).GetProperty("edition").GetInt32();
            await member.DoAsync($"/api/people/{id}", new { edition, fields = more }, HttpMethod.Patch);
        }

        return id;
    }

    private static string[] IdsOf(JsonElement rows) =>
        [.. rows.EnumerateArray().Select(g => g.GetProperty("person").GetProperty("id").GetString()!)];

    private const string Soon = """[{"id":"a","kind":"email","when":{"from":"start","offset":"PT3H"},"subject":"Soon","body":"b"},{"id":"b","kind":"email","when":{"from":"previous","offset":"P9D"},"subject":"Later","body":"b"}]""";

    [Fact]
    public async Task Mine_is_what_is_about_those_I_look_after_and_those_nobody_does()
    {
        var ada = await site.SignedInAsync("ada");
        var me = (await ada.GetAsync("/api/session")).GetProperty("member").GetProperty("id").GetString();
        var other = (await ada.GetAsync("/api/session")).GetProperty("members").EnumerateArray().Select(m => m.GetProperty("id").GetString()).First(m => m != me);
        var mine = await PersonAsync(ada, "Mine", new { ownerId = me });
        var theirs = await PersonAsync(ada, "Theirs", new { ownerId = other });
        var program = await PeopleApiTests.ProgramAsync(ada, "Whose day", Soon, "{}");
        await ada.DoAsync("/api/people/start", new { ids = new[] { mine, theirs }, program });
        foreach (var person in new[] { mine, theirs })
        {
            await ada.DoAsync($"/api/people/{person}/inquiries", new { how = "phone", text = "Hm?", form = (string?)null });
        }

        await site.WorkAsync();
        var all = await ada.GetAsync("/api/today");
        Assert.Superset(new HashSet<string>([mine, theirs]), IdsOf(all.GetProperty("going")).ToHashSet());
        var own = await ada.GetAsync("/api/today?mine=true");
        Assert.Contains(mine, IdsOf(own.GetProperty("going")));
        Assert.DoesNotContain(theirs, IdsOf(own.GetProperty("going")));
        Assert.DoesNotContain(theirs, own.GetProperty("waiting").EnumerateArray().Select(w => w.GetProperty("person").GetProperty("id").GetString()));
    }

    [Fact]
    public async Task All_letters_of_a_step_are_held_and_let_go_as_one_and_nobody_else_s()
    {
        var ada = await site.SignedInAsync("ada");
        var people = new List<string>();
        for (var i = 0; i < 5; i++)
        {
            people.Add(await PersonAsync(ada, $"Held{i}"));
        }

        var program = await PeopleApiTests.ProgramAsync(ada, "Hold all", Soon, "{}");
        await ada.DoAsync("/api/people/start", new { ids = people, program });
        await site.WorkAsync();
        async Task<int> HeldAsync() =>
            (await ada.GetAsync("/api/today")).GetProperty("going").EnumerateArray().Count(g => g.GetProperty("programId").GetString() == program && g.GetProperty("held").GetBoolean());
        var other = await site.SignedInAsync("ada2");
        Assert.Equal(0, (await other.DoAsync("/api/today/hold", new { program, step = "a", isToday = true, hold = true })).GetProperty("count").GetInt32());
        Assert.Equal(5, (await ada.DoAsync("/api/today/hold", new { program, step = "a", isToday = true, hold = true })).GetProperty("count").GetInt32());
        await site.WorkAsync();
        Assert.Equal(5, await HeldAsync());
        Assert.Equal(0, (await ada.DoAsync("/api/today/hold", new { program, step = "a", isToday = true, hold = true })).GetProperty("count").GetInt32());
        await ada.DoAsync("/api/today/hold", new { program, step = "a", isToday = true, hold = false });
        await site.WorkAsync();
        Assert.Equal(0, await HeldAsync());
        Assert.Equal(0, (await ada.DoAsync("/api/today/hold", new { program, step = "<i>\"'; --", isToday = false, hold = true })).GetProperty("count").GetInt32());
    }

    [Fact]
    public async Task Who_is_on_a_program_and_at_which_step_and_starting_those_of_a_list()
    {
        var ada = await site.SignedInAsync("ada");
        var people = new[] { await PersonAsync(ada, "Anna"), await PersonAsync(ada, "Bert") };
        var program = await PeopleApiTests.ProgramAsync(ada, "Who is on it", Soon, "{}");
        await ada.DoAsync("/api/people/join", new { ids = people, list = "the handy ones" });
        await site.WorkAsync();
        var preview = await ada.DoAsync("/api/people/start/preview", new { matching = new { list = "the handy ones" }, program });
        Assert.Equal(2, preview.GetProperty("people").GetInt32());
        await ada.DoAsync("/api/people/start", new { matching = new { list = "the handy ones" }, program });
        await site.WorkAsync();
        var on = await ada.GetAsync($"/api/programs/{program}/on-it");
        Assert.Equal(2, on.GetProperty("count").GetInt32());
        Assert.Equal(("a", 2), (on.GetProperty("steps")[0].GetProperty("stepId").GetString(), on.GetProperty("steps")[0].GetProperty("count").GetInt32()));
        Assert.Equal(people, IdsOf(on.GetProperty("people")));
        Assert.Empty(IdsOf((await ada.GetAsync($"/api/programs/{program}/on-it?step=b")).GetProperty("people")));
        var other = await site.SignedInAsync("ada2");
        Assert.Equal(HttpStatusCode.NotFound, (await other.SendAsync(HttpMethod.Get, $"/api/programs/{program}/on-it")).StatusCode);
    }

    [Fact]
    public async Task Meetings_stand_among_what_is_coming_and_people_are_found_by_street_town_and_postal_code()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Streeta", new { address = "14 Sandpiper Row\nPort Averil, ME 04990" });
        await ada.DoAsync($"/api/people/{person}/appointments", new { type = "signing", at = "2027-03-09T10:00", place = "12 Quay Lane" });
        var coming = (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("coming").EnumerateArray().Single();
        Assert.Equal(("appointment", "Appointment “signing”"), (coming.GetProperty("kind").GetString(), coming.GetProperty("title").GetString()));
        foreach (var words in new[] { "sandpiper", "port averil streeta", "04990", "ME 04990", "sandpiper row" })
        {
            Assert.Equal([person], (await ada.GetAsync($"/api/people?search={words}")).GetProperty("rows").EnumerateArray().Select(r => r.GetProperty("id").GetString()));
        }
    }

    [Fact]
    public async Task All_their_data_is_a_page_one_can_read_and_nothing_in_it_runs()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Data");
        await ada.DoAsync($"/api/people/{person}/remarks", new { text = "<script>alert(1)</script> likes & cats" });
        var answer = await ada.SendAsync(HttpMethod.Get, $"/api/people/{person}/export");
        using var zip = new ZipArchive(await answer.Content.ReadAsStreamAsync());
        using var reader = new StreamReader(zip.GetEntry("index.html")!.Open());
        var page = await reader.ReadToEndAsync();
        Assert.Contains("<h1>Data Handy</h1>", page, StringComparison.Ordinal);
        Assert.Contains("&lt;script&gt;alert(1)&lt;/script&gt; likes &amp; cats", page, StringComparison.Ordinal);
        Assert.Contains("Yes to commercial ones by email", page, StringComparison.Ordinal);
        Assert.DoesNotContain("<script", page, StringComparison.OrdinalIgnoreCase);
        Assert.DoesNotContain("http", page, StringComparison.OrdinalIgnoreCase);
    }

    [Fact]
    public async Task An_answer_that_waits_can_be_answered_from_one_s_own_mail()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Writer");
        await using (var db = site.Db())
        {
            db.Received.Add(
                new ReceivedRow
                {
                    PracticeId = site.Practice,
                    PersonId = Guid.Parse(person),
                    Channel = "email",
                    Kind = "reply",
                    Key = "in-the-hand-1",
                    FromAddress = "writer+a?b@example.com",
                    Subject = "Thursday & Friday",
                    Text = "Which?",
                    At = Instant.FromUtc(2027, 3, 1, 12, 0),
                }
            );
            await db.SaveChangesAsync();
        }

        var waiting = (await ada.GetAsync("/api/today")).GetProperty("waiting").EnumerateArray().Single(w => w.GetProperty("text").GetString() == "Which?");
        Assert.Equal("mailto:writer%2Ba%3Fb@example.com?subject=Re%3A%20Thursday%20%26%20Friday", waiting.GetProperty("answer").GetString());
    }
}
