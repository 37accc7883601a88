using System.Text.Json;

namespace Germinal.Web.Tests;

/// <summary>What is coming is what the rehearsal says now: what will not go is struck, with its reason, everywhere.</summary>
public sealed class AsThingsStandTests(Site site) : IClassFixture<Site>
{
    private static string Whys(JsonElement touch) => string.Join(" ", touch.GetProperty("why").EnumerateArray().Select(w => w.GetProperty("text").GetString()));

    [Fact]
    public async Task A_paused_run_a_no_and_what_goes()
    {
        var ada = await site.SignedInAsync("ada");
        var person = (await ada.DoAsync("/api/people", new { firstName = "Standa", lastName = "Still", email = "standa@example.com" })).GetProperty("id").GetString();
        await ada.DoAsync($"/api/people/{person}/consent", new { channel = "email", @in = true, reason = "said so" });
        var program = await PeopleApiTests.ProgramAsync(
            ada,
            "Stands",
            """[{"id":"a","kind":"email","when":{"from":"start","offset":"PT3H"},"subject":"Soon","body":"b"}]""",
            "{}"
        );
        await ada.DoAsync("/api/people/start", new { ids = new[] { person }, program });
        await site.WorkAsync();
        async Task<(string? Today, string? Thread, string Why)> LookAsync()
        {
            var going = (await ada.GetAsync("/api/today"))
                .GetProperty("going")
                .EnumerateArray()
                .Single(g => g.GetProperty("person").GetProperty("id").GetString() == person);
            var line = (await ada.GetAsync($"/api/people/{person}/thread")).GetProperty("coming")[0];
            var touch = await ada.GetAsync($"/api/touches/{line.GetProperty("touchId").GetString()}?person={person}");
            return (going.GetProperty("willNot").GetString(), line.GetProperty("status").GetString(), Whys(touch));
        }

        var (today, thread, why) = await LookAsync();
        Assert.Equal((null, null), (today, thread));
        Assert.Contains("As things stand it will go.", why, StringComparison.Ordinal);

        var run = (await ada.GetAsync($"/api/people/{person}")).GetProperty("runs")[0].GetProperty("id").GetString();
        await ada.DoAsync($"/api/people/{person}/runs/{run}/pause");
        await site.WorkAsync();
        (today, thread, why) = await LookAsync();
        Assert.Equal(("it is paused", "will not go while it is paused"), (today, thread));
        Assert.Contains("As things stand it will not go: it is paused.", why, StringComparison.Ordinal);

        await ada.DoAsync($"/api/people/{person}/runs/{run}/resume");
        await site.WorkAsync();
        await ada.DoAsync(
            $"/api/people/{person}",
            new { edition = (await ada.GetAsync($"/api/people/{person}")).GetProperty("edition").GetInt32(), fields = new { email = "" } },
            HttpMethod.Patch
        );
        await site.WorkAsync();
        (today, thread, why) = await LookAsync();
        Assert.Equal(("no address", "will not go: no address"), (today, thread));
        Assert.Contains("As things stand it will not go: no address.", why, StringComparison.Ordinal);
    }
}
