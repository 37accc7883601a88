using System.Net;
using System.Net.Http.Json;
using System.Text.Json;
using Germinal.Store.Rows;
using Microsoft.AspNetCore.Identity;
using Microsoft.AspNetCore.Mvc.Testing;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using NodaTime;

namespace Germinal.Web.Tests;

/// <summary>Sessions stand on the server and end there.</summary>
public sealed class SessionTests(Site site) : IClassFixture<Site>
{
    private async Task ChangeAsync(string email, Func<UserManager<MemberUser>, MemberUser, Task> change)
    {
        await using var scope = site.Services.CreateAsyncScope();
        var users = scope.ServiceProvider.GetRequiredService<UserManager<MemberUser>>();
        await change(users, (await users.FindByEmailAsync(email))!);
    }

    private static async Task<HttpStatusCode> StandsAsync(Member member) => (await member.Http.GetAsync("/api/people")).StatusCode;

    /// <summary>A cookie that was copied before signing out used to work on.</summary>
    [Fact]
    public async Task Signing_out_ends_the_session_for_whoever_has_a_copy_of_the_cookie()
    {
        var client = site.CreateClient(new WebApplicationFactoryClientOptions { BaseAddress = new Uri("https://localhost"), HandleCookies = false });
        async Task<(string Guard, List<string> Cookies)> GuardAsync(List<string> cookies)
        {
            using var request = new HttpRequestMessage(HttpMethod.Get, "/api/session");
            if (cookies.Count > 0)
            {
                request.Headers.Add("Cookie", string.Join("; ", cookies));
            }

            var answer = await client.SendAsync(request);
            var more = answer.Headers.TryGetValues("Set-Cookie", out var set) ? set.Select(c => c.Split(';')[0]) : [];
            return ((await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("guard").GetString()!, [.. cookies, .. more]);
        }

        var (guard, cookies) = await GuardAsync([]);
        using var signIn = new HttpRequestMessage(HttpMethod.Post, "/api/session")
        {
            Content = JsonContent.Create(new { email = "tomas@example.com", password = Site.Password }),
        };
        signIn.Headers.Add("Cookie", string.Join("; ", cookies));
        signIn.Headers.Add("X-Germinal-Guard", guard);
        var signed = await client.SendAsync(signIn);
        var set = signed.Headers.GetValues("Set-Cookie").Single(c => c.StartsWith("germinal=", StringComparison.Ordinal));
        Assert.Contains("secure", set, StringComparison.OrdinalIgnoreCase);
        Assert.Contains("httponly", set, StringComparison.OrdinalIgnoreCase);
        Assert.Contains("samesite=strict", set, StringComparison.OrdinalIgnoreCase);
        cookies.Add(set.Split(';')[0]);
        async Task<HttpStatusCode> WithCopyAsync()
        {
            using var request = new HttpRequestMessage(HttpMethod.Get, "/api/people");
            request.Headers.Add("Cookie", string.Join("; ", cookies));
            return (await client.SendAsync(request)).StatusCode;
        }

        Assert.Equal(HttpStatusCode.OK, await WithCopyAsync());
        (guard, cookies) = await GuardAsync(cookies);
        using var signOut = new HttpRequestMessage(HttpMethod.Delete, "/api/session");
        signOut.Headers.Add("Cookie", string.Join("; ", cookies));
        signOut.Headers.Add("X-Germinal-Guard", guard);
        Assert.Equal(HttpStatusCode.NoContent, (await client.SendAsync(signOut)).StatusCode);
        Assert.Equal(HttpStatusCode.Unauthorized, await WithCopyAsync());
    }

    [Fact]
    public async Task A_changed_password_a_changed_role_and_a_block_end_sessions_at_once()
    {
        var first = await site.SignedInAsync("tomas2");
        await ChangeAsync(
            "tomas2@example.com",
            async (users, user) => Assert.True((await users.ChangePasswordAsync(user, Site.Password, "another-quay-heron-22")).Succeeded)
        );
        Assert.Equal(HttpStatusCode.Unauthorized, await StandsAsync(first));

        var second = await site.SignedInAsync("wren2");
        Assert.Equal(HttpStatusCode.OK, await StandsAsync(second));
        await ChangeAsync(
            "wren2@example.com",
            async (users, user) =>
            {
                user.Role = "adviser";
                await users.UpdateAsync(user);
            }
        );
        Assert.Equal(HttpStatusCode.Unauthorized, await StandsAsync(second));

        var third = await site.SignedInAsync("wren2");
        await ChangeAsync(
            "wren2@example.com",
            async (users, user) =>
            {
                user.BlockedAt = SystemClock.Instance.GetCurrentInstant();
                await users.UpdateAsync(user);
            }
        );
        Assert.Equal(HttpStatusCode.Unauthorized, await StandsAsync(third));

        // Nor can they come in again, and the answer says no more than a wrong password does.
        var (status, message) = await (await site.NobodyAsync()).RefusedAsync(
            "/api/session",
            new { email = "wren2@example.com", password = Site.Password },
            "password"
        );
        var unknown = await (await site.NobodyAsync()).RefusedAsync(
            "/api/session",
            new { email = "nobody@example.com", password = Site.Password },
            "password"
        );
        Assert.Equal((status, message), unknown);
    }

    [Fact]
    public async Task What_the_table_holds_opens_no_session()
    {
        await site.SignedInAsync("ada");
        await using var db = site.Database.CreateDbContext();
        var rows = await db.Sessions.ToListAsync();
        Assert.NotEmpty(rows);
        Assert.All(rows, r => Assert.Equal(64, r.Id.Length));
        Assert.All(rows, r => Assert.DoesNotContain("Ada Quill", System.Text.Encoding.UTF8.GetString(r.Ticket), StringComparison.Ordinal));
        var client = site.CreateClient(new WebApplicationFactoryClientOptions { BaseAddress = new Uri("https://localhost"), HandleCookies = false });
        using var request = new HttpRequestMessage(HttpMethod.Get, "/api/people");
        request.Headers.Add("Cookie", $"germinal={rows[0].Id}");
        Assert.Equal(HttpStatusCode.Unauthorized, (await client.SendAsync(request)).StatusCode);
    }
}
