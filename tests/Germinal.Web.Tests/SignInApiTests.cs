using System.Net;
using System.Text.RegularExpressions;
using Germinal.Service.Members;
using Germinal.Store.Rows;
using Germinal.Web.Hosting;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using NodaTime;
using OtpNet;

namespace Germinal.Web.Tests;

/// <summary>Signing in, and what a member does about it: passwords, second factors, sessions, forgotten ones.</summary>
public sealed partial class SignInApiTests(Site site) : IClassFixture<Site>
{
    private const string Better = "the kettle knew it first";

    [GeneratedRegex(@"key=([\w-]+)")]
    private static partial Regex Key();

    private static string CodeOf(string secret, int steps = 0) => new Totp(Base32Encoding.ToBytes(secret)).ComputeTotp(DateTime.UtcNow.AddSeconds(30 * steps));

    /// <summary>The newest mail to a member about their own sign-in; waits for what is done after the answer.</summary>
    private async Task<OwnMailRow> MailAsync(string address, string subject)
    {
        for (var i = 0; ; i++)
        {
            await using var db = site.Database.CreateDbContext();
            if (await db.OwnMails.IgnoreQueryFilters().Where(m => m.ToAddress == address && m.Subject == subject).OrderByDescending(m => m.Id).FirstOrDefaultAsync() is { } mail)
            {
                return mail;
            }

            Assert.True(i < 200, $"no mail “{subject}” to {address}");
            await Task.Delay(50);
        }
    }

    private async Task<MemberUser> RowAsync(string name)
    {
        await using var db = site.Database.CreateDbContext();
        return await db.Users.AsNoTracking().SingleAsync(u => u.Email == $"{name}@example.com");
    }

    [Fact]
    public async Task A_password_is_changed_with_the_old_one_and_other_sessions_end()
    {
        var tomas = await site.SignedInAsync("tomas");
        var elsewhere = await site.SignedInAsync("tomas");
        Assert.Equal((400, "This is not your password. Give the one you sign in with, to show that it is you."), await tomas.RefusedAsync("/api/me/password", new { old = "wrong", @new = Better }, "old", HttpMethod.Put));
        Assert.Equal(400, (await tomas.RefusedAsync("/api/me/password", new { old = Site.Password, @new = "too short" }, "new", HttpMethod.Put)).Status);

        await tomas.DoAsync("/api/me/password", new { old = Site.Password, @new = Better }, HttpMethod.Put);

        await tomas.GetAsync("/api/me");
        Assert.Equal(HttpStatusCode.Unauthorized, (await elsewhere.Http.GetAsync("/api/me")).StatusCode);
        var nobody = await site.NobodyAsync();
        Assert.Equal(400, (await nobody.RefusedAsync("/api/session", new { email = "tomas@example.com", password = Site.Password }, "password")).Status);

        // The same letters put together otherwise are the same password.
        await tomas.RefreshGuardAsync();
        await tomas.DoAsync("/api/me/password", new { old = Better, @new = "caf\u00e9 on the quay at dawn" }, HttpMethod.Put);
        await nobody.DoAsync("/api/session", new { email = "tomas@example.com", password = "cafe\u0301 on the quay at dawn" });
        await tomas.RefreshGuardAsync();
        await tomas.DoAsync("/api/me/password", new { old = "caf\u00e9 on the quay at dawn", @new = Site.Password }, HttpMethod.Put);
    }

