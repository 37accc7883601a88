using System.Net;
using System.Text.Json;

namespace Germinal.Web.Tests;

/// <summary>These may be the same: pairs over everybody, decided one by one and remembered; and as somebody hostile.</summary>
public sealed class SamePeopleTests(Site site) : IClassFixture<Site>
{
    private static async Task<string> PersonAsync(Member member, string first, string last, string? email = null, string? mobile = null) =>
        (await member.DoAsync("/api/people", new { firstName = first, lastName = last, email, mobile, anyway = true })).GetProperty("id").GetString()!;

    private static async Task<List<JsonElement>> PairsAsync(Member member, string last)
    {
        var all = new List<JsonElement>();
        string? after = null;
        do
        {
            var page = await member.GetAsync($"/api/same-people{(after is null ? "" : $"?after={Uri.EscapeDataString(after)}")}");
            all.AddRange(page.GetProperty("rows").EnumerateArray());
            after = page.GetProperty("next").GetString();
        } while (after is not null);
        return [.. all.Where(p => p.GetProperty("one").GetProperty("name").GetString()!.EndsWith(last, StringComparison.Ordinal))];
    }

    [Fact]
    public async Task Pairs_are_found_with_what_speaks_for_them_and_decided()
    {
        var ada = await site.SignedInAsync("ada");
        var (bob, robert) = (await PersonAsync(ada, "Bob", "Pairson", "bob@example.com"), await PersonAsync(ada, "Robert", "Pairson", "bob@example.com"));
        var (ida, bo) = (await PersonAsync(ada, "Ida", "Pairson", mobile: "(207) 555-0141"), await PersonAsync(ada, "Bo", "Pairson", mobile: "(207) 555-0141"));
        await PersonAsync(ada, "Kit", "Pairson", "kit@example.com");
        var pairs = await PairsAsync(ada, "Pairson");
        Assert.Equal(
            [("Bob Pairson", "Robert Pairson", false, "the same email address, names that can be one person’s"), ("Ida Pairson", "Bo Pairson", true, "the same number, other first names")],
            pairs
                .Select(p =>
                    (
                        p.GetProperty("one").GetProperty("name").GetString()!,
                        p.GetProperty("other").GetProperty("name").GetString()!,
                        p.GetProperty("household").GetBoolean(),
                        p.GetProperty("because").GetString()!
                    )
                )
                .Order()
        );

        // A household is none any more, a merge leaves one, and what is taken back is asked again.
        await ada.DoAsync($"/api/people/{ida}/household", new { other = bo });
        await ada.DoAsync("/api/same-people/different", new { one = robert, other = bob });
        Assert.Empty(await PairsAsync(ada, "Pairson"));
        await ada.DoAsync($"/api/same-people/different/{bob}/{robert}", null, HttpMethod.Delete);
        Assert.Single(await PairsAsync(ada, "Pairson"));
        await ada.DoAsync($"/api/people/{bob}/merge", new { other = robert });
        Assert.Empty(await PairsAsync(ada, "Pairson"));
    }

    [Fact]
    public async Task Many_pairs_come_page_by_page_each_once()
    {
        var ada = await site.SignedInAsync("ada");
        for (var i = 0; i < 12; i++)
        {
            await PersonAsync(ada, $"Name{(char)('A' + i)}", "Crowded", mobile: "(207) 555-0142");
        }

        var pairs = await PairsAsync(ada, "Crowded");
        Assert.Equal(66, pairs.Count);
        Assert.Equal(66, pairs.Select(p => string.Join('|', new[] { p.GetProperty("one"), p.GetProperty("other") }.Select(x => x.GetProperty("id").GetString()!).Order())).Distinct().Count());
    }

    [Fact]
    public async Task Strangers_and_nonsense_change_nothing()
    {
        var ada = await site.SignedInAsync("ada");
        var stranger = await site.SignedInAsync("ada2");
        var (ida, twin) = (await PersonAsync(ada, "Ida", "Hostile", "h@example.com"), await PersonAsync(ada, "Ida", "Hostile", "h@example.com"));
        Assert.Empty(await PairsAsync(stranger, "Hostile"));
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.PostAsync("/api/same-people/different", new { one = ida, other = twin })).StatusCode);
        Assert.Equal(HttpStatusCode.BadRequest, (await ada.PostAsync("/api/same-people/different", new { one = ida, other = ida })).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await ada.SendAsync(HttpMethod.Delete, $"/api/same-people/different/{ida}/{twin}")).StatusCode);
        Assert.True((await ada.Http.GetAsync("/api/same-people?after=nonsense")).IsSuccessStatusCode);
        var answers = await Task.WhenAll(Enumerable.Range(0, 10).Select(_ => ada.PostAsync("/api/same-people/different", new { one = ida, other = twin })));
        Assert.All(answers, a => Assert.Equal(HttpStatusCode.NoContent, a.StatusCode));
        await using var db = site.Db();
        Assert.Equal(1, db.Different.Count(d => d.FirstId == Guid.Parse(ida) || d.SecondId == Guid.Parse(ida)));
        Assert.Empty(await PairsAsync(ada, "Hostile"));
    }
}
