using System.Security.Cryptography;
using Germinal.Service.Members;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.OtherPrograms;

/// <summary>Keys of other programs: drawn, and found by what is shown.</summary>
public static class ApiKeys
{
    /// <summary>How every key begins, so that one that was left lying about is known for what it is.</summary>
    public const string Begins = "germinal_";

    /// <summary>Days after which a key ends at the latest.</summary>
    public const int LongestDays = 730;

    private const int Length = 32;
    private const int Shown = 6;

    /// <summary>How exactly it is noted when a key was used.</summary>
    private static readonly Duration Noted = Duration.FromMinutes(1);

    /// <summary>A new key, and what is kept of it.</summary>
    public static (string Key, string Begins, string Mark) Draw()
    {
        var key = Begins + Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(Length));
        return (key, key[..(Begins.Length + Shown)], KeyMark.Of(key));
    }

    /// <summary>The key somebody shows, with the member for whom it works; null where it opens nothing (any more).</summary>
    /// <param name="db">A context of no practice yet.</param>
    /// <param name="key">What they show.</param>
    /// <param name="now">The machine's time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<(ApiKeyRow Key, MemberUser Member)?> FindAsync(GerminalDb db, string key, Instant now, CancellationToken stop)
    {
        var mark = KeyMark.Of(key);
        var found = await db
            .ApiKeys.IgnoreQueryFilters([GerminalDb.Owned])
            .AsNoTracking()
            .Where(k => k.Mark == mark && k.EndedAt == null && k.ExpiresAt > now)
            .Join(db.Users.Where(m => m.BlockedAt == null && m.LeftAt == null && db.OpenPractices.Contains(m.PracticeId)), k => k.MemberId, m => m.Id, (k, m) => new { k, m })
            .SingleOrDefaultAsync(stop);
        if (found is null)
        {
            return null;
        }

        if (found.k.UsedAt is null || found.k.UsedAt < now - Noted)
        {
            await db.ApiKeys.IgnoreQueryFilters([GerminalDb.Owned]).Where(k => k.Id == found.k.Id).ExecuteUpdateAsync(u => u.SetProperty(k => k.UsedAt, now), stop);
        }

        return (found.k, found.m);
    }
}