    [Fact]
    public async Task A_second_factor_is_asked_for_once_it_was_shown_to_work_and_no_code_works_twice()
    {
        var wren = await site.SignedInAsync("wren");
        var secret = (await wren.DoAsync("/api/me/factor")).GetProperty("secret").GetString()!;
        Assert.Equal(400, (await wren.RefusedAsync("/api/me/factor", new { code = "000000" }, "code", HttpMethod.Put)).Status);
        var codes = (await wren.DoAsync("/api/me/factor", new { code = CodeOf(secret, -1) }, HttpMethod.Put)).GetProperty("codes").EnumerateArray().Select(c => c.GetString()!).ToList();
        Assert.Equal(10, codes.Count);
        Assert.DoesNotContain(secret, (await RowAsync("wren")).SealedFactor, StringComparison.Ordinal);

        // The password alone opens nothing.
        var half = await site.NobodyAsync();
        Assert.Equal("code", (await half.DoAsync("/api/session", new { email = "wren@example.com", password = Site.Password })).GetProperty("needs").GetString());
        Assert.Equal(HttpStatusCode.Unauthorized, (await half.Http.GetAsync("/api/me")).StatusCode);
        Assert.Equal(400, (await half.RefusedAsync("/api/session/code", new { code = CodeOf(secret, -1) }, "code")).Status);

        // Several at once with one code: one comes in. (After eight wrong ones nobody comes in for a while.)
        var code = CodeOf(secret);
        var many = await Task.WhenAll(
            Enumerable
                .Range(0, 4)
                .Select(async _ =>
                {
                    var member = await site.NobodyAsync();
                    await member.DoAsync("/api/session", new { email = "wren@example.com", password = Site.Password });
                    return (await member.PostAsync("/api/session/code", new { code })).StatusCode;
                })
        );
        Assert.Single(many, s => s == HttpStatusCode.NoContent);

        // A recovery code too works once, however it is written.
        await half.DoAsync("/api/session/code", new { code = codes[3].ToUpperInvariant() });
        await half.RefreshGuardAsync();
        Assert.Equal(9, (await half.GetAsync("/api/me")).GetProperty("recoveryLeft").GetInt32());
        var again = await site.NobodyAsync();
        await again.DoAsync("/api/session", new { email = "wren@example.com", password = Site.Password });
        Assert.Equal(400, (await again.RefusedAsync("/api/session/code", new { code = codes[3] }, "code")).Status);

        // New codes and the end of it are for whoever knows the password.
        Assert.Equal(400, (await half.RefusedAsync("/api/me/factor/recovery", new { password = "wrong" }, "password")).Status);
        var fresh = (await half.DoAsync("/api/me/factor/recovery", new { password = Site.Password })).GetProperty("codes");
        Assert.DoesNotContain(codes[4], fresh.EnumerateArray().Select(c => c.GetString()!));
        await half.DoAsync("/api/me/factor/end", new { password = Site.Password });
        Assert.Equal("", (await RowAsync("wren")).SealedFactor);
        await site.SignedInAsync("wren");
    }

    [Fact]
    public async Task Nobody_gets_past_the_code_without_the_password_before_it()
    {
        var nobody = await site.NobodyAsync();
        Assert.Equal(400, (await nobody.RefusedAsync("/api/session/code", new { code = "123456" }, "code")).Status);
        Assert.Equal(400, (await nobody.RefusedAsync("/api/session/passkey", new { credential = "{}" }, "credential")).Status);
        Assert.Equal(400, (await nobody.RefusedAsync("/api/session/passkey", new { credential = "not json <b>" }, "credential")).Status);
        Assert.Equal(HttpStatusCode.Unauthorized, (await nobody.Http.GetAsync("/api/me")).StatusCode);
    }

    [Fact]
    public async Task A_forgotten_password_is_chosen_anew_by_a_link_that_works_once()
    {
        var nobody = await site.NobodyAsync();
        Assert.Equal(HttpStatusCode.Accepted, (await nobody.PostAsync("/api/session/forgotten", new { email = "TOMAS2@example.com" })).StatusCode);
        Assert.Equal(HttpStatusCode.Accepted, (await nobody.PostAsync("/api/session/forgotten", new { email = "nobody.at.all@example.com" })).StatusCode);
        var key = Key().Match((await MailAsync("tomas2@example.com", "A new password")).Text).Groups[1].Value;
        Assert.Equal("tomas2@example.com", (await nobody.DoAsync("/api/session/link", new { key, kind = "forgotten" })).GetProperty("email").GetString());

        // It is for a new password and nothing else.
        Assert.Equal(410, (await nobody.RefusedAsync("/api/session/join", new { key, name = "T", password = Better }, "key")).Status);
        Assert.Equal(400, (await nobody.RefusedAsync("/api/session/password", new { key, password = "short" }, "password")).Status);
        var before = await site.SignedInAsync("tomas2");
        var many = await Task.WhenAll(
            Enumerable.Range(0, 10).Select(async _ => (await (await site.NobodyAsync()).PostAsync("/api/session/password", new { key, password = Better })).StatusCode)
        );
        Assert.Single(many, s => s == HttpStatusCode.NoContent);
        Assert.Equal(9, many.Count(s => s == HttpStatusCode.Gone));
        Assert.Equal(HttpStatusCode.Unauthorized, (await before.Http.GetAsync("/api/me")).StatusCode);
        await (await site.NobodyAsync()).DoAsync("/api/session", new { email = "tomas2@example.com", password = Better });

        // After half an hour it is good no more.
        await nobody.PostAsync("/api/session/forgotten", new { email = "wren2@example.com" });
        var late = Key().Match((await MailAsync("wren2@example.com", "A new password")).Text).Groups[1].Value;
        await using var db = site.Database.CreateDbContext();
        await db.MemberLinks.IgnoreQueryFilters().ExecuteUpdateAsync(u => u.SetProperty(l => l.ExpiresAt, l => l.ExpiresAt - Duration.FromMinutes(31)));
        Assert.Equal(410, (await nobody.RefusedAsync("/api/session/password", new { key = late, password = Better }, "key")).Status);
        Assert.DoesNotContain(late, string.Concat(await db.MemberLinks.IgnoreQueryFilters().Select(l => l.Mark).ToListAsync()), StringComparison.Ordinal);
    }

