using System.Net;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>Today, touches, consent, and what a member does for one person or many.</summary>
public sealed class DaySheetApiTests(Site site) : IClassFixture<Site>
{
    private const string Email =
        """[{"id":"a","kind":"email","when":{"from":"start","offset":"P1D"},"subject":"Hello {{ person.first_name }}","body":"<p>b</p>"},{"id":"b","kind":"email","when":{"from":"previous","offset":"P1D"},"subject":"Next","body":"<p>b</p>"}]""";

    private static async Task<string> PersonAsync(Member ada, string? first, string email, bool consent = true)
    {
        var id = (
            await ada.DoAsync(
                "/api/people",
                new
                {
                    firstName = first,
                    lastName = "Sheet",
                    email,
                }
            )
        ).GetProperty("id").GetString()!;
        if (consent)
        {
            await ada.DoAsync(
                $"/api/people/{id}/consent",
                new
                {
                    channel = "email",
                    @in = true,
                    reason = "told me",
                }
            );
        }

        return id;
    }

    private async Task<string> StartedAsync(Member ada, string person, string name, string steps)
    {
        var program = await PeopleApiTests.ProgramAsync(ada, name, steps, """{"at":"09:30"}""");
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await site.WorkAsync();
        return program;
    }

    private static async Task<JsonElement> GoingAsync(Member ada, string person) =>
        (await ada.GetAsync("/api/today"))
            .GetProperty("going")
            .EnumerateArray()
            .FirstOrDefault(g => g.GetProperty("person").GetProperty("id").GetString() == person);

    [Fact]
    public async Task A_letter_of_tomorrow_is_read_held_released_and_dropped()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Holda", "holda@example.com");
        await StartedAsync(ada, person, "Holding", Email);
        var going = await GoingAsync(ada, person);
        Assert.Equal("Hello Holda", going.GetProperty("subject").GetString());
        Assert.False(going.GetProperty("isToday").GetBoolean());
        var touch = going.GetProperty("touchId").GetString();
        var read = await ada.GetAsync($"/api/touches/{touch}?person={person}");
        Assert.Equal("Why it is coming", read.GetProperty("heading").GetString());
        Assert.Equal("<p>b</p>", read.GetProperty("html").GetString());

        await ada.DoAsync($"/api/touches/{touch}/hold?person={person}");
        await site.WorkAsync();
        Assert.True((await GoingAsync(ada, person)).GetProperty("held").GetBoolean());
        Assert.Equal("Why it waits", (await ada.GetAsync($"/api/touches/{touch}?person={person}")).GetProperty("heading").GetString());
        await ada.DoAsync($"/api/touches/{touch}/release?person={person}");
        await site.WorkAsync();
        Assert.False((await GoingAsync(ada, person)).GetProperty("held").GetBoolean());

        await ada.DoAsync($"/api/touches/{touch}/drop?person={person}");
        await site.WorkAsync();
        Assert.Equal("Why it did not go", (await ada.GetAsync($"/api/touches/{touch}?person={person}")).GetProperty("heading").GetString());
        var coming = (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("coming");
        Assert.Equal("Next", coming[0].GetProperty("title").GetString());
        Assert.Equal(HttpStatusCode.Conflict, (await ada.PostAsync($"/api/touches/{touch}/hold?person={person}")).StatusCode);
    }

    [Fact]
    public async Task A_foreseen_letter_can_be_held_before_it_is_planned()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Foresa", "foresa@example.com");
        await StartedAsync(ada, person, "Foreseeing", Email);
        var next = (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("coming")[1];
        var touch = next.GetProperty("touchId").GetString();
        Assert.Equal("coming", (await ada.GetAsync($"/api/touches/{touch}?person={person}")).GetProperty("status").GetString());
        await ada.DoAsync($"/api/touches/{touch}/hold?person={person}");
        await site.WorkAsync();
        Assert.Equal("held", (await ada.GetAsync($"/api/touches/{touch}?person={person}")).GetProperty("status").GetString());
    }

