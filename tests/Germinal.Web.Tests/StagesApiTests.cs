using System.Net;
using System.Text.Json;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Web.Tests;

/// <summary>The practice's own stages and reasons: ordered, renamed, put together.</summary>
public sealed class StagesApiTests(Site site) : IClassFixture<Site>
{
    private static async Task<string> PersonAsync(Member ada, string first, string? stage = null)
    {
        var id = (await ada.DoAsync("/api/people", new { firstName = first, lastName = "Staged", email = $"{first.ToLowerInvariant()}@example.com" })).GetProperty("id").GetString()!;
        if (stage is not null)
        {
            await ada.DoAsync($"/api/people/{id}/opportunities", new { title = "A plan", stage });
        }

        return id;
    }

    private static List<string> NamesOf(JsonElement stages, string pipeline = "Planning") =>
        [.. stages.GetProperty("pipelines").EnumerateArray().Where(p => p.GetProperty("name").GetString() == pipeline).SelectMany(p => p.GetProperty("stages").EnumerateArray()).Select(s => s.GetProperty("name").GetString()!)];

    private static object Body(JsonElement now, Func<string, IEnumerable<string>, IEnumerable<string>> stages, IEnumerable<string>? reasons = null) =>
        new
        {
            pipelines = now.GetProperty("pipelines").EnumerateArray().Select(p => new { name = p.GetProperty("name").GetString()!, stages = stages(p.GetProperty("name").GetString()!, NamesOf(now, p.GetProperty("name").GetString()!)) }),
            reasons = reasons ?? now.GetProperty("reasons").EnumerateArray().Select(r => r.GetProperty("name").GetString()!),
        };

    private static Task<JsonElement> SaveAsync(Member ada, object body) => ada.DoAsync("/api/stages", body, HttpMethod.Put);

    [Fact]
    public async Task A_stage_is_renamed_everywhere_and_goes_on_as_it_was()
    {
        var ada = await site.SignedInAsync("ada");
        var saved = await SaveAsync(ada, Body(await ada.GetAsync("/api/stages"), (name, stages) => name == "Planning" ? [.. stages, "To be renamed"] : stages));
        Assert.Contains("To be renamed", NamesOf(saved));
        var stands = await PersonAsync(ada, "Renama", "Planning/To be renamed");
        var later = await PersonAsync(ada, "Renamb");
        var starts = await PeopleApiTests.ProgramAsync(
            ada,
            "Starts on a stage",
            """[{"id":"a","kind":"task","when":{"from":"start","offset":"P0D"},"title":"Begun"}]""",
            """{"startsWhen":[{"kind":"stage-entered","stage":"Planning/To be renamed"}]}"""
        );
        var moves = await PeopleApiTests.ProgramAsync(ada, "Moves to it", """[{"id":"a","kind":"change","when":{"from":"start","offset":"P0D"},"set":[{"stage":"Planning/To be renamed"}]}]""");
        var rule = JsonSerializer.Deserialize<JsonElement>("""{"field":"stage","op":"in","value":["Planning/To be renamed","Planning/Client"]}""");
        var segment = (await ada.DoAsync("/api/segments", new { name = "In either", rule })).GetProperty("id").GetString();
        await site.WorkAsync();
        var before = (await ada.GetAsync($"/api/programs/{starts}")).GetProperty("onIt").GetInt32();

        var renamed = await ada.DoAsync("/api/stages/rename", new { pipeline = "Planning", stage = "To be renamed", to = "Said “anew” & well" });
        Assert.Contains("Said “anew” & well", NamesOf(renamed));
        var stage = renamed.GetProperty("pipelines")[0].GetProperty("stages").EnumerateArray().Single(s => s.GetProperty("name").GetString() == "Said “anew” & well");
        Assert.Equal((1, 1), (stage.GetProperty("people").GetInt32(), stage.GetProperty("open").GetInt32()));
        Assert.Equal(
            ["the program “Moves to it”", "the program “Starts on a stage”", "the segment “In either”"],
            stage.GetProperty("used").EnumerateArray().Select(u => u.GetString()).Order(StringComparer.Ordinal)
        );
        await site.WorkAsync();

        // Nobody started by it; who stood in it stands in it still, and the segment finds them.
        Assert.Equal(before, (await ada.GetAsync($"/api/programs/{starts}")).GetProperty("onIt").GetInt32());
        Assert.Equal("Planning/Said “anew” & well", (await ada.GetAsync($"/api/people/{stands}")).GetProperty("stage").GetString());
        Assert.Contains(stands, (await ada.GetAsync($"/api/people?segment={segment}")).GetProperty("rows").EnumerateArray().Select(r => r.GetProperty("id").GetString()));

        // A program that moves people there moves them under the new name, which starts the other.
        await ada.DoAsync("/api/people/start", new { ids = new[] { later }, program = moves });
        await site.WorkAsync();
        await site.WorkAsync();
        Assert.Equal("Planning/Said “anew” & well", (await ada.GetAsync($"/api/people/{later}")).GetProperty("stage").GetString());
        await using var db = site.Db();
        Assert.Equal(0, await db.Opportunities.CountAsync(o => o.Stage == "Planning/To be renamed") + await db.OpportunityMoves.CountAsync(m => m.Stage == "Planning/To be renamed") + await db.People.CountAsync(p => p.Stage == "Planning/To be renamed"));
        Assert.True(await db.Runs.AnyAsync(r => r.PersonId == Guid.Parse(later) && r.ProgramId == Guid.Parse(starts)));

        // And back.
        Assert.Contains("To be renamed", NamesOf(await ada.DoAsync("/api/stages/rename", new { pipeline = "Planning", stage = "Said “anew” & well", to = "To be renamed" })));
    }