    [Fact]
    public async Task Open_sessions_are_seen_and_ended_and_a_new_device_is_told_by_mail()
    {
        var ada = await site.SignedInAsync("ada");
        var phone = await site.NobodyAsync();
        phone.Http.DefaultRequestHeaders.UserAgent.ParseAdd("Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0");
        await phone.DoAsync("/api/session", new { email = "ada@example.com", password = Site.Password });
        await phone.RefreshGuardAsync();
        Assert.Contains("Firefox on Linux", (await MailAsync("ada@example.com", "Signed in from a new device")).Text, StringComparison.Ordinal);

        // Whoever is signed in is not signed in over; the same device again is not told anew.
        Assert.Equal(409, (await phone.RefusedAsync("/api/session", new { email = "tomas@example.com", password = Site.Password }, "email")).Status);
        await phone.DoAsync("/api/session", null, HttpMethod.Delete);
        await phone.RefreshGuardAsync();
        await phone.DoAsync("/api/session", new { email = "ada@example.com", password = Site.Password });
        await phone.RefreshGuardAsync();
        await using var db = site.Database.CreateDbContext();
        var told = await db.OwnMails.IgnoreQueryFilters().CountAsync(m => m.ToAddress == "ada@example.com" && m.Subject == "Signed in from a new device" && m.Text.Contains("Firefox"));
        Assert.Equal(1, told);

        var sessions = (await ada.GetAsync("/api/me")).GetProperty("sessions").EnumerateArray().ToList();
        Assert.Single(sessions, s => s.GetProperty("isThis").GetBoolean());
        var other = sessions.First(s => s.GetProperty("device").GetString() == "Firefox on Linux");
        Assert.Equal(HttpStatusCode.NotFound, (await (await site.SignedInAsync("ada2")).SendAsync(HttpMethod.Delete, $"/api/me/sessions/{other.GetProperty("id").GetString()}")).StatusCode);
        await ada.DoAsync("/api/me/sessions", null, HttpMethod.Delete);
        Assert.Equal(HttpStatusCode.Unauthorized, (await phone.Http.GetAsync("/api/me")).StatusCode);
        Assert.Single((await ada.GetAsync("/api/me")).GetProperty("sessions").EnumerateArray());
    }

    [Fact]
    public async Task Whoever_is_asked_for_a_second_factor_and_has_none_sees_only_where_to_set_one_up()
    {
        var ada = await site.SignedInAsync("ada2");
        Assert.Equal(400, (await ada.RefusedAsync("/api/members/factors", new { asked = true }, "asked", HttpMethod.Put)).Status);
        var own = (await ada.DoAsync("/api/me/factor")).GetProperty("secret").GetString()!;
        await ada.DoAsync("/api/me/factor", new { code = CodeOf(own) }, HttpMethod.Put);
        await ada.RefreshGuardAsync();
        var before = await site.SignedInAsync("wren2");
        await ada.DoAsync("/api/members/factors", new { asked = true }, HttpMethod.Put);

        Assert.Equal(HttpStatusCode.Forbidden, (await before.Http.GetAsync("/api/people")).StatusCode);
        Assert.True((await before.GetAsync("/api/session")).GetProperty("unfinished").GetBoolean());
        var secret = (await before.DoAsync("/api/me/factor")).GetProperty("secret").GetString()!;
        await before.DoAsync("/api/me/factor", new { code = CodeOf(secret) }, HttpMethod.Put);
        await before.RefreshGuardAsync();
        await before.GetAsync("/api/people");

        // Whoever has lost the telephone is let in anew by a principal, and asked again.
        var id = (await RowAsync("wren2")).Id;
        await ada.DoAsync($"/api/members/{id}/factor/end");
        Assert.Equal(HttpStatusCode.Unauthorized, (await before.Http.GetAsync("/api/people")).StatusCode);
        await ada.DoAsync("/api/members/factors", new { asked = false }, HttpMethod.Put);
        await ada.DoAsync("/api/me/factor/end", new { password = Site.Password });
    }
}
