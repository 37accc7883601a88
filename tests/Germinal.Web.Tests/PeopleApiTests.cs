using System.Net;
using System.Text;
using System.Text.Json;
using Germinal.Channels;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;

namespace Germinal.Web.Tests;

public sealed class PeopleApiTests(Site site) : IClassFixture<Site>
{
    private static async Task<string> AddAsync(Member member, string first, string? email = null) => (
            await member.DoAsync(
                "/api/people",
                new
                {
                    firstName = first,
                    lastName = "Rowan",
                    email,
                    anyway = true,
                }
            )
        ).GetProperty("id").GetString()!;

    [Fact]
    public async Task People_are_listed_searched_and_paged_by_key()
    {
        var ada = await site.SignedInAsync("ada");
        for (var i = 0; i < 25; i++)
        {
            await AddAsync(ada, $"Þóra{i:00}", $"thora{i}@example.com");
        }

        foreach (var sort in new[] { "name", "-name", "stage", "-owner", "next", "-last" })
        {
            var seen = new List<string>();
            string? after = null;
            do
            {
                var page = await ada.GetAsync($"/api/people?search=thora&sort={sort}&most=10{(after is null ? "" : $"&after={after}")}");
                seen.AddRange(page.GetProperty("rows").EnumerateArray().Select(r => r.GetProperty("id").GetString()!));
                after = page.GetProperty("next").GetString();
            } while (after is not null);
            Assert.Equal(25, seen.Count);
            Assert.Equal(25, seen.Distinct().Count());
        }

        var names = (await ada.GetAsync("/api/people?search=thora&sort=-name&most=30"))
            .GetProperty("rows")
            .EnumerateArray()
            .Select(r => r.GetProperty("name").GetString()!)
            .ToList();
        Assert.Equal(names.OrderDescending(StringComparer.Ordinal), names);
        Assert.Equal(0, (await ada.GetAsync("/api/people?search=100%25")).GetProperty("rows").GetArrayLength());
    }

