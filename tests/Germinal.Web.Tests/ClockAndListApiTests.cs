using System.Net;
using System.Text.Json;
using System.Text.Json.Nodes;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

public sealed class ClockAndListApiTests(Site site) : IClassFixture<Site>
{
    [Fact]
    public async Task The_clock_is_moved_by_an_hour_to_tomorrow_by_a_week_and_to_a_date()
    {
        var ada = await site.SignedInAsync("ada");
        foreach (
            var (to, expected) in new[]
            {
                ("PT1H", "2027-03-01T14:15:00Z"),
                ("tomorrow", "2027-03-02T13:15:00Z"),
                ("P7D", "2027-03-09T13:15:00Z"),
                ("2027-03-15", "2027-03-15T12:15:00Z"),
            }
        )
        {
            var moving = await ada.DoAsync("/api/clock/move", new { to });
            Assert.Equal(expected, moving.GetProperty("moveTo").GetString());
            Assert.Equal(409, (await ada.RefusedAsync("/api/clock/move", new { to = "PT1H" }, "")).Status);
            await site.WorkAsync();
            var stands = await ada.GetAsync("/api/clock");
            Assert.Equal(expected, stands.GetProperty("now").GetString());
            Assert.Equal(JsonValueKind.Null, stands.GetProperty("moveTo").ValueKind);
        }

        Assert.Equal(400, (await ada.RefusedAsync("/api/clock/move", new { to = "2027-03-15" }, "to")).Status);
    }

    [Fact]
    public async Task The_list_of_programs_has_counts_and_the_touch_line()
    {
        var ada = await site.SignedInAsync("ada");
        var id = await PeopleApiTests.ProgramAsync(
            ada,
            "Lined",
            """[{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"s","body":"b"},{"id":"c","kind":"call","when":{"from":"start","offset":"P1W"},"script":"x"},{"id":"d","kind":"email","when":{"from":"previous","offset":"P1M"},"subject":"s","body":"b"}]"""
        );
        var line = (await ada.GetAsync("/api/programs")).EnumerateArray().Single(p => p.GetProperty("id").GetString() == id);
        Assert.Equal("on", line.GetProperty("status").GetString());
        Assert.Equal([0, 7, 38], line.GetProperty("line").EnumerateArray().Select(m => m.GetProperty("day").GetInt32()));
        Assert.Equal(["email", "call", "email"], line.GetProperty("line").EnumerateArray().Select(m => m.GetProperty("kind").GetString()!));
    }

    [Fact]
    public async Task Another_person_in_the_margin_is_the_next_one_by_name_and_back()
    {
        var ada = await site.SignedInAsync("ada");
        foreach (var name in new[] { "Aaron", "Abigail", "Adam" })
        {
            await ada.DoAsync(
                "/api/people",
                new
                {
                    firstName = name,
                    lastName = "Aardvark",
                    email = $"{name}@example.com",
                }
            );
        }

        var id = await PeopleApiTests.ProgramAsync(
            ada,
            "Margins",
            """[{"id":"a","kind":"email","when":{"from":"start","offset":"P1D"},"subject":"Hello {{ person.first_name }}","body":"b"}]"""
        );
        var first = await ada.GetAsync($"/api/programs/{id}/preview");
        Assert.Equal("Aaron Aardvark", first.GetProperty("person").GetProperty("name").GetString());
        Assert.Equal("Hello Aaron", first.GetProperty("letter").GetProperty("subject").GetString());
        var next = await ada.GetAsync($"/api/programs/{id}/preview?person={first.GetProperty("person").GetProperty("id").GetString()}&move=1");
        Assert.Equal("Abigail Aardvark", next.GetProperty("person").GetProperty("name").GetString());
        var back = await ada.GetAsync($"/api/programs/{id}/preview?person={next.GetProperty("person").GetProperty("id").GetString()}&move=-1");
        Assert.Equal("Aaron Aardvark", back.GetProperty("person").GetProperty("name").GetString());
    }

