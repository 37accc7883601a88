using System.Net;
using System.Text.Json;

namespace Germinal.Web.Tests;

/// <summary>Households and relations: from both sides, through a merge and an erasing, and as somebody hostile.</summary>
public sealed class CircleTests(Site site) : IClassFixture<Site>
{
    private static async Task<string> PersonAsync(Member member, string first, string last, string? mobile = null) =>
        (await member.DoAsync("/api/people", new { firstName = first, lastName = last, mobile, anyway = true })).GetProperty("id").GetString()!;

    private static async Task<JsonElement> CircleAsync(Member member, string id) => await member.GetAsync($"/api/people/{id}/circle");

    private static async Task AddressAsync(Member member, string id, string address)
    {
        var edition = (await member.GetAsync($"/api/people/{id}")).GetProperty("edition").GetInt32();
        await member.DoAsync($"/api/people/{id}", new { edition, fields = new { address } }, HttpMethod.Patch);
    }

    private static async Task<string?> AddressOfAsync(Member member, string id) => (await member.GetAsync($"/api/people/{id}")).GetProperty("address").GetString();

    [Fact]
    public async Task Two_live_together_under_one_address_and_one_greeting_until_they_do_not()
    {
        var ada = await site.SignedInAsync("ada");
        var (ida, bo, kit) = (await PersonAsync(ada, "Ida", "Hearth"), await PersonAsync(ada, "Bo", "Hearth"), await PersonAsync(ada, "Kit", "Hearth"));
        await AddressAsync(ada, ida, "12 Quay Lane\nPort Averil, ME 04999");
        Assert.Equal(JsonValueKind.Null, (await CircleAsync(ada, ida)).GetProperty("household").ValueKind);
        await ada.DoAsync($"/api/people/{ida}/household", new { other = bo });
        var home = (await CircleAsync(ada, bo)).GetProperty("household");
        Assert.Equal(("Dear Bo and Ida", "Bo and Ida Hearth"), (home.GetProperty("salutation").GetString(), home.GetProperty("names").GetString()));
        Assert.Equal(await AddressOfAsync(ada, ida), await AddressOfAsync(ada, bo));

        // A third one joins whoever of them is named; one letter to all is written by hand, and emptied again.
        await ada.DoAsync($"/api/people/{kit}/household", new { other = bo });
        await ada.DoAsync($"/api/people/{kit}/household", new { salutation = "Dear all", address = "3 Dune Row\nSaltmarsh, MA 01999" }, HttpMethod.Patch);
        home = (await CircleAsync(ada, ida)).GetProperty("household");
        Assert.Equal(("Dear all", 2), (home.GetProperty("salutation").GetString(), home.GetProperty("others").GetArrayLength()));
        Assert.Equal("3 Dune Row\nSaltmarsh, MA 01999", await AddressOfAsync(ada, ida));
        await ada.DoAsync($"/api/people/{kit}/household", new { salutation = "" }, HttpMethod.Patch);
        Assert.Equal("Dear Bo, Ida and Kit", (await CircleAsync(ada, ida)).GetProperty("household").GetProperty("salutation").GetString());

        // Both threads say it, and a household of one is none.
        var thread = await ada.GetAsync($"/api/people/{kit}/thread");
        Assert.Contains(thread.GetProperty("past").EnumerateArray(), l => l.GetProperty("title").GetString() == "Lives with Bo Hearth from now on");
        await ada.DoAsync($"/api/people/{kit}/household", null, HttpMethod.Delete);
        await ada.DoAsync($"/api/people/{bo}/household", null, HttpMethod.Delete);
        Assert.Equal(JsonValueKind.Null, (await CircleAsync(ada, ida)).GetProperty("household").ValueKind);
        await using var db = site.Db();
        Assert.DoesNotContain(db.Households, h => h.Salutation == "Dear all");
    }

