using Germinal.Core.Engine;
using Germinal.Service.Clock;
using Germinal.Service.People;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Incoming;

/// <summary>A message that came back.</summary>
public static class Bounces
{
    /// <summary>Notes it at the message, tells the engine, and leaves an address alone that will never work (check 5 of section 8).</summary>
    /// <param name="db">A context.</param>
    /// <param name="touch">The touch whose message it was.</param>
    /// <param name="hard">True where the address will never work.</param>
    /// <param name="reason">Why the address is suppressed, if it is.</param>
    /// <param name="words">What the provider said.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task TakeAsync(GerminalDb db, TouchOf touch, bool hard, string reason, string words, CancellationToken stop)
    {
        db.PracticeId = touch.PracticeId;
        var now = await PracticeClock.NowAsync(db, stop);
        await using var transaction = db.Database.CurrentTransaction is null ? await db.Database.BeginTransactionAsync(stop) : null;
        var how = hard ? "hard" : "soft";
        await db
            .Messages.Where(m => m.TouchId == touch.TouchId)
            .ExecuteUpdateAsync(u => u.SetProperty(m => m.BouncedAt, now).SetProperty(m => m.Bounce, how), stop);
        if (hard)
        {
            await SuppressAsync(db, touch.Message.ToAddress, reason, now, stop);
        }

        var desk = new PeopleDesk(db, Said("the provider"), now);
        db.Events.Add(
            desk.NewEvent(
                touch.PersonId,
                new Bounced(now, touch.ProgramId, touch.StepId, hard, Words.ChannelOf(touch.Message.Channel)),
                touch.Word,
                ("words", words),
                ("address", touch.Message.ToAddress)
            )
        );
        await db.SaveChangesAsync(stop);
        if (transaction is not null)
        {
            await transaction.CommitAsync(stop);
        }
    }

    /// <summary>Nothing is sent to an address any more.</summary>
    public static Task<int> SuppressAsync(GerminalDb db, string address, string reason, Instant now, CancellationToken stop)
    {
        var low = address.ToLowerInvariant();
        return db.Database.ExecuteSqlAsync(
            $"INSERT INTO suppressions (practice_id, address, reason, at) VALUES ({db.PracticeId!.Value}, {low}, {reason}, {now}) ON CONFLICT DO NOTHING",
            stop
        );
    }
}
