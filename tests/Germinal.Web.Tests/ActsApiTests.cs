using System.Net;
using System.Text.Json;

namespace Germinal.Web.Tests;

/// <summary>Acts on many over the API: all that fit, looked at before, taken back once, and nobody else's.</summary>
public sealed class ActsApiTests(Site site) : IClassFixture<Site>
{
    private static async Task<Guid> PersonAsync(Member member, string first, string last) =>
        (await member.DoAsync("/api/people", new { firstName = first, lastName = last })).GetProperty("id").GetGuid();

    [Fact]
    public async Task Everybody_who_fits_is_meant_and_nobody_else()
    {
        var ada = await site.SignedInAsync("ada");
        var ids = new List<Guid>();
        for (var i = 0; i < 5; i++)
        {
            ids.Add(await PersonAsync(ada, $"Fit{i}", "Fitsalot"));
        }

        await PersonAsync(ada, "Other", "Person");
        var body = new { matching = new { search = "fitsalot" }, tag = "<b>fits</b>" };
        var preview = await ada.DoAsync("/api/people/tag/preview", body);
        Assert.Equal((5, 0), (preview.GetProperty("people").GetInt32(), preview.GetProperty("unchanged").GetInt32()));
        Assert.DoesNotContain("<b>fits</b>", (await ada.GetAsync("/api/session")).GetProperty("tags").EnumerateArray().Select(t => t.GetString()));
        var done = await ada.DoAsync("/api/people/tag", body);
        Assert.Equal(5, done.GetProperty("count").GetInt32());
        Assert.Equal(5, (await ada.DoAsync("/api/people/tag/preview", body)).GetProperty("unchanged").GetInt32());
        await site.WorkAsync();

        var act = done.GetProperty("act").GetString();
        var state = await ada.GetAsync($"/api/acts/{act}");
        Assert.Equal(("tag", 5, 5), (state.GetProperty("kind").GetString(), state.GetProperty("people").GetInt32(), state.GetProperty("done").GetInt32()));
        var thread = await ada.GetAsync($"/api/people/{ids[0]}/thread");
        Assert.Contains(thread.GetProperty("past").EnumerateArray(), l => l.GetProperty("act").GetString() == act);
        Assert.Equal(5, (await ada.DoAsync($"/api/acts/{act}/undo", null)).GetProperty("people").GetInt32());
        Assert.Equal(HttpStatusCode.Conflict, (await ada.PostAsync($"/api/acts/{act}/undo")).StatusCode);
        thread = await ada.GetAsync($"/api/people/{ids[0]}/thread");
        Assert.DoesNotContain(thread.GetProperty("past").EnumerateArray(), l => l.GetProperty("act").ValueKind == JsonValueKind.String);
        Assert.Contains(
            thread.GetProperty("past").EnumerateArray(),
            l => l.GetProperty("title").GetString() == "Taken back: the tag “<b>fits</b>” is off again"
        );
    }

    [Fact]
    public async Task Another_practice_sees_no_act_and_moves_nobody()
    {
        var ada = await site.SignedInAsync("ada");
        var stranger = await site.SignedInAsync("ada2");
        var person = await PersonAsync(ada, "Mine", "Mineonly");
        var act = (await ada.DoAsync("/api/people/join", new { ids = new[] { person }, list = "Mine" })).GetProperty("act").GetString();
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.SendAsync(HttpMethod.Get, $"/api/acts/{act}", null)).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.PostAsync($"/api/acts/{act}/undo")).StatusCode);
        var theirs = await stranger.DoAsync("/api/people/join", new { matching = new { search = "mineonly" }, list = "Theirs" });
        Assert.Equal(0, theirs.GetProperty("count").GetInt32());
        Assert.Equal(["Mine"], (await ada.GetAsync($"/api/people/{person}")).GetProperty("lists").EnumerateArray().Select(l => l.GetString()));
    }

    [Fact]
    public async Task An_adviser_who_leaves_hands_everybody_over_at_once_and_it_can_be_taken_back()
    {
        var ada = await site.SignedInAsync("ada");
        var session = await ada.GetAsync("/api/session");
        var members = session.GetProperty("members").EnumerateArray().Select(m => (m.GetProperty("id").GetString(), m.GetProperty("name").GetString())).ToList();
        var (from, to) = (members[1], members[2]);
        var ids = new List<Guid>();
        for (var i = 0; i < 3; i++)
        {
            ids.Add(await PersonAsync(ada, $"Kept{i}", "Handover"));
        }

        async Task<string> OwnersAsync() =>
            string.Join(' ', await Task.WhenAll(ids.Select(async id => (await ada.GetAsync($"/api/people/{id}")).GetProperty("ownerId").GetString() ?? "nobody")));

        var third = (await OwnersAsync()).Split(' ')[2];
        await ada.DoAsync("/api/people/owner", new { ids = ids.Take(2), owner = from.Item1 });
        var body = new { matching = new { search = "handover", owner = from.Item1 }, owner = to.Item1 };
        Assert.Equal(2, (await ada.DoAsync("/api/people/owner/preview", body)).GetProperty("people").GetInt32());
        var done = await ada.DoAsync("/api/people/owner", body);
        Assert.Equal(2, done.GetProperty("count").GetInt32());
        Assert.Equal($"{to.Item1} {to.Item1} {third}", await OwnersAsync());
        var act = done.GetProperty("act").GetString();
        Assert.Equal(to.Item2, (await ada.GetAsync($"/api/acts/{act}")).GetProperty("what").GetString());
        var thread = await ada.GetAsync($"/api/people/{ids[0]}/thread");
        Assert.Contains(thread.GetProperty("past").EnumerateArray(), l => l.GetProperty("title").GetString() == $"{to.Item2} looks after them from now on");
        Assert.Equal(2, (await ada.DoAsync($"/api/acts/{act}/undo", null)).GetProperty("people").GetInt32());
        Assert.Equal($"{from.Item1} {from.Item1} {third}", await OwnersAsync());
    }

    [Fact]
    public async Task People_are_given_to_nobody_who_is_not_a_member_here()
    {
        var ada = await site.SignedInAsync("ada");
        var stranger = await site.SignedInAsync("ada2");
        var theirs = (await stranger.GetAsync("/api/session")).GetProperty("members").EnumerateArray().First().GetProperty("id").GetString();
        var person = await PersonAsync(ada, "Stays", "Here");
        foreach (var owner in new[] { theirs, Guid.NewGuid().ToString(), null })
        {
            var answer = await ada.SendAsync(HttpMethod.Post, "/api/people/owner", new { ids = new[] { person }, owner });
            Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
            Assert.Contains("There is no such member", await answer.Content.ReadAsStringAsync(), StringComparison.Ordinal);
        }
    }
}
