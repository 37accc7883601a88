using Germinal.Core.Engine;
using Germinal.Service.Broadcasts;
using Germinal.Service.Clock;
using Germinal.Service.Inquiries;
using Germinal.Service.Mails;
using Germinal.Service.Numbers;
using Germinal.Service.Programs;
using Germinal.Service.Today;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Logging;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>
/// Runs reactor and dispatcher until a moment has nothing left to do, and moves the clock from moment to moment. Any number
/// of them work side by side.
/// </summary>
public sealed partial class EngineRoom(IDbContextFactory<GerminalDb> databases, Reactor reactor, Dispatcher dispatcher, OwnMails mails, MorningLetters mornings, MonthlyLetters monthly, BroadcastMoments broadcasts, ILogger<EngineRoom> log)
{
    /// <summary>Does everything that is due now, in order: what was interrupted, events and the calendar, touches.</summary>
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
            await MoveAsync(stop);
            return true;
        }

        return await DoMomentAsync(await PracticeClock.NowAsync(db, stop), stop);
    }

    /// <summary>
    /// One look, answered from indexes, so that a worker with nothing to do costs next to nothing. The earliest moment is asked
    /// for, not whether there is one by now: against a clock that is a column, the planner would rather read the whole table.
    /// What is due in practices that are stopped is passed over.
    /// </summary>
    private static async Task<bool> AnythingToDoAsync(GerminalDb db, CancellationToken stop)
    {
        var machine = SystemClock.Instance.GetCurrentInstant();
        var answers = await db
            .Database.SqlQuery<bool>(
                $"""
                SELECT coalesce(c.move_to IS NOT NULL
                  OR EXISTS (SELECT 1 FROM practices WHERE look_again_after IS NOT NULL AND stopped_at IS NULL)
                  OR EXISTS (SELECT 1 FROM programs WHERE paused_until <= n.now AND practice_id <> ALL(q.stopped))
                  OR EXISTS (SELECT 1 FROM events e WHERE e.handled_at IS NULL AND e.at <= n.now AND e.practice_id <> ALL(q.stopped) AND NOT EXISTS (SELECT 1 FROM person_states s WHERE s.person_id = e.person_id AND s.set_aside IS NOT NULL))
                  OR (SELECT min(next_due) FROM person_states WHERE set_aside IS NULL AND practice_id <> ALL(q.stopped)) <= n.now
                  OR (SELECT min(next_alarm) FROM person_states WHERE set_aside IS NULL AND practice_id <> ALL(q.stopped)) <= n.now
                  OR (SELECT min(next_try) FROM own_mails WHERE status IN ('waiting', 'handing') AND practice_id <> ALL(q.stopped)) <= {machine}
                  OR (SELECT min(deputy_at) FROM inquiries WHERE answered_at IS NULL AND deputy_at IS NOT NULL AND practice_id <> ALL(q.stopped)) <= n.now
                  OR (SELECT min(morning_due) FROM "AspNetUsers" WHERE morning_due IS NOT NULL AND practice_id <> ALL(q.stopped)) <= n.now
                  OR (SELECT min(monthly_due) FROM "AspNetUsers" WHERE monthly_due IS NOT NULL AND practice_id <> ALL(q.stopped)) <= n.now
                  OR (SELECT min(begins_at) FROM broadcasts WHERE status = 'waiting' AND practice_id <> ALL(q.stopped)) <= n.now
                  OR (SELECT min(decide_at) FROM broadcasts WHERE decide_at IS NOT NULL AND practice_id <> ALL(q.stopped)) <= n.now
                  OR EXISTS (SELECT 1 FROM touches t WHERE status = 'handing' AND leased_until < {machine} AND t.practice_id <> ALL(q.stopped) AND NOT EXISTS (SELECT 1 FROM person_states s WHERE s.person_id = t.person_id AND s.set_aside IS NOT NULL)), false) AS "Value"
                FROM clock c, LATERAL (SELECT CASE WHEN c.real THEN {machine} ELSE c.now END AS now) n, (SELECT ARRAY(SELECT id FROM practices WHERE stopped_at IS NOT NULL) AS stopped) q
                """
            )
            .ToListAsync(stop);
        return answers is [true];
    }

    /// <summary>Moves the clock to its target through every moment in between, in order. Workers that do so together agree on each step.</summary>
    private async Task MoveAsync(CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        while (await db.Clock.AsNoTracking().SingleAsync(stop) is { MoveTo: { } target } clock)
        {
            var did = await DoMomentAsync(clock.Now, stop);
            if (clock.StopAsked || clock.Now >= target)
            {
                await db
                    .Clock.Where(c => c.Now == clock.Now)
                    .ExecuteUpdateAsync(
                        u => u.SetProperty(c => c.MoveFrom, (Instant?)null).SetProperty(c => c.MoveTo, (Instant?)null).SetProperty(c => c.StopAsked, false),
                        stop
                    );
                return;
            }

            var next = await NextMomentAsync(db, clock.Now, stop);
            if (next is not { } moment)
            {
                // Another worker is still at this moment, or a provider is away: time does not pass over what is on its way out.
                await Task.Delay(did ? TimeSpan.FromMilliseconds(2) : TimeSpan.FromMilliseconds(50), stop);
                continue;
            }

            // Only whoever saw the clock where it still stands may move it; a stop asked for meanwhile keeps it there.
            var now = Instant.Min(moment, target);
            await db.Clock.Where(c => !c.StopAsked && c.Now == clock.Now && c.MoveTo != null).ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, now), stop);
        }
    }

    /// <summary>The next moment after one at which anything happens; the end of time when nothing does; null while this one is not over.</summary>
    private static async Task<Instant?> NextMomentAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        var moments = await db
            .Database.SqlQuery<Instant?>(
                $"""
                SELECT CASE WHEN EXISTS (SELECT 1 FROM practices WHERE look_again_after IS NOT NULL AND stopped_at IS NULL) OR EXISTS (SELECT 1 FROM touches t WHERE status = 'handing' AND t.practice_id <> ALL(q.stopped) AND NOT EXISTS (SELECT 1 FROM person_states s WHERE s.person_id = t.person_id AND s.set_aside IS NOT NULL)) THEN NULL ELSE coalesce(least(
                  (SELECT min(at) FROM events e WHERE handled_at IS NULL AND e.practice_id <> ALL(q.stopped) AND NOT EXISTS (SELECT 1 FROM person_states s WHERE s.person_id = e.person_id AND s.set_aside IS NOT NULL)),
                  (SELECT min(paused_until) FROM programs WHERE practice_id <> ALL(q.stopped)),
                  (SELECT min(deputy_at) FROM inquiries WHERE answered_at IS NULL AND deputy_at IS NOT NULL AND practice_id <> ALL(q.stopped)),
                  (SELECT min(morning_due) FROM "AspNetUsers" WHERE morning_due IS NOT NULL AND practice_id <> ALL(q.stopped)),
                  (SELECT min(monthly_due) FROM "AspNetUsers" WHERE monthly_due IS NOT NULL AND practice_id <> ALL(q.stopped)),
                  (SELECT min(begins_at) FROM broadcasts WHERE status = 'waiting' AND practice_id <> ALL(q.stopped)),
                  (SELECT min(decide_at) FROM broadcasts WHERE decide_at IS NOT NULL AND practice_id <> ALL(q.stopped)),
                  (SELECT min(next_due) FROM person_states WHERE set_aside IS NULL AND practice_id <> ALL(q.stopped)),
                  (SELECT min(next_alarm) FROM person_states WHERE set_aside IS NULL AND practice_id <> ALL(q.stopped))), 'infinity') END AS "Value"
                FROM (SELECT ARRAY(SELECT id FROM practices WHERE stopped_at IS NOT NULL) AS stopped) q
                """
            )
            .ToListAsync(stop);
        return moments[0] is { } at && at > now ? at : null;
    }

    /// <summary>Everything that is due at a moment, and what comes of it, until nothing is left.</summary>
    private async Task<bool> DoMomentAsync(Instant now, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        var any = false;
        while (true)
        {
            var round = false;
            foreach (var due in await DuePracticesAsync(db, now, stop))
            {
                round |= due.Resume && await ResumeAsync(due.Id, now, stop);
                round |= due.LookAgain && await PracticeClock.LookAgainSliceAsync(db, due.Id, stop);
                round |= due.Broadcasts && await broadcasts.TakeDueAsync(due.Id, now, stop);
                round |= due.Deputies && await InquiryGiving.DeputiesAsync(databases, due.Id, now, stop);
                round |= due.Mornings && await mornings.WriteDueAsync(due.Id, now, stop);
                round |= due.Monthly && await monthly.WriteDueAsync(due.Id, now, stop);
                round |= due.Mails && await mails.SendDueAsync(due.Id, stop);
                // Touches are judged when nothing is left to react to, so that all that are due together stand in one order.
                round |=
                    (due.Recover && await DoAsync(due.Id, now, dispatcher.RecoverAsync, DuePeople.Recovering, stop))
                    || (due.React && await DoAsync(due.Id, now, reactor.ReactAsync, DuePeople.Reacting, stop))
                    || (due.Dispatch && await DoAsync(due.Id, now, dispatcher.DispatchAsync, DuePeople.Dispatching, stop));
            }

            if (!round)
            {
                return any;
            }

            any = true;
        }
    }

    private async Task<bool> ResumeAsync(Guid practice, Instant now, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practice;
        return await ProgramDesk.ResumeWhatIsOverAsync(db, now, stop);
    }

    private sealed record DuePractice(Guid Id, bool Resume, bool LookAgain, bool Deputies, bool Mornings, bool Monthly, bool Broadcasts, bool Mails, bool Recover, bool React, bool Dispatch);

    /// <summary>The practices with something due, and what; one look, answered from indexes.</summary>
    private static Task<List<DuePractice>> DuePracticesAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        var machine = SystemClock.Instance.GetCurrentInstant();
        return db
            .Database.SqlQuery<DuePractice>(
                $"""
                SELECT * FROM (
                  SELECT p.id, EXISTS (SELECT 1 FROM programs g WHERE g.paused_until <= {now} AND g.practice_id = p.id) AS resume, p.look_again_after IS NOT NULL AS look_again,
                    EXISTS (SELECT 1 FROM inquiries i WHERE i.answered_at IS NULL AND i.deputy_at <= {now} AND i.practice_id = p.id) AS deputies,
                    EXISTS (SELECT 1 FROM "AspNetUsers" u WHERE u.morning_due <= {now} AND u.practice_id = p.id) AS mornings,
                    EXISTS (SELECT 1 FROM "AspNetUsers" u WHERE u.monthly_due <= {now} AND u.practice_id = p.id) AS monthly,
                    EXISTS (SELECT 1 FROM broadcasts b WHERE ((b.status = 'waiting' AND b.begins_at <= {now}) OR b.decide_at <= {now}) AND b.practice_id = p.id) AS broadcasts,
                    EXISTS (SELECT 1 FROM own_mails m WHERE m.status IN ('waiting', 'handing') AND m.next_try <= {machine} AND m.practice_id = p.id) AS mails,
                    EXISTS (SELECT 1 FROM touches t WHERE t.status = 'handing' AND t.leased_until < {machine} AND t.practice_id = p.id AND NOT EXISTS (SELECT 1 FROM person_states s WHERE s.person_id = t.person_id AND s.set_aside IS NOT NULL)) AS recover,
                    EXISTS (SELECT 1 FROM events e WHERE e.handled_at IS NULL AND e.at <= {now} AND e.practice_id = p.id AND NOT EXISTS (SELECT 1 FROM person_states s WHERE s.person_id = e.person_id AND s.set_aside IS NOT NULL))
                      OR EXISTS (SELECT 1 FROM person_states s WHERE s.next_alarm <= {now} AND s.practice_id = p.id AND s.set_aside IS NULL) AS react,
                    EXISTS (SELECT 1 FROM person_states s WHERE s.next_due <= {now} AND s.practice_id = p.id AND s.set_aside IS NULL) AS dispatch
                  FROM practices p WHERE p.stopped_at IS NULL) d WHERE resume OR look_again OR deputies OR mornings OR monthly OR broadcasts OR mails OR recover OR react OR dispatch ORDER BY id
                """
            )
            .ToListAsync(stop);
    }

    /// <summary>
    /// One batch of work. Where it fails for a reason of its own, its people are taken one by one, and whoever makes it fail
    /// is set aside with the error, so that nobody else waits for them.
    /// </summary>
    private async Task<bool> DoAsync(
        Guid practice,
        Instant now,
        Func<Guid, Instant, Guid?, CancellationToken, Task<int>> work,
        string due,
        CancellationToken stop
    )
    {
        try
        {
            return await work(practice, now, null, stop) > 0;
        }
#pragma warning disable CA1031 // Whatever it is, one person's trouble must not stop everybody's work.
        catch (Exception e) when (!PassingTrouble.Is(e, stop))
#pragma warning restore CA1031
        {
            LogBatchFailed(log, e);
            return await OneByOneAsync(practice, now, work, due, stop);
        }
    }

    private async Task<bool> OneByOneAsync(
        Guid practice,
        Instant now,
        Func<Guid, Instant, Guid?, CancellationToken, Task<int>> work,
        string due,
        CancellationToken stop
    )
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practice;
        foreach (var person in await DuePeople.FindAsync(db, due, now, stop))
        {
            try
            {
                await work(practice, now, person, stop);
            }
#pragma warning disable CA1031
            catch (Exception e) when (!PassingTrouble.Is(e, stop))
#pragma warning restore CA1031
            {
                LogSetAside(log, e, person);
                await DuePeople.SetAsideAsync(db, person, e, stop);
            }
        }

        return true;
    }

    [LoggerMessage(Level = LogLevel.Warning, Message = "A batch failed; its people are taken one by one")]
    private static partial void LogBatchFailed(ILogger logger, Exception error);

    [LoggerMessage(Level = LogLevel.Error, Message = "Work on person {Person} is set aside")]
    private static partial void LogSetAside(ILogger logger, Exception error, Guid person);
}

