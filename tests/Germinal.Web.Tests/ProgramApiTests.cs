using System.Text.Json;
using System.Text.Json.Nodes;

namespace Germinal.Web.Tests;

public sealed class ProgramApiTests(Site site) : IClassFixture<Site>
{
    private static async Task<(string Id, JsonNode Draft)> NewAsync(Member member, string name)
    {
        var id = (await member.DoAsync("/api/programs", new { name })).GetProperty("id").GetString()!;
        return (id, JsonNode.Parse((await member.GetAsync($"/api/programs/{id}")).GetProperty("draft").GetRawText())!);
    }

    [Fact]
    public async Task Without_steps_or_with_a_broken_tag_it_cannot_be_switched_on()
    {
        var ada = await site.SignedInAsync("ada");
        var (id, draft) = await NewAsync(ada, "Empty");
        Assert.Contains(
            "no steps",
            (await ada.RefusedAsync($"/api/programs/{id}/switch-on", new { draftNumber = 1, alsoThese = false }, "/steps")).Message,
            StringComparison.Ordinal
        );
        draft["steps"] = JsonNode.Parse(
            """[{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"s","body":"<p>one</p>\n<p>{{ person.first_name </p>"}]"""
        );
        var saved = await ada.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 1, draft }, HttpMethod.Put);
        Assert.Contains("Line 2, column", saved.GetProperty("findings")[0].GetProperty("message").GetString(), StringComparison.Ordinal);
        Assert.Contains(
            "Line 2, column",
            (await ada.RefusedAsync($"/api/programs/{id}/switch-on", new { draftNumber = 2, alsoThese = false }, "/steps/0/body")).Message,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task Two_members_who_edit_one_program_are_told_and_nothing_is_overwritten()
    {
        var ada = await site.SignedInAsync("ada");
        var tomas = await site.SignedInAsync("tomas");
        var (id, draft) = await NewAsync(ada, "Shared");
        await ada.SendAsync(HttpMethod.Put, $"/api/programs/{id}/standing", new { ownerId = (string?)null });
        draft["description"] = "Ada's words";
        await ada.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 1, draft }, HttpMethod.Put);
        draft["description"] = "Tomas's words";
        var (status, message) = await tomas.RefusedAsync($"/api/programs/{id}/draft", new { draftNumber = 1, draft }, "", HttpMethod.Put);
        Assert.Equal(409, status);
        Assert.StartsWith("Ada Quill", message, StringComparison.Ordinal);
        Assert.Equal("Ada's words", (await ada.GetAsync($"/api/programs/{id}")).GetProperty("draft").GetProperty("description").GetString());
    }

    [Fact]
    public async Task A_draft_that_does_not_read_is_refused_with_every_place()
    {
        var ada = await site.SignedInAsync("ada");
        var (id, draft) = await NewAsync(ada, "Wrong");
        draft["at"] = "noon";
        draft["steps"] = JsonNode.Parse("""[{"id":"a","kind":"email","when":{"from":"on","date":"2027-02-30"},"subject":"s","body":"b"}]""");
        var body = new { draftNumber = 1, draft };
        Assert.Contains("09:30", (await ada.RefusedAsync($"/api/programs/{id}/draft", body, "/at", HttpMethod.Put)).Message, StringComparison.Ordinal);
        Assert.Contains(
            "not a date",
            (await ada.RefusedAsync($"/api/programs/{id}/draft", body, "/steps/0/when/date", HttpMethod.Put)).Message,
            StringComparison.Ordinal
        );
    }

    [Fact]
    public async Task Switching_on_shows_who_starts_and_starts_also_these()
    {
        var ada = await site.SignedInAsync("ada");
        var person = (
            await ada.DoAsync(
                "/api/people",
                new
                {
                    firstName = "Warm",
                    lastName = "One",
                    email = "warm@example.com",
                }
            )
        ).GetProperty("id").GetString()!;
        await ada.DoAsync("/api/people/tag", new { ids = new[] { person }, tag = "toasty" });
        var (id, draft) = await NewAsync(ada, "For the toasty");
        draft["startsWhen"] = JsonNode.Parse("""[{"kind":"tag-added","tag":"Toasty"}]""");
        draft["steps"] = JsonNode.Parse("""[{"id":"a","kind":"call","when":{"from":"start","offset":"P3D"},"script":"x"}]""");
        await ada.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 1, draft }, HttpMethod.Put);
        var check = await ada.GetAsync($"/api/programs/{id}/check");
        Assert.Contains(
            check.GetProperty("audience").EnumerateArray(),
            a => a.GetProperty("text").GetString() == "No number to call" && a.GetProperty("people")[0].GetProperty("name").GetString() == "Warm One"
        );
        Assert.Equal("Warm One", (await ada.GetAsync($"/api/programs/{id}/who-starts")).GetProperty("first")[0].GetProperty("name").GetString());
        var on = await ada.DoAsync($"/api/programs/{id}/switch-on", new { draftNumber = 2, alsoThese = true });
        Assert.Equal(1, on.GetProperty("started").GetInt32());
        await site.WorkAsync();
        Assert.Equal(1, (await ada.GetAsync($"/api/programs/{id}")).GetProperty("onIt").GetInt32());
        Assert.Equal(409, (await ada.RefusedAsync($"/api/programs/{id}/switch-on", new { draftNumber = 1, alsoThese = false }, "")).Status);
    }

    [Fact]
    public async Task A_change_is_a_new_version_and_those_on_their_way_finish_theirs()
    {
        var ada = await site.SignedInAsync("ada");
        var person = (await ada.DoAsync("/api/people", new { firstName = "Versioned", email = "v@example.com" })).GetProperty("id").GetString()!;
        var id = await PeopleApiTests.ProgramAsync(
            ada,
            "Versions",
            """[{"id":"a","kind":"email","when":{"from":"start","offset":"P5D"},"subject":"Old words","body":"b"}]"""
        );
        await ada.DoAsync(
            $"/api/people/{person}/consent",
            new
            {
                channel = "email",
                @in = true,
                reason = "told me",
            }
        );
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program = id });
        await site.WorkAsync();
        var draft = JsonNode.Parse((await ada.GetAsync($"/api/programs/{id}")).GetProperty("draft").GetRawText())!;
        draft["steps"]![0]!["subject"] = "New words";
        await ada.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 2, draft }, HttpMethod.Put);
        Assert.Equal(2, (await ada.DoAsync($"/api/programs/{id}/switch-on", new { draftNumber = 3, alsoThese = false })).GetProperty("version").GetInt32());
        var coming = (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("coming");
        Assert.Equal("Old words", coming[0].GetProperty("title").GetString());
    }

    [Fact]
    public async Task The_margin_shows_dates_and_the_message_for_a_real_person()
    {
        var ada = await site.SignedInAsync("ada");
        await ada.DoAsync(
            "/api/people",
            new
            {
                firstName = "Margo",
                lastName = "Aaa",
                email = "margo@example.com",
            }
        );
        var (id, draft) = await NewAsync(ada, "Preview");
        draft["steps"] = JsonNode.Parse(
            """[{"id":"a","kind":"email","when":{"from":"start","offset":"P1D"},"subject":"Hello {{ person.first_name }}","body":"<p>b</p><script>x</script>"}]"""
        );
        await ada.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 1, draft }, HttpMethod.Put);
        var preview = await ada.GetAsync($"/api/programs/{id}/preview?step=a");
        Assert.StartsWith("Hello ", preview.GetProperty("letter").GetProperty("subject").GetString(), StringComparison.Ordinal);
        Assert.DoesNotContain("script", preview.GetProperty("letter").GetProperty("html").GetString(), StringComparison.Ordinal);
        Assert.Equal("a", preview.GetProperty("touches")[0].GetProperty("stepId").GetString());
    }

    [Fact]
    public async Task Pictures_are_told_by_their_content()
    {
        var ada = await site.SignedInAsync("ada");
        Assert.Contains(
            "not a picture",
            (await ada.RefusedAsync("/api/images", Member.File("GIF but not really"u8.ToArray(), "x.png"), "file")).Message,
            StringComparison.Ordinal
        );
        Assert.Contains(
            "5 MB",
            (await ada.RefusedAsync("/api/images", Member.File(new byte[5 * 1024 * 1024 + 1], "x.png"), "file")).Message,
            StringComparison.Ordinal
        );
        byte[] png = [0x89, 0x50, 0x4E, 0x47, 0x0D, 0x0A, 0x1A, 0x0A, 0, 0, 0, 0];
        var url = (await ada.DoAsync("/api/images", Member.File(png, "x.txt"))).GetProperty("url").GetString()!;
        Assert.Equal("image/png", (await (await site.NobodyAsync()).Http.GetAsync(url)).Content.Headers.ContentType?.MediaType);
    }

    [Theory]
    [InlineData("2027-02-30", "to"), InlineData("2027-01-01", "to"), InlineData("P9Y", "to"), InlineData("sometime", "to")]
    public async Task The_clock_moves_forward_to_dates_there_are(string to, string field) =>
        Assert.Equal(400, (await (await site.SignedInAsync("ada")).RefusedAsync("/api/clock/move", new { to }, field)).Status);

    [Fact]
    public async Task A_link_that_leads_nowhere_and_a_question_about_a_link_no_letter_holds_are_found()
    {
        var ada = await site.SignedInAsync("ada");
        var id = (await ada.DoAsync("/api/programs", new { name = "Links" })).GetProperty("id").GetString();
        var draft = System.Text.Json.Nodes.JsonNode.Parse((await ada.GetAsync($"/api/programs/{id}")).GetProperty("draft").GetRawText())!;
        draft["steps"] = System.Text.Json.Nodes.JsonNode.Parse(
            """
            [{"id":"a","kind":"email","when":{"from":"start","offset":"P1D"},"subject":"Hello","body":"<p><a href=\"example.com/plan\" data-name=\"plan\">x</a> <a href=\"our page\">y</a></p>"},
             {"id":"f","kind":"fork","when":{"from":"previous","offset":"P1D"},"if":{"kind":"link-followed","step":"a","link":"plans"},"then":[],"else":[]}]
            """
        );
        draft["startsWhen"] = System.Text.Json.Nodes.JsonNode.Parse("""[{"kind":"link-followed","link":"nothing like it"}]""");
        var saved = await ada.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 1, draft }, HttpMethod.Put);
        var found = saved.GetProperty("findings").EnumerateArray().ToDictionary(f => f.GetProperty("pointer").GetString()!, f => f.GetProperty("message").GetString());
        Assert.Contains("“our page” leads nowhere", found["/steps/0/body"], StringComparison.Ordinal);
        Assert.Equal("No link of “Hello” is called “plans”. It has: plan.", found["/steps/1/if"]);
        Assert.Contains("“nothing like it”", found["/startsWhen/0"], StringComparison.Ordinal);
        Assert.Contains("plan", (await ada.GetAsync("/api/programs/links")).EnumerateArray().Select(l => l.GetString()));
        Assert.Equal("https://example.com/x", (await ada.GetAsync("/api/programs/link-address?written=example.com%2Fx")).GetProperty("address").GetString());
    }
}
