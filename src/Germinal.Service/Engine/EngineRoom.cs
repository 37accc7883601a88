using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>Runs sweep, reactor and dispatcher until a moment has nothing left to do, and moves the clock from moment to moment.</summary>
public sealed class EngineRoom(IDbContextFactory<GerminalDb> databases, Reactor reactor, Dispatcher dispatcher, Sweep sweep)
{
    /// <summary>Does everything that is due now, in order: what was interrupted, occasions, events, touches.</summary>
    /// <returns>True when anything was done.</returns>
    public async Task<bool> WorkAsync(CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        if (!await AnythingToDoAsync(db, stop))
        {
            return false;
        }

        var clock = await db.Clock.AsNoTracking().SingleAsync(stop);
        if (clock.MoveTo is not null)
        {
            await MoveAsync(clock, stop);
            return true;
        }

        var now = clock.Real ? SystemClock.Instance.GetCurrentInstant() : clock.Now;
        return await DoMomentAsync(clock.SweptUntil, now, stop);
    }

    /// <summary>One look, answered from indexes, so that a worker with nothing to do costs next to nothing.</summary>
    private static async Task<bool> AnythingToDoAsync(GerminalDb db, CancellationToken stop)
    {
        var machine = SystemClock.Instance.GetCurrentInstant();
        var answers = await db.Database.SqlQuery<bool>(
            $"""
            SELECT c.move_to IS NOT NULL OR c.swept_until <= n.now
              OR EXISTS (SELECT 1 FROM events WHERE handled_at IS NULL AND at <= n.now)
              OR EXISTS (SELECT 1 FROM person_states WHERE next_due <= n.now)
              OR EXISTS (SELECT 1 FROM touches WHERE status = 'handing' AND leased_until < {machine}) AS "Value"
            FROM clock c, LATERAL (SELECT CASE WHEN c.real THEN {machine} ELSE c.now END AS now) n
            """).ToListAsync(stop);
        return answers is [true];
    }

    /// <summary>Moves the clock to its target through every moment in between, in order.</summary>
    private async Task MoveAsync(ClockRow clock, CancellationToken stop)
    {
        var target = clock.MoveTo!.Value;
        await using var db = await databases.CreateDbContextAsync(stop);
        while (true)
        {
            clock = await db.Clock.AsNoTracking().SingleAsync(stop);
            await DoMomentAsync(clock.SweptUntil, clock.Now, stop);
            if (clock.StopAsked || clock.Now >= target)
            {
                await db.Clock.ExecuteUpdateAsync(
                    u => u.SetProperty(c => c.MoveFrom, (Instant?)null).SetProperty(c => c.MoveTo, (Instant?)null).SetProperty(c => c.StopAsked, false), stop);
                return;
            }

            var next = await NextMomentAsync(db, clock.Now, stop);
            if (next is null)
            {
                // The mail server is away: time does not pass over letters that are on their way out.
                await Task.Delay(TimeSpan.FromSeconds(1), stop);
                continue;
            }

            var now = Instant.Min(next.Value, target);
            // A stop asked for meanwhile keeps the clock where it is.
            await db.Clock.Where(c => !c.StopAsked).ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, now), stop);
        }
    }

    /// <summary>The next moment after one at which anything happens; the end of time when nothing does; null while letters are on their way out.</summary>
    private static async Task<Instant?> NextMomentAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        var moments = await db.Database.SqlQuery<Instant?>(
            $"""
            SELECT CASE WHEN EXISTS (SELECT 1 FROM touches WHERE status = 'handing') THEN NULL ELSE coalesce(least(
              (SELECT min(at) FROM events WHERE handled_at IS NULL),
              (SELECT min(next_due) FROM person_states),
              (SELECT swept_until FROM clock)), 'infinity') END AS "Value"
            """).ToListAsync(stop);
        return moments[0] is { } at ? Instant.Max(at, now.PlusTicks(1)) : null;
    }

    private async Task<bool> DoMomentAsync(Instant sweptUntil, Instant now, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        var practices = await db.Practices.AsNoTracking().Select(p => p.Id).ToListAsync(stop);
        var any = false;
        if (sweptUntil <= now)
        {
            foreach (var practice in practices)
            {
                await sweep.SweepAsync(practice, now, stop);
            }

            var next = now + Duration.FromDays(1);
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.SweptUntil, next), stop);
        }

        foreach (var practice in practices)
        {
            while (await dispatcher.RecoverAsync(practice, stop) || await reactor.ReactAsync(practice, now, stop) || await dispatcher.DispatchAsync(practice, now, stop))
            {
                any = true;
            }
        }

        return any;
    }
}
