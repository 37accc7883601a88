using System.Net;
using System.Text.Json;
using Germinal.Service.Members;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>Who belongs to the practice: invited, changed, blocked, handed over, taken out.</summary>
public sealed class MembersApiTests(Site site) : IClassFixture<Site>
{
    private const string Password = "the kettle knew it first";

    private static async Task<JsonElement> MemberAsync(Member asking, string email) =>
        (await asking.GetAsync("/api/members")).GetProperty("members").EnumerateArray().Single(m => m.GetProperty("email").GetString() == email);

    private static async Task<(Guid Id, string Key)> InviteAsync(Member ada, string email, string role = "adviser", string name = "Noor Vale")
    {
        var invited = await ada.DoAsync("/api/members", new { name, email, role });
        return (invited.GetProperty("id").GetGuid(), invited.GetProperty("address").GetString()!.Split("key=")[1]);
    }

    private async Task<Member> JoinAsync(string key, string name = "Noor Vale")
    {
        var member = await site.NobodyAsync();
        await member.DoAsync("/api/session/join", new { key, name, password = Password });
        await member.RefreshGuardAsync();
        return member;
    }

    [Fact]
    public async Task An_invited_member_joins_once_by_a_link_that_is_mailed_and_does_what_their_role_may()
    {
        var ada = await site.SignedInAsync("ada");
        var (id, first) = await InviteAsync(ada, "noor@example.com");
        Assert.Equal("invited", (await MemberAsync(ada, "noor@example.com")).GetProperty("state").GetString());
        await using (var db = site.Db())
        {
            var mail = await db.OwnMails.SingleAsync(m => m.ToAddress == "noor@example.com");
            Assert.Contains(first, mail.Text, StringComparison.Ordinal);
            Assert.Contains("Ada Quill asks you to join Alder Quay Planning", mail.Text, StringComparison.Ordinal);
        }

        // Invited again, the link before is good no more.
        var key = (await ada.DoAsync($"/api/members/{id}/invite")).GetProperty("address").GetString()!.Split("key=")[1];
        var nobody = await site.NobodyAsync();
        Assert.Equal(410, (await nobody.RefusedAsync("/api/session/link", new { key = first, kind = "invitation" }, "key")).Status);
        Assert.Equal(400, (await nobody.RefusedAsync("/api/session/join", new { key, name = "Noor Vale", password = "noor.vale@example.com" }, "password")).Status);

        // Ten at once: one joins.
        var many = await Task.WhenAll(Enumerable.Range(0, 10).Select(async _ => (await (await site.NobodyAsync()).PostAsync("/api/session/join", new { key, name = "Noor Vale", password = Password })).StatusCode));
        Assert.Single(many, s => s == HttpStatusCode.NoContent);

        var noor = await site.NobodyAsync();
        await noor.DoAsync("/api/session", new { email = "noor@example.com", password = Password });
        await noor.RefreshGuardAsync();
        Assert.Equal("adviser", (await noor.GetAsync("/api/session")).GetProperty("role").GetString());
        Assert.Equal(HttpStatusCode.Forbidden, (await noor.PostAsync("/api/members", new { name = "X", email = "x@example.com", role = "principal" })).StatusCode);
        Assert.Equal(400, (await ada.RefusedAsync($"/api/members/{id}/invite", null, "x")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/members", new { name = "N", email = "noor@example.com", role = "adviser" }, "email")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/members", new { name = "N", email = "ada2@example.com", role = "adviser" }, "email")).Status);
        Assert.Equal(400, (await ada.RefusedAsync("/api/members", new { name = "N", email = "<b>", role = "king" }, "role")).Status);
    }

    [Fact]
    public async Task An_invitation_is_good_for_three_days()
    {
        var ada = await site.SignedInAsync("ada");
        var (id, key) = await InviteAsync(ada, "late@example.com");
        await using var db = site.Db();
        await db.MemberLinks.Where(l => l.MemberId == id).ExecuteUpdateAsync(u => u.SetProperty(l => l.ExpiresAt, l => l.ExpiresAt - MemberLinks.InvitationLife));
        Assert.Equal(410, (await (await site.NobodyAsync()).RefusedAsync("/api/session/join", new { key, name = "L", password = Password }, "key")).Status);
        Assert.Equal(JsonValueKind.Null, (await MemberAsync(ada, "late@example.com")).GetProperty("invitedUntil").ValueKind);
    }

    [Fact]
    public async Task A_practice_keeps_a_principal_who_can_sign_in_whoever_lets_go_of_whom_at_once()
    {
        var ada = await site.SignedInAsync("ada2");
        var me = (await MemberAsync(ada, "ada2@example.com")).GetProperty("id").GetGuid();
        Assert.Equal(400, (await ada.RefusedAsync($"/api/members/{me}", new { role = "adviser" }, "role", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync($"/api/members/{me}/block", null, "x")).Status);

        // One who was only invited is no principal yet.
        var (second, key) = await InviteAsync(ada, "second2@example.com", "principal", "Second Two");
        Assert.Equal(400, (await ada.RefusedAsync($"/api/members/{me}", new { role = "adviser" }, "role", HttpMethod.Put)).Status);
        var other = await JoinAsync(key, "Second Two");

        var both = await Task.WhenAll(
            ada.SendAsync(HttpMethod.Put, $"/api/members/{second}", new { role = "adviser" }),
            other.SendAsync(HttpMethod.Put, $"/api/members/{me}", new { role = "adviser" })
        );
        Assert.Single(both, b => b.StatusCode == HttpStatusCode.NoContent);
        await using var db = site.Database.For(site.Other);
        Assert.Equal(1, await db.Users.CountAsync(u => u.PracticeId == site.Other && u.Role == "principal"));
        await db.Users.Where(u => u.Id == me).ExecuteUpdateAsync(u => u.SetProperty(m => m.Role, "principal"));
    }

    [Fact]
    public async Task A_blocked_member_is_out_at_once_and_comes_back_as_they_were()
    {
        var ada = await site.SignedInAsync("ada");
        var (id, key) = await InviteAsync(ada, "blocked@example.com");
        var member = await JoinAsync(key, "B Locked");
        await ada.DoAsync($"/api/members/{id}/block");
        Assert.Equal(HttpStatusCode.Unauthorized, (await member.Http.GetAsync("/api/people")).StatusCode);
        Assert.Equal(400, (await (await site.NobodyAsync()).RefusedAsync("/api/session", new { email = "blocked@example.com", password = Password }, "password")).Status);
        await ada.DoAsync($"/api/members/{id}/unblock");
        await (await site.NobodyAsync()).DoAsync("/api/session", new { email = "blocked@example.com", password = Password });
    }

    [Fact]
    public async Task What_a_member_may_call_and_who_stands_in_is_kept_and_odd_things_are_refused()
    {
        var ada = await site.SignedInAsync("ada");
        var tomas = (await MemberAsync(ada, "tomas@example.com")).GetProperty("id").GetGuid();
        var wren = (await MemberAsync(ada, "wren@example.com")).GetProperty("id").GetGuid();
        await ada.DoAsync($"/api/members/{tomas}", new { role = "adviser", capacity = new { mon = 3, fri = 0 }, deputy = wren }, HttpMethod.Put);
        var kept = await MemberAsync(ada, "tomas@example.com");
        Assert.Equal((3, wren), (kept.GetProperty("capacity").GetProperty("mon").GetInt32(), kept.GetProperty("deputy").GetGuid()));
        Assert.Equal(400, (await ada.RefusedAsync($"/api/members/{tomas}", new { role = "adviser", capacity = new { moon = 3 } }, "capacity", HttpMethod.Put)).Status);
        Assert.Equal(400, (await ada.RefusedAsync($"/api/members/{tomas}", new { role = "adviser", deputy = tomas }, "deputy", HttpMethod.Put)).Status);
        var stranger = await site.SignedInAsync("ada2");
        foreach (var path in new[] { $"/api/members/{tomas}/block", $"/api/members/{tomas}/invite", $"/api/members/{tomas}/factor/end" })
        {
            Assert.Equal(HttpStatusCode.NotFound, (await stranger.PostAsync(path)).StatusCode);
        }

        Assert.Equal(HttpStatusCode.NotFound, (await stranger.PostAsync($"/api/members/{tomas}/hand-over", new { to = wren })).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await stranger.Http.GetAsync($"/api/members/{tomas}/holdings")).StatusCode);
    }

    [Fact]
    public async Task What_a_member_has_goes_to_another_as_it_was_previewed_and_they_leave()
    {
        var ada = await site.SignedInAsync("ada");
        var (id, key) = await InviteAsync(ada, "leaver@example.com", name: "Leo Leaver");
        var leaver = await JoinAsync(key, "Leo Leaver");
        var tomas = (await MemberAsync(ada, "tomas@example.com")).GetProperty("id").GetGuid();
        var people = new List<Guid>();
        for (var i = 0; i < 3; i++)
        {
            people.Add((await leaver.DoAsync("/api/people", new { firstName = $"Ida{i}", lastName = "Handed" })).GetProperty("id").GetGuid());
        }

        await leaver.DoAsync("/api/people/owner", new { ids = people, owner = id });
        await leaver.DoAsync("/api/tasks", new { title = "Water the ferns", member = id, due = "2027-03-02", kind = "task" });
        await ada.DoAsync($"/api/members/{tomas}", new { role = "adviser", deputy = id }, HttpMethod.Put);

        var holdings = await ada.GetAsync($"/api/members/{id}/holdings");
        Assert.Equal((3, 1, "Tomas Brandt"), (holdings.GetProperty("people").GetInt32(), holdings.GetProperty("tasks").GetInt32(), holdings.GetProperty("deputyOf")[0].GetString()));
        Assert.Equal(400, (await ada.RefusedAsync($"/api/members/{id}/hand-over", new { to = id }, "to")).Status);
        var handed = await ada.DoAsync($"/api/members/{id}/hand-over", new { to = tomas, takeOut = true });
        Assert.Equal(JsonValueKind.String, handed.GetProperty("act").ValueKind);

        await using (var db = site.Db())
        {
            Assert.Equal(3, await db.People.CountAsync(p => p.OwnerId == tomas && people.Contains(p.Id)));
            Assert.Equal(tomas, (await db.Tasks.SingleAsync(t => t.Title == "Water the ferns")).MemberId);
            Assert.Null((await db.Users.SingleAsync(u => u.Id == tomas)).DeputyId);
        }

        Assert.Equal(HttpStatusCode.Unauthorized, (await leaver.Http.GetAsync("/api/people")).StatusCode);
        Assert.Equal(400, (await (await site.NobodyAsync()).RefusedAsync("/api/session", new { email = "leaver@example.com", password = Password }, "password")).Status);
        Assert.DoesNotContain((await ada.GetAsync("/api/session")).GetProperty("members").EnumerateArray(), m => m.GetProperty("id").GetGuid() == id);

        // Asked back, they begin anew under the same name.
        var (same, again) = await InviteAsync(ada, "leaver@example.com", name: "Leo Leaver");
        Assert.Equal(id, same);
        await JoinAsync(again, "Leo Leaver");
    }
}