    [Fact]
    public async Task A_relation_is_seen_from_both_sides_and_what_became_of_who_was_sent()
    {
        var ada = await site.SignedInAsync("ada");
        var (ida, sol, sent) = (await PersonAsync(ada, "Ida", "Circle"), await PersonAsync(ada, "Sol", "Itor"), await PersonAsync(ada, "Re", "Ferred"));
        await ada.DoAsync($"/api/people/{ida}/relations", new { other = sol, role = "solicitor" });
        var relation = await ada.DoAsync($"/api/people/{sent}/relations", new { other = ida, role = "Referrer" });
        Assert.Equal("client", (await CircleAsync(ada, sol)).GetProperty("relations")[0].GetProperty("role").GetString());
        var ofIda = (await CircleAsync(ada, ida)).GetProperty("relations");
        Assert.Equal(["referred", "solicitor"], ofIda.EnumerateArray().Select(r => r.GetProperty("role").GetString()));
        Assert.Equal(("Re Ferred", "nothing yet"), (ofIda[0].GetProperty("person").GetProperty("name").GetString(), ofIda[0].GetProperty("became").GetString()));
        await ada.DoAsync("/api/people/stage", new { ids = new[] { sent }, stage = "Planning/Client" });
        Assert.Equal("Client", (await CircleAsync(ada, ida)).GetProperty("relations")[0].GetProperty("became").GetString());

        // Said twice, from either side, it stands once; a role of one's own needs both words.
        await ada.DoAsync($"/api/people/{ida}/relations", new { other = sent, role = "referred" });
        Assert.Equal(1, (await CircleAsync(ada, sent)).GetProperty("relations").GetArrayLength());
        var (status, message) = await ada.RefusedAsync($"/api/people/{ida}/relations", new { other = sol, role = "godparent" }, "back");
        Assert.Equal((400, "“godparent” is no role here yet. Say what Ida Circle is to Sol Itor in return."), (status, message));
        await ada.DoAsync($"/api/people/{ida}/relations", new { other = sol, role = "godparent", back = "godchild" });
        Assert.Contains((await CircleAsync(ada, sol)).GetProperty("relations").EnumerateArray(), r => r.GetProperty("role").GetString() == "godchild");
        await ada.DoAsync($"/api/people/{ida}/relations/{relation.GetProperty("id").GetString()}", null, HttpMethod.Delete);
        Assert.Equal(0, (await CircleAsync(ada, sent)).GetProperty("relations").GetArrayLength());
    }

    [Fact]
    public async Task Who_shares_a_number_is_proposed_until_somebody_says_no()
    {
        var ada = await site.SignedInAsync("ada");
        var (ida, bo) = (await PersonAsync(ada, "Ida", "Shared", "(207) 555-0177"), await PersonAsync(ada, "Bo", "Other", "(207) 555-0177"));
        var proposed = (await CircleAsync(ada, ida)).GetProperty("mayLiveWith");
        Assert.Equal(("Bo Other", "the same number"), (proposed[0].GetProperty("person").GetProperty("name").GetString(), proposed[0].GetProperty("because").GetString()));
        await ada.DoAsync("/api/same-people/different", new { one = bo, other = ida });
        await ada.DoAsync("/api/same-people/different", new { one = ida, other = bo });
        Assert.Equal(0, (await CircleAsync(ada, ida)).GetProperty("mayLiveWith").GetArrayLength());
    }

