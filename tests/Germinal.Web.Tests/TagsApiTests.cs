using System.Net;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>The practice's tags: called otherwise, put together, taken out.</summary>
public sealed class TagsApiTests(Site site) : IClassFixture<Site>
{
    private static JsonElement TagOf(JsonElement tags, string name) => tags.EnumerateArray().Single(t => t.GetProperty("name").GetString() == name);

    private static async Task<string> PersonAsync(Member ada, string first, params string[] tags)
    {
        var id = (await ada.DoAsync("/api/people", new { firstName = first, lastName = "Tagged" })).GetProperty("id").GetString()!;
        foreach (var tag in tags)
        {
            await ada.DoAsync("/api/people/tag", new { ids = new[] { id }, tag });
        }

        return id;
    }

    private static async Task<string[]> TagsAsync(Member ada, string person) =>
        [.. (await ada.GetAsync($"/api/people/{person}")).GetProperty("tags").EnumerateArray().Select(t => t.GetString()!)];

    [Fact]
    public async Task A_tag_is_called_otherwise_everywhere_put_together_and_starts_nothing()
    {
        var ada = await site.SignedInAsync("ada");
        var one = await PersonAsync(ada, "Tagone", "Sails");
        var both = await PersonAsync(ada, "Tagboth", "Sails", "Boats");
        var starts = await PeopleApiTests.ProgramAsync(
            ada,
            "Starts on a tag",
            """[{"id":"a","kind":"task","when":{"from":"start","offset":"P0D"},"title":"Begun"},{"id":"b","kind":"change","when":{"from":"previous","offset":"P0D"},"set":[{"tagOff":"Sails"}]}]""",
            """{"startsWhen":[{"kind":"tag-added","tag":"Sails"}]}"""
        );
        await site.WorkAsync();
        var before = (await ada.GetAsync($"/api/programs/{starts}")).GetProperty("onIt").GetInt32();
        var tag = TagOf(await ada.GetAsync("/api/tags"), "Sails");
        Assert.Equal(2, tag.GetProperty("people").GetInt32());
        Assert.Equal(["the program “Starts on a tag”"], tag.GetProperty("used").EnumerateArray().Select(u => u.GetString()));

        var renamed = await ada.DoAsync("/api/tags/rename", new { tag = "Sails", to = "Goes “sailing” & swims" });
        Assert.Equal(2, TagOf(renamed, "Goes “sailing” & swims").GetProperty("people").GetInt32());
        Assert.DoesNotContain(renamed.EnumerateArray(), t => t.GetProperty("name").GetString() == "Sails");
        Assert.Equal(["Goes “sailing” & swims"], await TagsAsync(ada, one));
        var draft = (await ada.GetAsync($"/api/programs/{starts}")).GetRawText();
        Assert.Contains("sailing", draft, StringComparison.Ordinal);
        Assert.DoesNotContain("\"Sails\"", draft, StringComparison.Ordinal);
        await site.WorkAsync();
        Assert.Equal(before, (await ada.GetAsync($"/api/programs/{starts}")).GetProperty("onIt").GetInt32());

        // A name that is there already is asked about first; then whoever had both has it once.
        using (var asked = await ada.PostAsync("/api/tags/rename", new { tag = "Goes “sailing” & swims", to = "boats" }))
        {
            Assert.Equal(HttpStatusCode.BadRequest, asked.StatusCode);
            Assert.Contains("already", await asked.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }

        await ada.DoAsync("/api/tags/rename", new { tag = "Goes “sailing” & swims", to = "boats", asOne = true });
        Assert.Equal(["Boats"], await TagsAsync(ada, one));
        Assert.Equal(["Boats"], await TagsAsync(ada, both));
        Assert.Equal(2, TagOf(await ada.GetAsync("/api/tags"), "Boats").GetProperty("people").GetInt32());
    }

    [Fact]
    public async Task Only_what_nobody_has_and_nothing_asks_for_is_taken_out_and_ten_at_once_break_nothing()
    {
        var ada = await site.SignedInAsync("ada");
        var person = await PersonAsync(ada, "Tagout", "Chess");
        using (var refused = await ada.PostAsync("/api/tags/remove", new { tag = "Chess" }))
        {
            Assert.Contains("one person has it", await refused.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }

        await ada.DoAsync("/api/people/untag", new { ids = new[] { person }, tag = "Chess" });
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync("/api/tags/remove", new { tag = "Chess" })));
        Assert.All(answers, a => Assert.Equal(HttpStatusCode.OK, a.StatusCode));
        Assert.DoesNotContain((await ada.GetAsync("/api/tags")).EnumerateArray(), t => t.GetProperty("name").GetString() == "Chess");

        await PersonAsync(ada, "Tagten", "Ten");
        var renames = await Task.WhenAll(Enumerable.Range(0, 10).Select(i => ada.PostAsync("/api/tags/rename", new { tag = "Ten", to = $"Ten of {i}" })));
        Assert.Single(renames, r => r.StatusCode == HttpStatusCode.OK);
        foreach (var to in new[] { "", "\0", new string('x', 61), new string('x', 5_000_000) })
        {
            using var refused = await ada.PostAsync("/api/tags/rename", new { tag = "Boats", to });
            Assert.True((int)refused.StatusCode is >= 400 and < 500, refused.StatusCode.ToString());
        }

        var tomas = await site.SignedInAsync("tomas");
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.PostAsync("/api/tags/rename", new { tag = "Ten", to = "x" })).StatusCode);
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.PostAsync("/api/tags/remove", new { tag = "Ten" })).StatusCode);
        var other = await site.SignedInAsync("ada2");
        Assert.DoesNotContain((await other.GetAsync("/api/tags")).EnumerateArray(), t => t.GetProperty("name").GetString()!.StartsWith("Ten", StringComparison.Ordinal));
    }
}
