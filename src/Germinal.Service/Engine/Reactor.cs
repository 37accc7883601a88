using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>
/// Takes in new events and what the calendar brings: claims their people, asks the core, stores state and effects in one
/// transaction. Of one moment events come first, then the calendar.
/// </summary>
public sealed class Reactor(IDbContextFactory<GerminalDb> databases, Engines engines)
{
    private const int PeopleAtOnce = 500;

    /// <summary>The worker was only a little late; the moment itself counts.</summary>
    private static readonly Duration OnTime = Duration.FromMinutes(1);

    /// <summary>Takes in one batch of what has come to people of a practice by <paramref name="now"/>.</summary>
    /// <param name="practiceId">The practice.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="only">The one person to take, for finding out who stops a batch; null for all.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>How many people were taken in; 0 when there was nothing to do.</returns>
    public async Task<int> ReactAsync(Guid practiceId, Instant now, Guid? only, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var candidates = only is { } one ? [one] : await CandidatesAsync(db, practiceId, now, stop);
        if (candidates.Count == 0)
        {
            return 0;
        }

        var claimed = await db
            .Database.SqlQuery<Guid>(
                $"""
                SELECT person_id AS "Value" FROM person_states WHERE person_id = ANY({candidates.ToArray()}) AND set_aside IS NULL
                ORDER BY person_id FOR UPDATE SKIP LOCKED
                """
            )
            .ToListAsync(stop);
        if (claimed.Count == 0)
        {
            return 0;
        }

        await TakeInAsync(db, claimed, now, stop);
        await transaction.CommitAsync(stop);
        return claimed.Count;
    }

    /// <summary>Takes in what has come to people who are locked by the caller's transaction, who commits it.</summary>
    /// <param name="db">A context of their practice, with the transaction.</param>
    /// <param name="claimed">The people.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public async Task TakeInAsync(GerminalDb db, IReadOnlyCollection<Guid> claimed, Instant now, CancellationToken stop)
    {
        // The events first: whatever somebody changes while these people are read has its event in the next round, and what is read of them here
        // is never older than the events that are taken in with it.
        var events = (
            await db
                .Events.AsNoTracking()
                .Where(e => claimed.Contains(e.PersonId) && e.HandledAt == null && e.At <= now)
                .OrderBy(e => e.At)
                .ThenBy(e => e.Id)
                .ToListAsync(stop)
        ).ToLookup(e => e.PersonId);
        var batch = await EngineBatch.LoadAsync(db, claimed, engines, stop);
        var counts = await LiveCounts.LockAsync(db, batch.Engine, now, stop);
        var recorder = new Recorder(db, batch.Engine);
        var turned = counts is null ? [] : TurnTheDay(batch, recorder, [.. claimed.Where(id => !events[id].Any())], now, counts);
        foreach (var id in claimed)
        {
            TakeIn(batch, recorder, id, turned.GetValueOrDefault(id), new Queue<EventRow>(events[id]), now, counts);
        }

        await recorder.WriteAsync(Instant.MinValue, stop);
        foreach (var kept in events.SelectMany(e => e).Where(e => e.After is not null))
        {
            await db
                .Events.Where(e => e.Id == kept.Id)
                .ExecuteUpdateAsync(u => u.SetProperty(e => e.Before, kept.Before).SetProperty(e => e.After, kept.After), stop);
        }

        var handled = events.SelectMany(e => e).Where(e => e.HandledAt != null).Select(e => e.Id).ToArray();
        await db.Database.ExecuteSqlAsync($"UPDATE events SET handled_at = {now} WHERE id = ANY({handled})", stop);
    }

    private static Task<List<Guid>> CandidatesAsync(GerminalDb db, Guid practiceId, Instant now, CancellationToken stop) =>
        db
            .Database.SqlQuery<Guid>(
                $"""
                SELECT person_id AS "Value" FROM (
                  SELECT person_id, min(at) AS first FROM (
                    (SELECT person_id, at FROM events WHERE handled_at IS NULL AND at <= {now} AND practice_id = {practiceId} ORDER BY at, id LIMIT 2000)
                    UNION ALL
                    (SELECT person_id, next_alarm FROM person_states WHERE next_alarm <= {now} AND practice_id = {practiceId} AND set_aside IS NULL ORDER BY next_alarm LIMIT {PeopleAtOnce})
                  ) w GROUP BY person_id ORDER BY 2, 1 LIMIT {PeopleAtOnce}
                ) c
                """
            )
            .ToListAsync(stop);