    [Fact]
    public async Task A_merge_takes_household_and_relations_along_and_gives_them_back()
    {
        var ada = await site.SignedInAsync("ada");
        var (kept, twin, bo, sol) = (
            await PersonAsync(ada, "Ida", "Twin"),
            await PersonAsync(ada, "Ida", "Twinn"),
            await PersonAsync(ada, "Bo", "Twin"),
            await PersonAsync(ada, "Sol", "Twin")
        );
        await ada.DoAsync($"/api/people/{twin}/household", new { other = bo });
        await ada.DoAsync($"/api/people/{twin}/relations", new { other = sol, role = "solicitor" });
        await ada.DoAsync($"/api/people/{kept}/relations", new { other = twin, role = "spouse" });
        var merge = await ada.DoAsync($"/api/people/{kept}/merge", new { other = twin });
        var circle = await CircleAsync(ada, kept);
        Assert.Equal("Bo Twin", circle.GetProperty("household").GetProperty("others")[0].GetProperty("person").GetProperty("name").GetString());
        Assert.Contains(circle.GetProperty("relations").EnumerateArray(), r => r.GetProperty("role").GetString() == "solicitor");
        await ada.DoAsync($"/api/merges/{merge.GetProperty("merge").GetString()}/undo");
        Assert.Equal(JsonValueKind.Null, (await CircleAsync(ada, kept)).GetProperty("household").ValueKind);
        Assert.Equal("Bo Twin", (await CircleAsync(ada, twin)).GetProperty("household").GetProperty("others")[0].GetProperty("person").GetProperty("name").GetString());
        Assert.Contains((await CircleAsync(ada, twin)).GetProperty("relations").EnumerateArray(), r => r.GetProperty("role").GetString() == "solicitor");
    }

    [Fact]
    public async Task Erasing_somebody_leaves_no_word_of_them_with_those_around_them()
    {
        var ada = await site.SignedInAsync("ada");
        var (gone, bo) = (await PersonAsync(ada, "Unforgettable", "Name"), await PersonAsync(ada, "Bo", "Left"));
        await ada.DoAsync($"/api/people/{gone}/household", new { other = bo });
        await ada.DoAsync($"/api/people/{bo}/household", new { salutation = "Dear Unforgettable and Bo" }, HttpMethod.Patch);
        await ada.DoAsync($"/api/people/{gone}/relations", new { other = bo, role = "spouse" });
        await ada.DoAsync($"/api/people/{gone}/erase", new { name = "Unforgettable Name" });
        Assert.DoesNotContain("Unforgettable", (await CircleAsync(ada, bo)).GetRawText(), StringComparison.Ordinal);
        Assert.DoesNotContain("Unforgettable", (await ada.GetAsync($"/api/people/{bo}/thread")).GetRawText(), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Strangers_and_nonsense_change_nothing()
    {
        var ada = await site.SignedInAsync("ada");
        var stranger = await site.SignedInAsync("ada2");
        var (ida, bo, theirs) = (await PersonAsync(ada, "Ida", "Safe"), await PersonAsync(ada, "Bo", "Safe"), await PersonAsync(stranger, "Not", "Yours"));
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.Http.GetAsync($"/api/people/{ida}/circle")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.PostAsync($"/api/people/{theirs}/household", new { other = ida })).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.PostAsync($"/api/people/{ida}/relations", new { other = theirs, role = "spouse" })).StatusCode);
        Assert.Equal(400, (int)(await ada.PostAsync($"/api/people/{ida}/household", new { other = ida })).StatusCode);
        Assert.Equal(400, (int)(await ada.PostAsync($"/api/people/{ida}/relations", new { other = bo, role = new string('x', 100_000) })).StatusCode);
        Assert.Equal(400, (int)(await ada.PostAsync($"/api/people/{ida}/relations", new { other = bo, role = "a\0b", back = "c" })).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.SendAsync(HttpMethod.Patch, $"/api/people/{ida}/household", new { salutation = "x" })).StatusCode);

        // Ten times at once: one household, one relation.
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync($"/api/people/{ida}/household", new { other = bo })));
        Assert.All(answers, a => Assert.True((int)a.StatusCode is 204 or 409, $"{a.StatusCode}"));
        answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync($"/api/people/{ida}/relations", new { other = bo, role = "spouse" })));
        Assert.All(answers, a => Assert.True((int)a.StatusCode is 200 or 409, $"{a.StatusCode}"));
        var circle = await CircleAsync(ada, ida);
        Assert.Equal((1, 1), (circle.GetProperty("household").GetProperty("others").GetArrayLength(), circle.GetProperty("relations").GetArrayLength()));
        await using var db = site.Db();
        Assert.Equal(1, db.Households.Count(h => db.People.Any(p => p.HouseholdId == h.Id && p.LastName == "Safe")));
    }
}
