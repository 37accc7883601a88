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

    /// <summary>
    /// A program was switched on, or a setting was changed: workers read both anew, and the calendar is worked out again for
    /// everybody of the practice.
    /// </summary>
    public static async Task LookAgainAsync(GerminalDb db, CancellationToken stop = default)
    {
        await db.Practices.Where(p => p.Id == db.PracticeId).ExecuteUpdateAsync(u => u.SetProperty(p => p.Edition, p => p.Edition + 1), stop);
        await db.States.Where(s => s.NextAlarm > Instant.MinValue).ExecuteUpdateAsync(u => u.SetProperty(s => s.NextAlarm, Instant.MinValue), stop);
    }

    /// <summary>The same for some people: one of their dates was changed.</summary>
    public static Task LookAgainAsync(GerminalDb db, IReadOnlyCollection<Guid> people, CancellationToken stop = default) =>
        db.States.Where(s => people.Contains(s.PersonId)).ExecuteUpdateAsync(u => u.SetProperty(s => s.NextAlarm, Instant.MinValue), stop);
}