    /// <summary>
    /// Rule 5.5: at the turn of the day those that wait ask again, first come first served over everybody. Gives back how each
    /// of them stands afterwards.
    /// </summary>
    private static Dictionary<Guid, (Advance Advance, Instant At)> TurnTheDay(
        EngineBatch batch,
        Recorder recorder,
        List<Guid> people,
        Instant now,
        LiveCounts counts
    )
    {
        var engine = batch.Engine;
        var standing = new Dictionary<Guid, (Advance Advance, Instant At)>();
        var asking = new List<(AskOrder Order, Guid Person, Guid Program)>();
        foreach (var id in people)
        {
            var advance = new Advance(batch.StateOf(id), batch.Facts[id], []);
            if (
                advance.State.Waiting.IsEmpty
                || Alarms.Next(engine, advance.Person, advance.State, batch.States[id].AlarmsFrom, now).OfType<NewDay>().FirstOrDefault() is not { } day
            )
            {
                continue;
            }

            standing[id] = (advance, day.At);
            foreach (var start in advance.State.Waiting.DistinctBy(w => w.ProgramId))
            {
                var definition = engine.Shelf.On.FirstOrDefault(p => p.Current.ProgramId == start.ProgramId)?.Current.Definition;
                asking.Add(
                    (new AskOrder(day.At, start.Came, definition?.Priority ?? 0, advance.Person.Handle, definition?.Name ?? "", -1), id, start.ProgramId)
                );
            }
        }

        foreach (var (_, person, program) in asking.OrderBy(a => a.Order))
        {
            var (advance, at) = standing[person];
            advance = engine.React(advance.Person, advance.State, new NewDay(at, program), counts);
            standing[person] = (advance, at);
            recorder.Take(batch.States[person], advance);
        }

        return standing;
    }

    /// <summary>Everything that has come to one person, moment by moment.</summary>
    private static void TakeIn(
        EngineBatch batch,
        Recorder recorder,
        Guid id,
        (Advance Advance, Instant At) turned,
        Queue<EventRow> events,
        Instant now,
        LiveCounts? counts
    )
    {
        var row = batch.States[id];
        var engine = batch.Engine;
        var after = row.AlarmsFrom == Instant.MinValue ? now - LongestGrace(engine) - Duration.Epsilon : row.AlarmsFrom;
        var advance = turned.Advance ?? new Advance(batch.StateOf(id), batch.Facts[id], []);
        void Happen(Happening happening)
        {
            advance = engine.React(advance.Person, advance.State, happening, counts);
            if (happening is MovedToVersion moved)
            {
                recorder.TakeMoved(row, advance, moved.ProgramId);
            }
            else
            {
                recorder.Take(row, advance);
            }
        }

        // What comes up once everything is taken in belongs to a later round.
        row.AlarmsFrom = Instant.Max(now, after);
        while (true)
        {
            var alarms = Alarms.Next(engine, advance.Person, advance.State, after, now);
            if (events.TryPeek(out var next) && (alarms.Count == 0 || next.At <= alarms[0].At))
            {
                events.Dequeue();
                next.HandledAt = now;
                if (!EventKinds.IsForReadingOnly(next.Kind) && EventKinds.ToHappening(next) is { } happening)
                {
                    var before = advance.State;
                    Happen(happening);
                    if (EventUndo.IsWorthKeeping(next, advance.Effects))
                    {
                        (next.Before, next.After) = (PersonStateJson.Write(before), PersonStateJson.Write(advance.State));
                    }
                }

                continue;
            }

            if (alarms.Count == 0)
            {
                break;
            }

            foreach (var alarm in alarms.Where(a => a is not NewDay || turned.Advance is null || a.At != turned.At))
            {
                Bring(engine, recorder, id, alarm, now, Happen);
            }

            after = alarms[0].At;
        }

        recorder.SetAlarm(row, advance);
    }

    /// <summary>One thing the calendar brings: at its moment; at once where the service was away; not at all where that is too long ago.</summary>
    private static void Bring(TouchEngine engine, Recorder recorder, Guid person, Happening alarm, Instant now, Action<Happening> happen)
    {
        if (alarm is OccasionCame occasion && GraceOf(engine, occasion) is { } grace && now - alarm.At > grace)
        {
            recorder.Missed(person, occasion.ProgramId, now, new StartCause(CauseKind.Occasion, occasion.Name));
            return;
        }

        recorder.Log(person, alarm);
        happen(now - alarm.At > OnTime ? alarm with { At = now } : alarm);
    }

    private static Duration? GraceOf(TouchEngine engine, OccasionCame occasion) =>
        engine
            .Shelf.On.FirstOrDefault(p => p.Current.ProgramId == occasion.ProgramId)
            ?.Current.Definition.StartsWhen.OfType<OccasionTrigger>()
            .Where(t => string.Equals(t.Date, occasion.Name, StringComparison.OrdinalIgnoreCase))
            .Select(t => (Duration?)Duration.FromDays(t.GraceDays))
            .Max();

    /// <summary>How far back the calendar is looked at for somebody new: as far as any program forgives (rule 4.3).</summary>
    private static Duration LongestGrace(TouchEngine engine) =>
        Duration.FromDays(
            engine.Shelf.On.SelectMany(p => p.Current.Definition.StartsWhen.OfType<OccasionTrigger>()).Select(t => t.GraceDays).DefaultIfEmpty(0).Max()
        );
}