    [Fact]
    public async Task What_is_typed_wrong_is_told_at_its_field_and_changes_nothing()
    {
        var ada = await site.SignedInAsync("ada");
        Assert.Contains(
            "name@example.com",
            (await ada.RefusedAsync("/api/people", new { firstName = "Ida", email = "ida at home" }, "email")).Message,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "555-0123",
            (await ada.RefusedAsync("/api/people", new { firstName = "Ida", mobile = "ring me" }, "mobile")).Message,
            StringComparison.Ordinal
        );
        Assert.NotEmpty((await ada.RefusedAsync("/api/people", new { }, "firstName")).Message);
        var id = await AddAsync(ada, "Ida");
        object Edit(object fields) => new { edition = 1, fields };
        Assert.Contains(
            "no day there is",
            (
                await ada.RefusedAsync(
                    $"/api/people/{id}",
                    Edit(new { dates = new Dictionary<string, string> { ["birthday"] = "1980-02-30" } }),
                    "dates.birthday",
                    HttpMethod.Patch
                )
            ).Message,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "time zone",
            (await ada.RefusedAsync($"/api/people/{id}", Edit(new { zone = "Moon/Base" }), "zone", HttpMethod.Patch)).Message,
            StringComparison.Ordinal
        );
        Assert.Equal(
            400,
            (
                await ada.RefusedAsync(
                    $"/api/people/{id}/consent",
                    new
                    {
                        channel = "email",
                        @in = true,
                        reason = "",
                    },
                    "reason"
                )
            ).Status
        );
        Assert.Equal(400, (await ada.RefusedAsync($"/api/people/{id}/contact", new { doNotContact = true }, "reason")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/people/stage", new { ids = new[] { id }, stage = "Planning/Nowhere" }, "stage")).Status);
        Assert.Equal(1, (await ada.GetAsync($"/api/people/{id}")).GetProperty("edition").GetInt32());
    }

    [Fact]
    public async Task Two_members_who_edit_one_person_are_told()
    {
        var ada = await site.SignedInAsync("ada");
        var tomas = await site.SignedInAsync("tomas");
        var id = await AddAsync(ada, "Ida");
        await ada.DoAsync($"/api/people/{id}", new { edition = 1, fields = new { firstName = "Idalina" } }, HttpMethod.Patch);
        var (status, message) = await tomas.RefusedAsync(
            $"/api/people/{id}",
            new { edition = 1, fields = new { firstName = "Idabel" } },
            "",
            HttpMethod.Patch
        );
        Assert.Equal(409, status);
        Assert.Contains("Somebody else", message, StringComparison.Ordinal);
        Assert.Equal("Idalina", (await ada.GetAsync($"/api/people/{id}")).GetProperty("firstName").GetString());
    }

    [Fact]
    public async Task The_thread_shows_past_and_coming_and_a_picked_touch_says_why()
    {
        var ada = await site.SignedInAsync("ada");
        var id = await AddAsync(ada, "Ida", "ida.thread@example.com");
        await ada.DoAsync(
            $"/api/people/{id}/consent",
            new
            {
                channel = "email",
                @in = true,
                reason = "told me",
            }
        );
        await ada.DoAsync($"/api/people/{id}/remarks", new { text = "Likes boats" });
        var program = await ProgramAsync(
            ada,
            "Thread",
            """[{"id":"a","kind":"call","when":{"from":"start","offset":"P1D"},"script":"Hello {{ person.first_name }}"},{"id":"b","kind":"email","when":{"from":"previous","offset":"P5D"},"subject":"Hi {{ person.first_name }}","body":"<p>b</p>"}]"""
        );
        await ada.DoAsync("/api/people/start", new { ids = new[] { id }, program });
        await site.WorkAsync();
        var thread = await ada.GetAsync($"/api/people/{id}/thread");
        Assert.Equal(["Call: Hello Ida", "Hi Ida"], thread.GetProperty("coming").EnumerateArray().Select(c => c.GetProperty("title").GetString()));
        var past = thread.GetProperty("past").EnumerateArray().Select(c => c.GetProperty("title").GetString()).ToList();
        Assert.Contains("Likes boats", past);
        Assert.Contains("“Thread” started", past);
        foreach (var line in thread.GetProperty("coming").EnumerateArray())
        {
            var touch = await ada.GetAsync($"/api/touches/{line.GetProperty("touchId").GetString()}?person={id}");
            Assert.All(touch.GetProperty("why").EnumerateArray(), w => Assert.EndsWith(".", w.GetProperty("text").GetString()!, StringComparison.Ordinal));
        }
    }

    internal static async Task<string> ProgramAsync(Member ada, string name, string steps, string more = "{}")
    {
        var id = (await ada.DoAsync("/api/programs", new { name })).GetProperty("id").GetString()!;
        var draft = System.Text.Json.Nodes.JsonNode.Parse((await ada.GetAsync($"/api/programs/{id}")).GetProperty("draft").GetRawText())!;
        draft["steps"] = System.Text.Json.Nodes.JsonNode.Parse(steps);
        foreach (var (key, value) in System.Text.Json.Nodes.JsonNode.Parse(more)!.AsObject())
        {
            draft[key] = value?.DeepClone();
        }

        await ada.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 1, draft }, HttpMethod.Put);
        await ada.DoAsync($"/api/programs/{id}/switch-on", new { draftNumber = 2, alsoThese = false });
        return id;
    }

    [Fact]
    public async Task A_call_is_done_with_an_outcome_and_undone()
    {
        var ada = await site.SignedInAsync("ada");
        var id = await AddAsync(ada, "Cally");
        await ada.DoAsync($"/api/people/{id}", new { edition = 1, fields = new { mobile = "207 555 0111" } }, HttpMethod.Patch);
        var program = await ProgramAsync(ada, "Calls today", """[{"id":"a","kind":"call","when":{"from":"start","offset":"P0D"},"script":"x"}]""");
        await ada.DoAsync("/api/people/start", new { ids = new[] { id }, program });
        await site.WorkAsync();
        async Task<List<string>> CallsAsync() =>
            [
                .. (await ada.GetAsync("/api/today"))
                    .GetProperty("calls")
                    .EnumerateArray()
                    .Where(c => c.GetProperty("person").GetProperty("id").GetString() == id)
                    .Select(c => c.GetProperty("touchId").GetString()!),
            ];
        var touch = Assert.Single(await CallsAsync());
        Assert.Equal(400, (await ada.RefusedAsync($"/api/touches/{touch}/done", new { outcome = "shouted" }, "outcome")).Status);
        await ada.DoAsync($"/api/touches/{touch}/done", new { outcome = "spoke", remark = "in the car" });
        Assert.Empty(await CallsAsync());
        await site.WorkAsync();
        Assert.Empty(await CallsAsync());
        await ada.DoAsync($"/api/touches/{touch}/undo");
        Assert.Single(await CallsAsync());
        await ada.DoAsync($"/api/touches/{touch}/done", new { outcome = "left word" });
        await site.WorkAsync();
        await using var db = site.Db();
        Assert.Equal("left word", (await db.Touches.SingleAsync(t => t.Id == Guid.Parse(touch))).CallOutcome);
    }