    [Fact]
    public async Task Two_stages_become_one_when_that_is_said_and_not_before()
    {
        var ada = await site.SignedInAsync("ada");
        await SaveAsync(ada, Body(await ada.GetAsync("/api/stages"), (name, stages) => name == "Planning" ? [.. stages, "First half", "Second half"] : stages));
        var person = await PersonAsync(ada, "Onea", "Planning/First half");
        var opportunity = (await ada.GetAsync($"/api/people/{person}/dealings")).GetProperty("opportunities")[0].GetProperty("id").GetString()!;
        await ada.DoAsync("/api/pipeline/move", new { ids = new[] { opportunity }, stage = "Planning/Second half" });
        Assert.Contains("has a stage “First half” already", (await ada.RefusedAsync("/api/stages/rename", new { pipeline = "Planning", stage = "Second half", to = "first half" }, "")).Message, StringComparison.Ordinal);
        var one = await ada.DoAsync("/api/stages/rename", new { pipeline = "Planning", stage = "Second half", to = "first half", asOne = true });
        Assert.DoesNotContain("Second half", NamesOf(one));
        Assert.Single(NamesOf(one), "First half");
        await using var db = site.Db();
        var id = Guid.Parse(opportunity);
        Assert.Equal("Planning/First half", (await db.Opportunities.SingleAsync(o => o.Id == id)).Stage);
        Assert.Equal("Planning/First half", Assert.Single(await db.OpportunityMoves.Where(m => m.OpportunityId == id).ToListAsync()).Stage);
    }