    [Fact]
    public async Task A_gap_stands_under_needs_mending_with_its_field()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, null, "nameless@example.com");
        await StartedAsync(
            ada,
            person,
            "Greeting",
            """[{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Hello {{ person.first_name }}","body":"b"}]"""
        );
        // The practice writes from nine; it is a quarter past eight.
        await using (var db = site.Db())
        {
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, Site.Now + NodaTime.Duration.FromHours(1)));
        }

        await site.WorkAsync();
        var mending = (await ada.GetAsync("/api/today"))
            .GetProperty("mending")
            .EnumerateArray()
            .Single(m => m.GetProperty("person").GetProperty("id").GetString() == person);
        Assert.Equal("person.first_name", mending.GetProperty("field").GetString());
        var why = (await ada.GetAsync($"/api/touches/{mending.GetProperty("touchId").GetString()}"))
            .GetProperty("why")
            .EnumerateArray()
            .Select(w => w.GetProperty("text").GetString()!)
            .ToList();
        Assert.Contains("It cannot be filled: nothing to put for “person.first_name”.", why);
    }

    [Fact]
    public async Task A_refused_start_waits_until_somebody_has_seen_to_it()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Twice", "twice@example.com");
        var program = await StartedAsync(ada, person, "Only once", Email);
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await site.WorkAsync();
        async Task<List<string>> WaitingAsync() =>
            [
                .. (await ada.GetAsync("/api/today"))
                    .GetProperty("waiting")
                    .EnumerateArray()
                    .Where(w => w.GetProperty("person").GetProperty("id").GetString() == person)
                    .Select(w => w.GetProperty("id").GetString()!),
            ];
        var waiting = Assert.Single(await WaitingAsync());
        await ada.DoAsync($"/api/today/waiting/{waiting}/seen");
        Assert.Empty(await WaitingAsync());
        Assert.Equal(HttpStatusCode.NotFound, (await ada.PostAsync($"/api/today/waiting/{waiting}/seen")).StatusCode);
        var past = (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("past").EnumerateArray().Select(p => p.GetProperty("title").GetString()!);
        Assert.Contains("“Only once” did not start: it is running for them already", past);
    }

    [Fact]
    public async Task Do_not_contact_stops_everything_and_can_be_taken_back()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Quiet", "quiet@example.com");
        await StartedAsync(ada, person, "Loud", Email);
        await ada.DoAsync($"/api/people/{person}/contact", new { doNotContact = true, reason = "asked on the phone" });
        await site.WorkAsync();
        var page = await ada.GetAsync($"/api/people/{person}");
        Assert.True(page.GetProperty("doNotContact").GetBoolean());
        Assert.Equal(0, page.GetProperty("runs").GetArrayLength());
        Assert.All(page.GetProperty("mayWe").EnumerateArray(), m => Assert.Equal("no", m.GetProperty("allowed").GetString()));
        Assert.Equal(0, (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("coming").GetArrayLength());
        await ada.DoAsync($"/api/people/{person}/contact", new { doNotContact = false });
        Assert.Equal("yes", (await ada.GetAsync($"/api/people/{person}")).GetProperty("mayWe")[0].GetProperty("allowed").GetString());
    }

    [Fact]
    public async Task Consent_is_a_ledger_of_dated_entries()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Ledger", "ledger@example.com", consent: false);
        Assert.Equal("unsaid", (await ada.GetAsync($"/api/people/{person}")).GetProperty("mayWe")[0].GetProperty("allowed").GetString());
        await ada.DoAsync(
            $"/api/people/{person}/consent",
            new
            {
                channel = "email",
                @in = true,
                reason = "signed the form",
            }
        );
        await ada.DoAsync(
            $"/api/people/{person}/consent",
            new
            {
                channel = "email",
                @in = false,
                reason = "too many letters",
            }
        );
        var page = await ada.GetAsync($"/api/people/{person}");
        Assert.Equal("no to commercial ones, too many letters; what is about their own dealings still goes", page.GetProperty("mayWe")[0].GetProperty("words").GetString());
        Assert.Equal(["too many letters", "signed the form"], page.GetProperty("ledger").EnumerateArray().Select(l => l.GetProperty("source").GetString()!));
        Assert.All(page.GetProperty("ledger").EnumerateArray(), l => Assert.Equal("Ada Quill", l.GetProperty("by").GetString()));
        Assert.Equal(
            400,
            (
                await ada.RefusedAsync(
                    $"/api/people/{person}/consent",
                    new
                    {
                        channel = "pigeon",
                        @in = true,
                        reason = "x",
                    },
                    "channel"
                )
            ).Status
        );
    }

    [Fact]
    public async Task A_run_is_stopped_by_hand_and_an_answer_stops_one_that_says_so()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Stopper", "stopper@example.com");
        await StartedAsync(ada, person, "By hand", Email);
        var run = (await ada.GetAsync($"/api/people/{person}")).GetProperty("runs")[0].GetProperty("id").GetString();
        await ada.DoAsync($"/api/people/{person}/runs/{run}/stop");
        await site.WorkAsync();
        Assert.Equal(HttpStatusCode.NotFound, (await ada.PostAsync($"/api/people/{person}/runs/{run}/stop")).StatusCode);
        await StartedAsync(ada, person, "By answer", Email);
        await ada.DoAsync($"/api/people/{person}/replies", new { channel = "email", text = "Thursday suits me" });
        await site.WorkAsync();
        await using var db = site.Db();
        Assert.Equal(
            ["by-hand", "replied"],
            await db.Runs.Where(r => r.PersonId == Guid.Parse(person)).Select(r => r.StopReason!).OrderBy(r => r).ToListAsync()
        );
        var past = (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("past").EnumerateArray().ToList();
        Assert.Contains(past, p => p.GetProperty("title").GetString() == "Answered by email" && p.GetProperty("detail").GetString() == "Thursday suits me");
    }

    [Fact]
    public async Task Many_people_get_a_tag_a_stage_and_lose_the_tag_again()
    {
        var ada = await site.SignedInAsync("ada");
        var ids = new[] { await PersonAsync(ada, "Many1", "many1@example.com"), await PersonAsync(ada, "Many2", "many2@example.com") };
        Assert.Equal(2, (await ada.DoAsync("/api/people/tag", new { ids, tag = "  many   people " })).GetProperty("count").GetInt32());
        Assert.Equal(0, (await ada.DoAsync("/api/people/tag", new { ids, tag = "MANY PEOPLE" })).GetProperty("count").GetInt32());
        Assert.Equal(2, (await ada.DoAsync("/api/people/stage", new { ids, stage = "Planning/Inquiry" })).GetProperty("count").GetInt32());
        Assert.Equal(0, (await ada.DoAsync("/api/people/stage", new { ids, stage = "Planning/Inquiry" })).GetProperty("count").GetInt32());
        Assert.Equal(2, (await ada.GetAsync("/api/people?tag=many%20people&stage=Planning%2FInquiry")).GetProperty("rows").GetArrayLength());
        Assert.Contains("many people", (await ada.GetAsync("/api/session")).GetProperty("tags").EnumerateArray().Select(t => t.GetString()));
        Assert.Equal(2, (await ada.DoAsync("/api/people/untag", new { ids, tag = "many people" })).GetProperty("count").GetInt32());
        Assert.Equal(400, (await ada.RefusedAsync("/api/people/tag", new { ids, tag = "a;b" }, "tag")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/people/start", new { ids, program = Guid.NewGuid() }, "program")).Status);
    }

    [Fact]
    public async Task A_long_thread_pages_between_moments_and_loses_nothing()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Longa", "longa@example.com");
        await using (var db = site.Db())
        {
            for (var i = 0; i < 130; i++)
            {
                var at = Site.Now - NodaTime.Duration.FromHours(i / 2);
                db.Events.Add(
                    new Store.Rows.EventRow
                    {
                        PracticeId = site.Practice,
                        PersonId = Guid.Parse(person),
                        At = at,
                        Kind = "remark",
                        Data = new() { ["text"] = $"remark {i}" },
                        HandledAt = at,
                    }
                );
            }

            await db.SaveChangesAsync();
        }

        var seen = new List<string>();
        string? before = null;
        var pages = 0;
        do
        {
            var page = await ada.GetAsync($"/api/people/{person}/thread{(before is null ? "" : $"?before={Uri.EscapeDataString(before)}")}");
            seen.AddRange(
                page.GetProperty("past")
                    .EnumerateArray()
                    .Select(p => p.GetProperty("title").GetString()!)
                    .Where(t => t.StartsWith("remark", StringComparison.Ordinal))
            );
            before = page.GetProperty("next").GetString();
            pages++;
        } while (before is not null);
        Assert.True(pages > 2);
        Assert.Equal(130, seen.Count);
        Assert.Equal(130, seen.Distinct().Count());
    }

    [Fact]
    public async Task A_program_is_paused_and_resumed_and_only_when_it_makes_sense()
    {
        var ada = await site.SignedInAsync("ada");
        var id = await PeopleApiTests.ProgramAsync(ada, "Pausable", Email);
        Assert.Equal(409, (await ada.RefusedAsync($"/api/programs/{id}/resume", null, "")).Status);
        await ada.DoAsync($"/api/programs/{id}/pause");
        Assert.Equal("paused", (await ada.GetAsync($"/api/programs/{id}")).GetProperty("status").GetString());
        Assert.Contains(
            "is not on",
            (await ada.RefusedAsync("/api/people/start", new { ids = Array.Empty<string>(), program = id }, "program")).Message,
            StringComparison.Ordinal
        );
        await ada.DoAsync($"/api/programs/{id}/resume");
        Assert.Equal("on", (await ada.GetAsync($"/api/programs/{id}")).GetProperty("status").GetString());
        Assert.Equal(400, (await ada.RefusedAsync("/api/programs", new { name = "pausable" }, "name")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/programs", new { name = " " }, "name")).Status);
    }

    [Fact]
    public async Task What_is_not_there_is_a_404_and_a_body_that_lacks_something_a_400()
    {
        var ada = await site.SignedInAsync("ada");
        foreach (
            var path in new[]
            {
                $"/api/people/{Guid.NewGuid()}",
                $"/api/programs/{Guid.NewGuid()}",
                $"/api/imports/{Guid.NewGuid()}",
                $"/api/touches/{Guid.NewGuid()}",
                "/api/nothing",
                $"/i/{Guid.NewGuid()}",
            }
        )
        {
            Assert.Equal(HttpStatusCode.NotFound, (await ada.Http.GetAsync(path)).StatusCode);
        }

        Assert.Equal(HttpStatusCode.BadRequest, (await ada.PostAsync("/api/people/tag", new { tag = "x" })).StatusCode);
        Assert.Equal(
            HttpStatusCode.BadRequest,
            (await ada.PostAsync("/api/people/tag", new StringContent("{", System.Text.Encoding.UTF8, "application/json"))).StatusCode
        );
    }

    [Fact]
    public async Task The_fields_of_a_letter_are_told()
    {
        var ada = await site.SignedInAsync("ada");
        Assert.Contains("person.first_name", (await ada.GetAsync("/api/programs/fields")).EnumerateArray().Select(f => f.GetProperty("field").GetString()));
    }

    [Fact]
    public async Task The_sheet_is_printed_for_everybody_or_one_member_on_either_paper()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Printa <b>", "printa@example.com");
        await ada.DoAsync($"/api/people/{person}/tasks", new { kind = "call", title = "Ask about the boat", due = "2027-03-01" });
        foreach (var query in new[] { "", "?paper=a4", "?paper=letter", $"?member={(await ada.GetAsync("/api/session")).GetProperty("member").GetProperty("id").GetString()}" })
        {
            var answer = await ada.Http.GetAsync($"/api/today/sheet.pdf{query}");
            Assert.Equal(("application/pdf", HttpStatusCode.OK), (answer.Content.Headers.ContentType?.MediaType, answer.StatusCode));
            Assert.StartsWith("%PDF-", System.Text.Encoding.ASCII.GetString((await answer.Content.ReadAsByteArrayAsync()).AsSpan(0, 8)), StringComparison.Ordinal);
        }

        Assert.Equal(HttpStatusCode.BadRequest, (await ada.Http.GetAsync("/api/today/sheet.pdf?paper=skin")).StatusCode);
        Assert.Equal(HttpStatusCode.Unauthorized, (await (await site.NobodyAsync()).Http.GetAsync("/api/today/sheet.pdf")).StatusCode);

        // Of another practice's member there is nothing but what nobody looks after.
        var stranger = await site.SignedInAsync("ada2");
        Assert.Equal(HttpStatusCode.OK, (await stranger.Http.GetAsync("/api/today/sheet.pdf")).StatusCode);
        Assert.DoesNotContain((await stranger.GetAsync("/api/today")).GetProperty("calls").EnumerateArray(), c => c.GetProperty("person").GetProperty("id").GetString() == person);
    }

    [Fact]
    public async Task The_sheet_of_one_member_has_their_people_and_nobodys()
    {
        var ada = await site.SignedInAsync("ada");
        var tomas = (await (await site.SignedInAsync("tomas")).GetAsync("/api/session")).GetProperty("member").GetProperty("id").GetString();
        var person = await PersonAsync(ada, "Ofada", "ofada@example.com");
        await ada.DoAsync("/api/people/owner", new { ids = new[] { person }, owner = (await ada.GetAsync("/api/session")).GetProperty("member").GetProperty("id").GetString() });
        await StartedAsync(ada, person, "Of a member", """[{"id":"a","kind":"task","when":{"from":"start","offset":"P0D"},"title":"Ask"}]""");
        async Task<bool> HasAsync(string? member) =>
            (await ada.GetAsync($"/api/today?member={member}")).GetProperty("calls").EnumerateArray().Any(c => c.GetProperty("person").GetProperty("id").GetString() == person);
        Assert.True(await HasAsync((await ada.GetAsync("/api/session")).GetProperty("member").GetProperty("id").GetString()));
        Assert.False(await HasAsync(tomas));
    }
}
