using System.Buffers.Text;
using System.Security.Cryptography;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Members;

/// <summary>Links by mail to members, each of which works once and not for long. By the machine's clock.</summary>
public static class MemberLinks
{
    /// <summary>Whoever follows it joins the practice.</summary>
    public const string Invitation = "invitation";

    /// <summary>Whoever follows it chooses a new password.</summary>
    public const string Forgotten = "forgotten";

    private const int KeyBytes = 24;

    /// <summary>How long an invitation is good.</summary>
    public static readonly Duration InvitationLife = Duration.FromHours(72);

    /// <summary>How long a link for a forgotten password is good.</summary>
    public static readonly Duration ForgottenLife = Duration.FromMinutes(30);

    private static Instant MachineNow => SystemClock.Instance.GetCurrentInstant();

    /// <summary>Makes a link's key; those of the same kind that the member had before are good no more.</summary>
    /// <returns>The key, which is kept nowhere.</returns>
    public static async Task<string> MakeAsync(GerminalDb db, MemberUser member, string kind, CancellationToken stop)
    {
        var key = Base64Url.EncodeToString(RandomNumberGenerator.GetBytes(KeyBytes));
        var now = MachineNow;
        await db.MemberLinks.IgnoreQueryFilters().Where(l => l.MemberId == member.Id && l.Kind == kind).ExecuteDeleteAsync(stop);
        db.MemberLinks.Add(
            new MemberLinkRow
            {
                Id = Guid.CreateVersion7(),
                PracticeId = member.PracticeId,
                MemberId = member.Id,
                Kind = kind,
                Mark = Mark(key),
                CreatedAt = now,
                ExpiresAt = now + (kind == Invitation ? InvitationLife : ForgottenLife),
            }
        );
        await db.SaveChangesAsync(stop);
        return key;
    }

    /// <summary>Whose link it is, where it is still good; null where it is not.</summary>
    public static Task<MemberUser?> FindAsync(GerminalDb db, string key, string kind, CancellationToken stop)
    {
        var (mark, now) = (Mark(key), MachineNow);
        return db
            .MemberLinks.IgnoreQueryFilters()
            .Where(l => l.Mark == mark && l.Kind == kind && l.ExpiresAt > now)
            .Join(db.Users.Where(u => u.BlockedAt == null && u.LeftAt == null), l => l.MemberId, u => u.Id, (_, u) => u)
            .FirstOrDefaultAsync(stop);
    }

    /// <summary>Takes a link, which is good no more, and with it all others of that member. Of several who follow it at once one does.</summary>
    /// <returns>False where it was not good any more.</returns>
    public static async Task<bool> UseAsync(GerminalDb db, string key, string kind, CancellationToken stop)
    {
        var (mark, now) = (Mark(key), MachineNow);
        var used = await db
            .Database.SqlQuery<Guid>($"""DELETE FROM member_links WHERE mark = {mark} AND kind = {kind} AND expires_at > {now} RETURNING member_id AS "Value" """)
            .ToListAsync(stop);
        if (used.Count == 0)
        {
            return false;
        }

        var member = used[0];
        await db.MemberLinks.IgnoreQueryFilters().Where(l => l.MemberId == member).ExecuteDeleteAsync(stop);
        return true;
    }

    private static string Mark(string key) => KeyMark.Of(key.Trim());
}
