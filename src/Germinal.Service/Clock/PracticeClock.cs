using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Clock;

/// <summary>The time the engine believes it is.</summary>
public static class PracticeClock
{
    /// <summary>The practice's moment: the machine's, or where the clock stands.</summary>
    public static async Task<Instant> NowAsync(GerminalDb db, CancellationToken stop = default)
    {
        var clock = await db.Clock.AsNoTracking().SingleAsync(stop);
        return clock.Real ? SystemClock.Instance.GetCurrentInstant() : clock.Now;
    }

    /// <summary>Asks for the next sweep at once: a program was switched on, or a date was changed.</summary>
    public static Task SweepSoonAsync(GerminalDb db, CancellationToken stop = default) =>
        db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.SweptUntil, Instant.MinValue), stop);
}