    [Fact]
    public async Task A_file_is_reviewed_brought_in_reported_and_undone()
    {
        var ada = await site.SignedInAsync("ada");
        Assert.Contains(
            "no rows",
            (await ada.RefusedAsync("/api/imports", Member.File("Name,Email\n"u8.ToArray(), "x.csv"), "file")).Message,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "damaged",
            (await ada.RefusedAsync("/api/imports", Member.File([0x50, 0x4B, 3, 4, 0, 0, 0], "x.xlsx"), "file")).Message,
            StringComparison.Ordinal
        );
        var sample = await File.ReadAllBytesAsync(Path.Combine(AppContext.BaseDirectory, "sample.csv"));
        var id = (await ada.DoAsync("/api/imports", Member.File(sample, "sample.csv"))).GetProperty("id").GetString()!;
        var before = await site.Db().People.CountAsync();
        var review = await ada.GetAsync($"/api/imports/{id}");
        Assert.Equal(before, await site.Db().People.CountAsync());
        var fields = review.GetProperty("columns").EnumerateArray().Select(c => c.GetProperty("field").GetString()!).ToArray();
        Assert.Equal(
            [
                "first_name",
                "last_name",
                "email",
                "mobile",
                "other_phone",
                "birthday",
                "street",
                "city",
                "state",
                "zip",
                "date:client since",
                "tags",
                "email_consent",
                "source",
                "owner",
                "notes",
            ],
            fields
        );
        var added = review.GetProperty("review").GetProperty("added").GetInt32();
        Assert.Contains(
            "Two columns",
            (
                await ada.RefusedAsync(
                    $"/api/imports/{id}/columns",
                    new { columns = fields.Select(f => f == "state" ? "zip" : f) },
                    "columns",
                    HttpMethod.Put
                )
            ).Message,
            StringComparison.Ordinal
        );
        var changed = await ada.DoAsync($"/api/imports/{id}/columns", new { columns = fields.Select(f => f == "source" ? "" : f) }, HttpMethod.Put);
        Assert.Equal(added, changed.GetProperty("review").GetProperty("added").GetInt32());
        await ada.DoAsync($"/api/imports/{id}/start");
        while (await site.Services.GetRequiredService<Service.Import.ImportRunner>().RunNextAsync(default)) { }

        var done = await ada.GetAsync($"/api/imports/{id}/progress");
        Assert.Equal("done", done.GetProperty("status").GetString());
        Assert.Equal(added, done.GetProperty("added").GetInt32());
        var report = await (await ada.Http.GetAsync($"/api/imports/{id}/report.csv")).Content.ReadAsStringAsync();
        Assert.Contains("The row is empty.", report, StringComparison.Ordinal);
        Assert.Contains("Total", report, StringComparison.Ordinal);
        await ada.DoAsync($"/api/imports/{id}/undo");
        Assert.Equal(before, await site.Db().People.CountAsync());
    }