/// <summary>Who has something to do at a moment, for looking at them one by one, and setting aside who makes it fail.</summary>
internal static class DuePeople
{
    public const string Recovering = "recovering";
    public const string Reacting = "reacting";
    public const string Dispatching = "dispatching";
    private const int AtOnce = 500;

    /// <summary>Nothing is done for a person any more until a member has seen to it; the error's own words stand under <i>Needs mending</i>.</summary>
    public static Task SetAsideAsync(GerminalDb db, Guid person, Exception error, CancellationToken stop)
    {
        var words = error.GetBaseException().Message;
        return db.States.Where(s => s.PersonId == person).ExecuteUpdateAsync(u => u.SetProperty(s => s.SetAside, words), stop);
    }

    public static async Task<List<Guid>> FindAsync(GerminalDb db, string due, Instant now, CancellationToken stop) =>
        due switch
        {
            Recovering => await db
                .Touches.AsNoTracking()
                .Where(t => t.Status == TouchStatus.Handing)
                .Select(t => t.PersonId)
                .Distinct()
                .Take(AtOnce)
                .ToListAsync(stop),
            Reacting => await db
                .States.AsNoTracking()
                .Where(s => s.SetAside == null && (s.NextAlarm <= now || db.Events.Any(e => e.PersonId == s.PersonId && e.HandledAt == null && e.At <= now)))
                .OrderBy(s => s.NextAlarm)
                .Select(s => s.PersonId)
                .Take(AtOnce)
                .ToListAsync(stop),
            _ => await db
                .States.AsNoTracking()
                .Where(s => s.SetAside == null && s.NextDue <= now)
                .OrderBy(s => s.NextDue)
                .Select(s => s.PersonId)
                .Take(AtOnce)
                .ToListAsync(stop),
        };
}
