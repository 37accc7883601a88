using System.Buffers.Text;
using System.Security.Cryptography;
using Germinal.Service.Members;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Web.Journal;
using Microsoft.AspNetCore.Http.HttpResults;
using Microsoft.AspNetCore.Identity;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Web.Hosting;

/// <summary>Lets in who has shown that it is them: the session begins, the journal is told, and a device they had not used before is said by mail.</summary>
public sealed class LetIn(SignInManager<MemberUser> signIn, GerminalDb db, MemberMails mails, Settings settings)
{
    private const string DeviceCookie = "germinal-device";
    private const int DeviceBytes = 16;
    private static readonly TimeSpan DeviceLife = TimeSpan.FromDays(400);

    /// <summary>Begins the session.</summary>
    /// <param name="http">The request.</param>
    /// <param name="member">Who it is.</param>
    /// <param name="note">Told who it was.</param>
    /// <param name="stop">Gives up.</param>
    public async Task AsAsync(HttpContext http, MemberUser member, JournalNote note, CancellationToken stop)
    {
        await signIn.SignInAsync(member, isPersistent: true);
        db.PracticeId = member.PracticeId;
        note.IsBy(Caller.Of(member));
        await NoteDeviceAsync(http, member, stop);
    }

    /// <summary>Why nobody can be let in: a session begins with a key of its own, never with that of somebody who is signed in already. Null where one can.</summary>
    public static ProblemHttpResult? Already(HttpContext http) =>
        http.User.Identity?.IsAuthenticated == true ? Problems.Conflict(Say($"{Caller.Of(http.User).Name} is signed in here. Sign out first.")) : null;

    /// <summary>The session that asks goes on, although what ends all others has changed: a password, a second factor, a name.</summary>
    public async Task AnewAsync(HttpContext http, MemberUser member, CancellationToken stop)
    {
        var (own, stamp) = (SessionStore.OwnOf(http), member.SecurityStamp ?? "");
        await signIn.SignInAsync(member, isPersistent: true);
        await db.Sessions.Where(s => s.Id == own && s.MemberId == member.Id).ExecuteUpdateAsync(u => u.SetProperty(s => s.Stamp, stamp), stop);
    }

    private async Task NoteDeviceAsync(HttpContext http, MemberUser member, CancellationToken stop)
    {
        var said = http.Request.Cookies[DeviceCookie];
        var device = said is { Length: > 10 and < 100 } ? said : Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(DeviceBytes));
        http.Response.Cookies.Append(
            DeviceCookie,
            device,
            new CookieOptions
            {
                HttpOnly = true,
                IsEssential = true,
                MaxAge = DeviceLife,
                SameSite = SameSiteMode.Strict,
                Secure = settings.IsSecure,
            }
        );
        var (mark, now) = (KeyMark.Of(device), SystemClock.Instance.GetCurrentInstant());
        if (await db.Devices.Where(d => d.MemberId == member.Id && d.Mark == mark).ExecuteUpdateAsync(u => u.SetProperty(d => d.LastAt, now), stop) > 0)
        {
            return;
        }

        // Whoever signs in for the first time knows it.
        var others = await db.Devices.AnyAsync(d => d.MemberId == member.Id, stop);
        var id = Guid.CreateVersion7();
        var added = await db.Database.ExecuteSqlAsync(
            $"INSERT INTO devices (id, practice_id, member_id, mark, first_at, last_at) VALUES ({id}, {member.PracticeId}, {member.Id}, {mark}, {now}, {now}) ON CONFLICT DO NOTHING",
            stop
        );
        if (others && added > 0)
        {
            await mails.NewDeviceAsync(db, member, Client.ProgramOf(http), Client.AddressOf(http), stop);
        }
    }
}
