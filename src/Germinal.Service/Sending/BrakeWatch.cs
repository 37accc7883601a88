using Germinal.Core.Results;
using Germinal.Service.Clock;
using Germinal.Service.House;
using Germinal.Service.Incoming;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Sending;

/// <summary>Stops a practice's commercial mail where too much of it comes back or is complained about, and says so.</summary>
public sealed class BrakeWatch(IDbContextFactory<GerminalDb> databases)
{
    /// <summary>Looks at every practice whose mail goes.</summary>
    public async Task LookAsync(CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        foreach (var practice in await db.Practices.AsNoTracking().Select(p => p.Id).ToListAsync(stop))
        {
            await using var own = await databases.CreateDbContextAsync(stop);
            own.PracticeId = practice;
            await LookAsync(own, stop);
        }
    }

    /// <summary>The same for one practice.</summary>
    /// <returns>Whether it was stopped now.</returns>
    public static async Task<bool> LookAsync(GerminalDb db, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        var settings = (await db.OwnPracticeAsync(stop)).Settings;
        if (!settings.Brake.On || settings.Brake.StoppedAt is not null || await JudgeAsync(db, settings.Brake, now, stop) is not { } why)
        {
            return false;
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var change = await SettingsChange.LockAsync(db, stop);
        var brake = change.Settings.Brake;
        if (!brake.On || brake.StoppedAt is not null)
        {
            return false;
        }

        (brake.StoppedAt, brake.Why) = (now, why);
        await change.SaveAsync(stop);
        await Notices.TellAsync(db, "brake", null, null, Say($"Commercial mail has stopped by itself. {why} See Results, Sending."), $"brake/{now}", now, stop);
        await transaction.CommitAsync(stop);
        return true;
    }

    /// <summary>Why mail is to stop; null where it may go.</summary>
    private static async Task<string?> JudgeAsync(GerminalDb db, BrakeSettings brake, Instant now, CancellationToken stop)
    {
        var since = now - Duration.FromDays(SendingBrake.Days);
        if (brake.ReleasedAt is { } released && released > since)
        {
            since = released;
        }

        var counts = await db
            .Database.SqlQuery<SendingCounts>(
                $"""
                SELECT count(*)::int AS sent, count(bounced_at)::int AS bounced, count(complained_at)::int AS complained
                FROM messages WHERE practice_id = {db.PracticeId} AND channel = 'email' AND member_id IS NULL AND sent_at > {since} AND sent_at <= {now}
                """
            )
            .SingleAsync(stop);
        return SendingBrake.Judge(counts, new BrakeLimits(brake.BouncePercent, brake.ComplaintPercent));
    }

    /// <summary>Lets mail go on; what went before counts no more. What stood still is judged now: late limits and hours count.</summary>
    /// <returns>False where nothing had stopped.</returns>
    public static async Task<bool> ReleaseAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var change = await SettingsChange.LockAsync(db, stop);
        var brake = change.Settings.Brake;
        if (brake.StoppedAt is null)
        {
            return false;
        }

        (brake.StoppedAt, brake.Why, brake.ReleasedAt) = (null, "", now);
        await change.SaveAsync(stop);
        await PracticeClock.JudgeNowAsync(db, null, now, stop);
        await transaction.CommitAsync(stop);
        return true;
    }
}