    [Fact]
    public async Task A_person_is_edited_field_by_field()
    {
        var ada = await site.SignedInAsync("ada");
        var session = await ada.GetAsync("/api/session");
        var tomas = session
            .GetProperty("members")
            .EnumerateArray()
            .Single(m => m.GetProperty("name").GetString() == "Tomas Brandt")
            .GetProperty("id")
            .GetString();
        var id = (await ada.DoAsync("/api/people", new { firstName = "Edith", email = "EDITH@Example.com" })).GetProperty("id").GetString();
        var page = await ada.DoAsync(
            $"/api/people/{id}",
            new
            {
                edition = 1,
                fields = new
                {
                    lastName = " Rowan ",
                    mobile = "(303) 555-0142 ext. 7",
                    otherPhone = "303.555.0143",
                    address = "1 Quay Lane\nPort Averil",
                    zone = "America/Denver",
                    source = "talk",
                    ownerId = tomas,
                    dates = new Dictionary<string, string> { ["birthday"] = "--02-29", ["client since"] = "2019-08-13" },
                },
            },
            HttpMethod.Patch
        );
        Assert.Equal("Edith Rowan", page.GetProperty("name").GetString());
        Assert.Equal("edith@example.com", page.GetProperty("email").GetString());
        Assert.Equal(("+13035550142", "7"), (page.GetProperty("mobile").GetString(), page.GetProperty("mobileExtension").GetString()));
        Assert.Equal("America/Denver", page.GetProperty("clockZone").GetString());
        Assert.Equal("Tomas Brandt", page.GetProperty("owner").GetString());
        Assert.Equal(["--02-29", "2019-08-13"], page.GetProperty("dates").EnumerateArray().Select(d => d.GetProperty("date").GetString()!));
        page = await ada.DoAsync(
            $"/api/people/{id}",
            new
            {
                edition = 2,
                fields = new
                {
                    mobile = "",
                    clearOwner = true,
                    zone = "",
                    dates = new Dictionary<string, string> { ["birthday"] = "" },
                },
            },
            HttpMethod.Patch
        );
        Assert.Equal(JsonValueKind.Null, page.GetProperty("mobile").ValueKind);
        Assert.Equal(JsonValueKind.Null, page.GetProperty("owner").ValueKind);
        Assert.Equal("America/New_York", page.GetProperty("clockZone").GetString());
        Assert.Equal(["client since"], page.GetProperty("dates").EnumerateArray().Select(d => d.GetProperty("name").GetString()!));
        Assert.Equal(
            400,
            (await ada.RefusedAsync($"/api/people/{id}", new { edition = 3, fields = new { ownerId = Guid.NewGuid() } }, "ownerId", HttpMethod.Patch)).Status
        );
    }

    [Fact]
    public async Task A_picture_in_a_letter_is_served_to_recipients_from_the_practices_address()
    {
        var ada = await site.SignedInAsync("ada");
        byte[] png = [0x89, 0x50, 0x4E, 0x47, 0x0D, 0x0A, 0x1A, 0x0A, 1, 2, 3, 4];
        var url = (await ada.DoAsync("/api/images", Member.File(png, "boat.png"))).GetProperty("url").GetString()!;
        var person = (await ada.DoAsync("/api/people", new { firstName = "Pica", email = "pica@example.com" })).GetProperty("id").GetString();
        var (id, draft) = await NewAsync(ada, "Pictures");
        draft["steps"] = JsonNode.Parse(
            $$"""[{"id":"a","kind":"email","when":{"from":"start","offset":"P1D"},"subject":"s","body":"<p>Look</p><img src=\"{{url}}\" alt=\"a boat\">"}]"""
        );
        await ada.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 1, draft }, HttpMethod.Put);
        var preview = await ada.GetAsync($"/api/programs/{id}/preview?person={person}&step=a");
        Assert.Contains($"src=\"{url}\"", preview.GetProperty("letter").GetProperty("html").GetString(), StringComparison.Ordinal);
        Assert.Equal(png, await (await site.NobodyAsync()).Http.GetByteArrayAsync(url));
    }

    private static async Task<(string Id, JsonNode Draft)> NewAsync(Member member, string name)
    {
        var id = (await member.DoAsync("/api/programs", new { name })).GetProperty("id").GetString()!;
        return (id, JsonNode.Parse((await member.GetAsync($"/api/programs/{id}")).GetProperty("draft").GetRawText())!);
    }

    [Fact]
    public async Task Imports_are_listed_stopped_only_while_they_run_and_undone_only_afterwards()
    {
        var ada = await site.SignedInAsync("ada");
        var id = (await ada.DoAsync("/api/imports", Member.File("First name;Email\nLista;lista@example.com\n"u8.ToArray(), "list.csv")))
            .GetProperty("id")
            .GetString()!;
        Assert.Contains(
            (await ada.GetAsync("/api/imports")).EnumerateArray(),
            i => i.GetProperty("id").GetString() == id && i.GetProperty("status").GetString() == "review"
        );
        Assert.Equal(409, (await ada.RefusedAsync($"/api/imports/{id}/undo", null, "")).Status);
        await ada.DoAsync($"/api/imports/{id}/start");
        Assert.Equal(409, (await ada.RefusedAsync($"/api/imports/{id}/start", null, "")).Status);
        Assert.Equal(
            409,
            (await ada.RefusedAsync($"/api/imports/{id}/columns", new { columns = new[] { "first_name", "email" } }, "", HttpMethod.Put)).Status
        );
        Assert.Equal(HttpStatusCode.NoContent, (await ada.PostAsync($"/api/imports/{id}/stop")).StatusCode);
        await using var db = site.Db();
        Assert.True(await db.Imports.AnyAsync(i => i.Id == Guid.Parse(id) && i.StopAsked));
    }
}
