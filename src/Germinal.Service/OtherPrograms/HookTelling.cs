using Germinal.Channels;
using Germinal.Channels.Hooks;
using Germinal.Service.Engine;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.OtherPrograms;

/// <summary>Tells other programs what is due, many side by side, each until it is taken or a day has gone by.</summary>
/// <param name="databases">Contexts of all practices.</param>
/// <param name="caller">Tells.</param>
/// <param name="secrets">Opens the keys calls are signed with.</param>
public sealed class HookTelling(IDbContextFactory<GerminalDb> databases, HookCaller caller, Secrets secrets)
{
    private const int AtOnce = 20;

    /// <summary>Longer than a call can take, so that nobody else tells what is being told.</summary>
    private static readonly Duration Lease = Duration.FromMinutes(2);

    /// <summary>For so long it is told again.</summary>
    private static readonly Duration Patience = Duration.FromDays(1);

    /// <summary>Where an address does not take what it is told, the rest of what is due for it waits so long: nobody else waits behind it.</summary>
    private static readonly Duration Rest = Duration.FromMinutes(1);

    /// <summary>After how long what was not taken is told again, each time; then as the last time.</summary>
    private static readonly Duration[] Again =
    [
        Duration.FromSeconds(10),
        Duration.FromMinutes(1),
        Duration.FromMinutes(5),
        Duration.FromMinutes(30),
        Duration.FromHours(1),
        Duration.FromHours(3),
        Duration.FromHours(7),
        Duration.FromHours(12),
    ];

    /// <summary>For how long what was told is kept to be seen.</summary>
    public static Duration KeptFor { get; } = Duration.FromDays(14);

    private sealed record Claimed(long Id, Guid HookId, Guid PracticeId, string Body, Instant At, int Attempts, string Address, string SealedSecret);

    /// <summary>Tells what is due by the machine's time, until nothing is.</summary>
    /// <returns>How many calls were made.</returns>
    public async Task<int> TellDueAsync(Instant now, CancellationToken stop)
    {
        var told = 0;
        while (true)
        {
            List<Claimed> claimed;
            await using (var db = await databases.CreateDbContextAsync(stop))
            {
                claimed = await db
                    .Database.SqlQuery<Claimed>(
                        $"""
                        WITH due AS (
                          SELECT c.id FROM hook_calls c JOIN hooks h ON h.id = c.hook_id
                          WHERE c.taken_at IS NULL AND c.next_at <= {now} AND h.ended_at IS NULL AND c.practice_id NOT IN (SELECT id FROM practices WHERE stopped_at IS NOT NULL) ORDER BY c.next_at, c.id LIMIT {AtOnce} FOR UPDATE OF c SKIP LOCKED)
                        UPDATE hook_calls c SET next_at = {now + Lease}, attempts = c.attempts + 1 FROM due, hooks h
                        WHERE c.id = due.id AND h.id = c.hook_id RETURNING c.id, c.hook_id, c.practice_id, c.body, c.at, c.attempts, h.address, h.sealed_secret
                        """
                    )
                    .ToListAsync(stop);
            }

            if (claimed.Count == 0)
            {
                return told;
            }

            await Task.WhenAll(claimed.Select(c => TellAsync(c, now, stop)));
            told += claimed.Count;
        }
    }

    private async Task TellAsync(Claimed call, Instant now, CancellationToken stop)
    {
        var answer =
            OutsideFetch.AddressOf(call.Address) is not { } address ? new HookAnswer(false, false, Said("this is no address"))
            : secrets.Unseal(call.SealedSecret) is not { } secret ? new HookAnswer(false, false, Said("its key cannot be opened with this installation’s keys; end it, and add it anew"))
            : await caller.TellAsync(address, HookSecret.Bytes(secret), MessageId(call.Id), call.Body, SystemClock.Instance.GetCurrentInstant(), stop);
        var again = now + Again[Math.Min(call.Attempts, Again.Length) - 1];
        var next = answer.Taken || again - call.At > Patience ? Instant.MaxValue : again;
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = call.PracticeId;
        await db
            .HookCalls.Where(c => c.Id == call.Id)
            .ExecuteUpdateAsync(
                u => u.SetProperty(c => c.NextAt, next).SetProperty(c => c.LastAnswer, answer.Words).SetProperty(c => c.TakenAt, answer.Taken ? now : (Instant?)null),
                stop
            );
        if (!answer.Taken)
        {
            var rested = now + Rest;
            await db.HookCalls.Where(c => c.HookId == call.HookId && c.TakenAt == null && c.NextAt <= now).ExecuteUpdateAsync(u => u.SetProperty(c => c.NextAt, rested), stop);
        }

        if (answer.Gone)
        {
            await db
                .Hooks.Where(h => h.Id == call.HookId && h.EndedAt == null)
                .ExecuteUpdateAsync(u => u.SetProperty(h => h.EndedAt, now).SetProperty(h => h.Why, Said("The other side said that it is not to be told again (410).")), stop);
        }
    }

    /// <summary>What a call is known by to the other side, the same each time it is told.</summary>
    public static string MessageId(long call) => string.Create(System.Globalization.CultureInfo.InvariantCulture, $"msg_{call}");

    /// <summary>Forgets what was told a while ago, taken or given up.</summary>
    public static Task ForgetAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        var old = now - KeptFor;
        return db.HookCalls.IgnoreQueryFilters([GerminalDb.Owned]).Where(c => c.At < old).ExecuteDeleteAsync(stop);
    }
}