    [Fact]
    public async Task A_pipeline_is_renamed_with_all_that_stands_in_it_and_a_reason_with_all_that_was_lost_for_it()
    {
        var ada = await site.SignedInAsync("ada");
        var now = await ada.GetAsync("/api/stages");
        await SaveAsync(ada, new { pipelines = now.GetProperty("pipelines").EnumerateArray().Select(p => new { name = p.GetProperty("name").GetString()!, stages = NamesOf(now, p.GetProperty("name").GetString()!).ToArray() }).Append(new { name = "Selling", stages = new[] { "Asked", "Shown" } }), reasons = new[] { "too dear", "too late" } });
        var person = await PersonAsync(ada, "Selli", "Selling/Shown");
        await ada.DoAsync("/api/stages/rename", new { pipeline = "Selling", to = "Houses" });
        Assert.Equal("Houses/Shown", (await ada.GetAsync($"/api/people/{person}")).GetProperty("stage").GetString());
        var opportunity = (await ada.GetAsync($"/api/people/{person}/dealings")).GetProperty("opportunities")[0].GetProperty("id").GetString()!;
        await ada.DoAsync("/api/pipeline/close", new { ids = new[] { opportunity }, won = false, reason = "too dear" });
        var reasons = (await ada.DoAsync("/api/stages/reasons/rename", new { reason = "too dear", to = "fees" })).GetProperty("reasons");
        Assert.Contains(reasons.EnumerateArray(), r => r.GetProperty("name").GetString() == "fees" && r.GetProperty("lost").GetInt32() == 1);
        var merged = (await ada.DoAsync("/api/stages/reasons/rename", new { reason = "fees", to = "Too late", asOne = true })).GetProperty("reasons");
        Assert.Contains(merged.EnumerateArray(), r => r.GetProperty("name").GetString() == "too late" && r.GetProperty("lost").GetInt32() == 1);
        Assert.DoesNotContain(merged.EnumerateArray(), r => r.GetProperty("name").GetString() is "fees" or "Too late");
    }

    [Fact]
    public async Task What_somebody_stands_in_or_a_program_asks_for_is_not_taken_out_and_wrong_names_are_told()
    {
        var ada = await site.SignedInAsync("ada");
        await PersonAsync(ada, "Stays", "Planning/Client");
        var now = await ada.GetAsync("/api/stages");
        var refused = await ada.RefusedAsync("/api/stages", Body(now, (_, stages) => stages.Where(s => s != "Client")), "pipelines", HttpMethod.Put);
        Assert.Contains("“Client” cannot be taken out", refused.Message, StringComparison.Ordinal);
        foreach (var (name, says) in new[] { ("", "1 to 80"), ("a/b", "stroke"), (new string('x', 81), "1 to 80"), (" x", "space"), ("client", "twice") })
        {
            Assert.Contains(says, (await ada.RefusedAsync("/api/stages", Body(now, (_, stages) => [.. stages, name]), "pipelines", HttpMethod.Put)).Message, StringComparison.Ordinal);
        }

        Assert.Contains("no stage “Gone”", (await ada.RefusedAsync("/api/stages/rename", new { pipeline = "Planning", stage = "Gone", to = "x" }, "")).Message, StringComparison.Ordinal);
        Assert.Contains("no reason", (await ada.RefusedAsync("/api/stages/reasons/rename", new { reason = "Gone", to = "x" }, "")).Message, StringComparison.Ordinal);
        Assert.Contains("one to", (await ada.RefusedAsync("/api/stages", new { }, "pipelines", HttpMethod.Put)).Message, StringComparison.Ordinal);
        var tomas = await site.SignedInAsync("tomas");
        Assert.Equal(HttpStatusCode.Forbidden, (await tomas.PostAsync("/api/stages/rename", new { pipeline = "Planning", stage = "Client", to = "x" })).StatusCode);

        // Ten at once, of which one does it; and another practice has its own stages.
        await SaveAsync(ada, Body(now, (name, stages) => name == "Planning" ? [.. stages, "Ten times"] : stages));
        var ten = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync("/api/stages/rename", new { pipeline = "Planning", stage = "Ten times", to = "Once" })));
        Assert.Single(ten, r => r.StatusCode == HttpStatusCode.OK);
        Assert.All(ten, r => Assert.True(r.StatusCode is HttpStatusCode.OK or HttpStatusCode.BadRequest));
        var stranger = await site.SignedInAsync("ada2");
        Assert.DoesNotContain("Once", NamesOf(await stranger.GetAsync("/api/stages")));
    }
}