    // RFC 8058: the mail program posts List-Unsubscribe=One-Click; a mere GET by a scanner must change nothing.
    [Fact]
    public async Task The_unsubscribe_link_works_at_once_and_only_by_a_post()
    {
        var ada = await site.SignedInAsync("ada");
        var id = await AddAsync(ada, "Leaver", "leaver@example.com");
        await ada.DoAsync(
            $"/api/people/{id}/consent",
            new
            {
                channel = "email",
                @in = true,
                reason = "told me",
            }
        );
        var program = await ProgramAsync(ada, "To leave", """[{"id":"a","kind":"email","when":{"from":"start","offset":"P3D"},"subject":"s","body":"b"}]""");
        await ada.DoAsync("/api/people/start", new { ids = new[] { id }, program });
        await site.WorkAsync();
        await using var db = site.Db();
        var touch = (await db.Touches.SingleAsync(t => t.PersonId == Guid.Parse(id))).Id;
        var link = $"/u/{site.Services.GetRequiredService<PublicLinks>().Token(touch)}";
        var nobody = await site.NobodyAsync();
        Assert.Contains("Stop these emails", await (await nobody.Http.GetAsync(link)).Content.ReadAsStringAsync(), StringComparison.Ordinal);
        Assert.Equal(1, await db.Consent.CountAsync(c => c.PersonId == Guid.Parse(id)));
        var oneClick = new FormUrlEncodedContent(new Dictionary<string, string> { ["List-Unsubscribe"] = "One-Click" });
        Assert.Equal(HttpStatusCode.OK, (await nobody.SendAsync(HttpMethod.Post, link, oneClick, guarded: false)).StatusCode);
        Assert.Equal(HttpStatusCode.BadRequest, (await nobody.SendAsync(HttpMethod.Post, link, new FormUrlEncodedContent([]), guarded: false)).StatusCode);
        var entries = await db.Consent.Where(c => c.PersonId == Guid.Parse(id)).OrderBy(c => c.Id).ToListAsync();
        Assert.False(entries[^1].IsIn);
        Assert.Equal("one-click in their mail program", entries[^1].Source);
        await site.WorkAsync();
        Assert.Equal("nothing-left-to-send", (await db.Runs.AsNoTracking().SingleAsync(r => r.PersonId == Guid.Parse(id))).StopReason);
        Assert.Contains("no more", await (await nobody.Http.GetAsync(link)).Content.ReadAsStringAsync(), StringComparison.Ordinal);
        foreach (var forged in new[] { link[..^4] + "AAAA", "/u/x", "/u/" + new string('A', 43) })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await nobody.Http.GetAsync(forged)).StatusCode);
            Assert.Equal(
                HttpStatusCode.NotFound,
                (
                    await nobody.SendAsync(
                        HttpMethod.Post,
                        forged,
                        new FormUrlEncodedContent(new Dictionary<string, string> { ["List-Unsubscribe"] = "One-Click" }),
                        guarded: false
                    )
                ).StatusCode
            );
        }
    }

    /// <summary>Words of one or two letters are looked for where names begin, longer ones anywhere.</summary>
    [Fact]
    public async Task Short_words_find_the_beginnings_of_names()
    {
        var ada = await site.SignedInAsync("ada");
        foreach (var (first, last) in new[] { ("Quirin", "Ashquist"), ("Ina", "Quist"), ("Maquin", "Torq") })
        {
            await ada.PostAsync(
                "/api/people",
                new
                {
                    firstName = first,
                    lastName = last,
                    email = $"{first.ToLowerInvariant()}@example.com",
                }
            );
        }

        async Task<string> FoundAsync(string search) =>
            string.Join(
                ", ",
                (await ada.GetAsync($"/api/people?search={search}")).GetProperty("rows").EnumerateArray().Select(r => r.GetProperty("name").GetString())
            );
        Assert.Equal("Quirin Ashquist, Ina Quist", await FoundAsync("qu"));
        Assert.Equal("Quirin Ashquist, Ina Quist, Maquin Torq", await FoundAsync("qui"));
        Assert.Equal("Ina Quist", await FoundAsync("q%20i"));
        Assert.Equal("", await FoundAsync("%25"));
    }

    [Fact]
    public async Task Who_is_there_already_is_named_at_the_field_and_may_be_meant()
    {
        var ada = await site.SignedInAsync("ada");
        var first = new
        {
            firstName = "Twin",
            lastName = "Samename",
            email = "twin@example.com",
            mobile = "(207) 555-0181",
        };
        var id = (await ada.DoAsync("/api/people", first)).GetProperty("id").GetString();
        var answer = await ada.PostAsync("/api/people", first with { email = "TWIN@example.com" });
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        var problem = System.Text.Json.JsonDocument.Parse(await answer.Content.ReadAsStringAsync()).RootElement;
        Assert.Equal("Twin Samename has this address already.", problem.GetProperty("errors").GetProperty("email")[0].GetString());
        Assert.Equal("Twin Samename has this number already.", problem.GetProperty("errors").GetProperty("mobile")[0].GetString());
        Assert.Equal("Somebody called Twin Samename is here already.", problem.GetProperty("errors").GetProperty("lastName")[0].GetString());
        Assert.Equal(id, problem.GetProperty("others").GetProperty("email").GetProperty("id").GetString());
        await ada.DoAsync("/api/people", new { firstName = "Twin", lastName = "Samename", mobile = "(207) 555-0181", anyway = true });

        var other = (await ada.DoAsync("/api/people", new { firstName = "Else", lastName = "Whoever" })).GetProperty("id").GetString();
        var edition = (await ada.GetAsync($"/api/people/{other}")).GetProperty("edition").GetInt32();
        var body = new { edition, fields = new { email = "twin@example.com" } };
        Assert.Contains("has this address already", (await ada.RefusedAsync($"/api/people/{other}", body, "email", HttpMethod.Patch)).Message, StringComparison.Ordinal);
        await ada.DoAsync($"/api/people/{other}", new { edition, body.fields, anyway = true }, HttpMethod.Patch);

        // Another practice's people are nobody's business here.
        var stranger = await site.SignedInAsync("ada2");
        await stranger.DoAsync("/api/people", first);
    }
}
