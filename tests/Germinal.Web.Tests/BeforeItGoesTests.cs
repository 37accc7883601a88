using System.Net;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace Germinal.Web.Tests;

/// <summary>What is read before a program goes: a principal's yes, its versions, its booklet, and what is not switched on.</summary>
public sealed class BeforeItGoesTests(Site site) : IClassFixture<Site>
{
    private static async Task<(string Id, JsonNode Draft)> WrittenAsync(Member member, string name)
    {
        var id = (await member.DoAsync("/api/programs", new { name })).GetProperty("id").GetString()!;
        var draft = JsonNode.Parse((await member.GetAsync($"/api/programs/{id}")).GetProperty("draft").GetRawText())!;
        draft["steps"] = JsonNode.Parse("""[{"id":"a","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Hello {{ person.first_name }}","body":"<p>words</p>"}]""");
        await member.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 1, draft }, HttpMethod.Put);
        return (id, draft);
    }

    private static async Task AskForYesAsync(Member ada, bool ask)
    {
        var settings = JsonNode.Parse((await ada.GetAsync("/api/practice")).GetRawText())!.AsObject();
        settings["programsApproved"] = ask;
        foreach (var name in new[] { "mailOut", "mailIn" })
        {
            settings.Remove(name);
        }

        await ada.DoAsync("/api/practice", settings, HttpMethod.Put);
    }

    [Fact]
    public async Task Where_the_practice_asks_for_it_a_program_waits_for_a_principals_yes_to_the_very_draft()
    {
        var ada = await site.SignedInAsync("ada");
        var tomas = await site.SignedInAsync("tomas");
        await AskForYesAsync(ada, true);
        try
        {
            var (id, draft) = await WrittenAsync(tomas, "Needs a yes");
            var switchOn = new { draftNumber = 2, alsoThese = false };
            Assert.Contains("A principal has to say yes", (await tomas.RefusedAsync($"/api/programs/{id}/switch-on", switchOn, "")).Message, StringComparison.Ordinal);
            Assert.Equal(403, (await tomas.RefusedAsync($"/api/programs/{id}/approval", new { draftNumber = 2 }, "")).Status);
            await tomas.DoAsync($"/api/programs/{id}/approval/ask");
            var waiting = (await ada.GetAsync("/api/today/not-on")).EnumerateArray().First();
            Assert.Equal(("Needs a yes", "Tomas Brandt"), (waiting.GetProperty("name").GetString(), waiting.GetProperty("askedBy").GetString()));

            Assert.Equal(409, (await ada.RefusedAsync($"/api/programs/{id}/approval", new { draftNumber = 1 }, "")).Status);
            Assert.Equal("Ada Quill", (await ada.DoAsync($"/api/programs/{id}/approval", new { draftNumber = 2 })).GetProperty("by").GetString());
            draft["description"] = "Changed after the yes";
            await tomas.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 2, draft }, HttpMethod.Put);
            Assert.Equal(403, (await tomas.RefusedAsync($"/api/programs/{id}/switch-on", new { draftNumber = 3, alsoThese = false }, "")).Status);
            await ada.DoAsync($"/api/programs/{id}/approval", new { draftNumber = 3 });
            await ada.DoAsync($"/api/programs/{id}/approval", null, HttpMethod.Delete);
            Assert.Equal(403, (await tomas.RefusedAsync($"/api/programs/{id}/switch-on", new { draftNumber = 3, alsoThese = false }, "")).Status);
            await ada.DoAsync($"/api/programs/{id}/approval", new { draftNumber = 3 });
            await tomas.DoAsync($"/api/programs/{id}/switch-on", new { draftNumber = 3, alsoThese = false });
            Assert.DoesNotContain("Needs a yes", (await ada.GetAsync("/api/today/not-on")).GetRawText(), StringComparison.Ordinal);
        }
        finally
        {
            await AskForYesAsync(ada, false);
        }
    }

    [Fact]
    public async Task Its_versions_its_changes_and_its_booklet_are_there_to_be_read_by_its_own_practice_only()
    {
        var ada = await site.SignedInAsync("ada");
        var (id, draft) = await WrittenAsync(ada, "Two versions");
        Assert.Contains("Two versions", (await ada.GetAsync("/api/today/not-on")).GetRawText(), StringComparison.Ordinal);
        await ada.DoAsync($"/api/programs/{id}/switch-on", new { draftNumber = 2, alsoThese = false });
        draft["steps"]![0]!["subject"] = "Good day";
        await ada.DoAsync($"/api/programs/{id}/draft", new { draftNumber = 2, draft }, HttpMethod.Put);
        var line = (await ada.GetAsync("/api/programs")).EnumerateArray().Single(p => p.GetProperty("id").GetString() == id);
        Assert.True(line.GetProperty("changed").GetBoolean());
        Assert.True((await ada.GetAsync("/api/today/not-on")).EnumerateArray().Single(p => p.GetProperty("id").GetString() == id).GetProperty("changed").GetBoolean());
        Assert.Equal(1, Assert.Single((await ada.GetAsync($"/api/programs/{id}/versions")).EnumerateArray()).GetProperty("version").GetInt32());
        Assert.Equal("Hello {{ person.first_name }}", (await ada.GetAsync($"/api/programs/{id}/versions/1")).GetProperty("steps")[0].GetProperty("subject").GetString());

        var booklet = await ada.Http.GetAsync($"/api/programs/{id}/booklet.pdf");
        Assert.Equal("application/pdf", booklet.Content.Headers.ContentType!.MediaType);
        Assert.Equal("%PDF-", Encoding.ASCII.GetString((await booklet.Content.ReadAsByteArrayAsync())[..5]));

        var other = await site.SignedInAsync("ada2");
        foreach (var path in new[] { "versions", "versions/1", "booklet.pdf", "deeds", "deeds/opened?step=a" })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await other.Http.GetAsync($"/api/programs/{id}/{path}")).StatusCode);
        }

        Assert.Equal(HttpStatusCode.NotFound, (await other.PostAsync($"/api/programs/{id}/approval/ask")).StatusCode);
    }
}
