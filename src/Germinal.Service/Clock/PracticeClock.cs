using Germinal.Core.Time;
using Germinal.Store;
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

    /// <summary>The date that is now, in the zone of the context's practice.</summary>
    public static async Task<LocalDate> TodayAsync(GerminalDb db, CancellationToken stop = default)
    {
        var zone = await db.Practices.Where(p => p.Id == db.PracticeId).Select(p => p.ZoneId).SingleAsync(stop);
        return (await NowAsync(db, stop)).InZone(LocalClock.Zone(zone) ?? DateTimeZone.Utc).Date;
    }

    /// <summary>
    /// A program was switched on, or a setting was changed: workers read both anew, and work the calendar out again for
    /// everybody of the practice, slice by slice (<see cref="LookAgainSliceAsync"/>).
    /// </summary>
    public static Task LookAgainAsync(GerminalDb db, CancellationToken stop = default) =>
        db
            .Practices.Where(p => p.Id == db.PracticeId)
            .ExecuteUpdateAsync(u => u.SetProperty(p => p.Edition, p => p.Edition + 1).SetProperty(p => p.LookAgainAfter, Guid.Empty), stop);

    /// <summary>What the engine knows of the practice is read anew, by every worker; nobody's calendar is worked out again.</summary>
    public static Task ReadAnewAsync(GerminalDb db, CancellationToken stop = default) =>
        db.Practices.Where(p => p.Id == db.PracticeId).ExecuteUpdateAsync(u => u.SetProperty(p => p.Edition, p => p.Edition + 1), stop);

    private const int Slice = 5000;

    /// <summary>
    /// Marks the next few thousand people whose calendar is to be worked out again, and notes how far it has come: no statement
    /// holds everybody's rows, and a worker that dies is followed by one that goes on.
    /// </summary>
    /// <returns>False when nobody was left.</returns>
    public static async Task<bool> LookAgainSliceAsync(GerminalDb db, Guid practice, CancellationToken stop = default)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var after = await db
            .Database.SqlQuery<Guid?>($"SELECT look_again_after AS \"Value\" FROM practices WHERE id = {practice} FOR UPDATE")
            .SingleAsync(stop);
        if (after is null)
        {
            return false;
        }

        var last = await db
            .Database.SqlQuery<Guid?>(
                $"""
                WITH slice AS (SELECT person_id FROM person_states WHERE practice_id = {practice} AND person_id > {after} ORDER BY person_id LIMIT {Slice} FOR UPDATE),
                  done AS (UPDATE person_states s SET next_alarm = '-infinity' FROM slice WHERE s.person_id = slice.person_id AND s.next_alarm > '-infinity')
                SELECT person_id AS "Value" FROM slice ORDER BY person_id DESC LIMIT 1
                """
            )
            .ToListAsync(stop);
        Guid? next = last is [{ } at] ? at : null;
        await db.Database.ExecuteSqlAsync($"UPDATE practices SET look_again_after = {next} WHERE id = {practice}", stop);
        await transaction.CommitAsync(stop);
        return next is not null;
    }

    /// <summary>The same for some people: one of their dates was changed.</summary>
    public static Task LookAgainAsync(GerminalDb db, IReadOnlyCollection<Guid> people, CancellationToken stop = default) =>
        db.States.Where(s => people.Contains(s.PersonId)).ExecuteUpdateAsync(u => u.SetProperty(s => s.NextAlarm, Instant.MinValue), stop);

    /// <summary>
    /// Asks for a judgement now of everybody who is on a program, or on any. Their states do not count what is paused or stands still; once
    /// that is over, a judgement works their next moment out again. They are taken in one order, as whoever locks several people does, so
    /// that two who do so never wait for each other.
    /// </summary>
    public static Task JudgeNowAsync(GerminalDb db, Guid? program, Instant now, CancellationToken stop) =>
        db.Database.ExecuteSqlAsync(
            $"""
            UPDATE person_states s SET next_due = least(s.next_due, {now}) FROM (
              SELECT person_id FROM person_states p WHERE practice_id = {db.PracticeId}
                AND EXISTS (SELECT 1 FROM runs r WHERE r.person_id = p.person_id AND ({program}::uuid IS NULL OR r.program_id = {program}::uuid) AND r.ended_at IS NULL)
              ORDER BY person_id FOR UPDATE) o
            WHERE s.person_id = o.person_id
            """,
            stop
        );
}
