using System.Collections.Concurrent;
using Germinal.Channels;
using Germinal.Core.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Logging;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>
/// Judges what is due and hands it to its channel. A touch is committed as <i>handing</i> with a fresh attempt id before
/// the channel sees it, and its outcome is committed afterwards; after a crash the provider is asked by the touch's own key.
/// What a provider does not take for now is tried again after waits that grow, and judged anew each time.
/// </summary>
public sealed partial class Dispatcher(
    IDbContextFactory<GerminalDb> databases, Engines engines, Handing handing, ILogger<Dispatcher> log)
{
    private const int PeopleAtOnce = 200;

    /// <summary>After so many, other practices and what has come in meanwhile have their turn.</summary>
    private const int BatchesInARow = 10;

    /// <summary>Where people share a limit they are judged in one order, so that as many as may be due together are taken together.</summary>
    private const int PeopleInOneOrder = 2000;

    /// <summary>Messages on their way to providers side by side; the rest of a batch has not been begun.</summary>
    private const int AtOnce = 16;

    private static readonly Duration Lease = Duration.FromSeconds(20);

    /// <summary>Waits between attempts at one message; the last one goes on.</summary>
    private static readonly Duration[] Waits = [.. new[] { 2, 5, 10, 30, 60, 300, 900 }.Select(s => Duration.FromSeconds(s))];

    // A provider that is away is left alone for a while, not asked once for every message that is due.
    private readonly ConcurrentDictionary<(Guid Practice, string Channel), (Instant Until, int Times)> away = [];

    private static Instant MachineNow => SystemClock.Instance.GetCurrentInstant();

    /// <summary>
    /// Judges a few batches of a practice's people with something due by <paramref name="now"/>, and sends what passed. While
    /// one batch is on its way the next is judged, and what became of the one before is written down.
    /// </summary>
    /// <param name="practiceId">The practice.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="only">The one person to take, for finding out who stops a batch; null for all.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>How many people were judged; 0 when nothing was due.</returns>
    public async Task<int> DispatchAsync(Guid practiceId, Instant now, Guid? only, CancellationToken stop)
    {
        var judged = 0;
        var (sending, before, recording) = (Task.CompletedTask, Task.CompletedTask, Task.CompletedTask);
        try
        {
            for (var i = 0; i < BatchesInARow; i++)
            {
                var (batch, handed, people) = await JudgeAsync(practiceId, now, only, stop);
                await sending;
                await before;
                if (people == 0)
                {
                    break;
                }

                judged += people;
                before = recording;
                var sent = HandOverAsync(practiceId, batch!, handed, stop);
                sending = sent;
                recording = RecordAfterAsync(practiceId, before, sent, stop);
            }
        }
        finally
        {
            // Where writing one batch down fails, the next may still be on its way; nothing is left running.
            await Task.WhenAll(sending, recording);
        }

        return judged;
    }

    /// <summary>What became of a batch that was handed over.</summary>
    private sealed record Sent(EngineBatch Batch, IReadOnlyList<(ReadyMessage Ready, ProviderAnswer Answer)> Answers);

    private async Task RecordAfterAsync(Guid practiceId, Task before, Task<Sent> sending, CancellationToken stop)
    {
        await before;
        var sent = await sending;
        await RecordAsync(practiceId, sent.Batch, sent.Answers, stop);
    }

    private async Task<(EngineBatch? Batch, IReadOnlyList<TouchRow> Handed, int People)> JudgeAsync(Guid practiceId, Instant now, Guid? only, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var (engine, settings) = await engines.OfAsync(db, stop);
        var inOneOrder = engine.Practice.DailyLimits.Count > 0;
        var counts = await LiveCounts.LockAsync(db, engine, now, stop);
        var claimed = await ClaimAsync(db, practiceId, now, only, inOneOrder, stop);
        if (claimed.Count == 0)
        {
            return (null, [], 0);
        }

        var batch = await EngineBatch.LoadAsync(db, claimed, engine, settings, stop);
        var recorder = new Recorder(db, batch.Engine);
        Judge(batch, recorder, claimed, now, counts, inOneOrder);
        var handed = await recorder.WriteAsync(MachineNow + Lease, stop);
        await batch.NoteWriterAsync(db, stop);
        await transaction.CommitAsync(stop);
        return (batch, handed, claimed.Count);
    }

    private static Task<List<Guid>> ClaimAsync(GerminalDb db, Guid practiceId, Instant now, Guid? only, bool inOneOrder, CancellationToken stop)
    {
        if (inOneOrder)
        {
            return db.Database.SqlQuery<Guid>(
                $"""
                SELECT s.person_id AS "Value" FROM person_states s
                LEFT JOIN LATERAL (SELECT first_due, priority FROM touches t WHERE t.person_id = s.person_id AND t.status IN ('planned', 'blocked') AND t.due <= {now} ORDER BY first_due, priority LIMIT 1) f ON true
                WHERE s.next_due <= {now} AND s.next_alarm > {now} AND s.practice_id = {practiceId} AND s.set_aside IS NULL AND ({only}::uuid IS NULL OR s.person_id = {only}::uuid)
                  AND NOT EXISTS (SELECT 1 FROM events e WHERE e.person_id = s.person_id AND e.handled_at IS NULL AND e.at <= {now})
                ORDER BY f.first_due, f.priority, s.person_id LIMIT {PeopleInOneOrder} FOR UPDATE OF s SKIP LOCKED
                """).ToListAsync(stop);
        }

        return db.Database.SqlQuery<Guid>(
            $"""
            SELECT person_id AS "Value" FROM person_states s
            WHERE next_due <= {now} AND next_alarm > {now} AND practice_id = {practiceId} AND set_aside IS NULL AND ({only}::uuid IS NULL OR person_id = {only}::uuid)
              AND NOT EXISTS (SELECT 1 FROM events e WHERE e.person_id = s.person_id AND e.handled_at IS NULL AND e.at <= {now})
            ORDER BY next_due, person_id LIMIT {PeopleAtOnce} FOR UPDATE SKIP LOCKED
            """).ToListAsync(stop);
    }

    private static void Judge(EngineBatch batch, Recorder recorder, List<Guid> people, Instant now, LiveCounts? counts, bool inOneOrder)
    {
        foreach (var id in people)
        {
            batch.States[id].AlarmsFrom = now;
        }

        void Take(Guid id, Advance advance)
        {
            recorder.Take(batch.States[id], advance);
            batch.Keep(id, advance);
        }

        if (!inOneOrder)
        {
            foreach (var id in people)
            {
                Take(id, batch.Engine.Judge(batch.Facts[id], batch.StateOf(id), now, counts));
            }

            return;
        }

        // Rule 9.3: everybody's touches in one order, one at a time.
        var order = new PriorityQueue<Guid, AskOrder>();
        void Line(Guid id)
        {
            if (batch.Engine.FirstInOrder(batch.Facts[id], batch.StateOf(id), now) is { } place)
            {
                order.Enqueue(id, place);
            }
            else
            {
                Take(id, new Advance(batch.StateOf(id), batch.Facts[id], []));
            }
        }

        people.ForEach(Line);
        while (order.TryDequeue(out var id, out _))
        {
            Take(id, batch.Engine.JudgeFirst(batch.Facts[id], batch.StateOf(id), now, counts));
            Line(id);
        }
    }

    /// <summary>
    /// Takes up touches whose worker went away, or whose provider asked for later: looked up by their key where that can be
    /// done, judged anew where they had not arrived, shown as uncertain where nobody can say.
    /// </summary>
    /// <returns>False when there was none.</returns>
    public async Task<bool> RecoverAsync(Guid practiceId, Instant now, CancellationToken stop)
    {
        List<TouchRow> touches;
        EngineBatch batch;
        await using (var db = await databases.CreateDbContextAsync(stop))
        {
            db.PracticeId = practiceId;
            var until = MachineNow + Lease;
            var overdue = MachineNow;
            var claimed = await db.Database.SqlQuery<Guid>(
                $"""
                UPDATE touches SET leased_until = {until} WHERE id IN (
                  SELECT id FROM touches WHERE status = 'handing' AND practice_id = {practiceId} AND leased_until < {overdue}
                  ORDER BY leased_until LIMIT {PeopleAtOnce} FOR UPDATE SKIP LOCKED)
                RETURNING id AS "Value"
                """).ToListAsync(stop);
            if (claimed.Count == 0)
            {
                return false;
            }

            touches = await db.Touches.AsNoTracking().Where(t => claimed.Contains(t.Id)).ToListAsync(stop);
            batch = await EngineBatch.LoadAsync(db, [.. touches.Select(t => t.PersonId).Distinct()], engines, stop);
        }

        var again = new List<TouchRow>();
        var arrived = new List<(ReadyMessage, ProviderAnswer)>();
        foreach (var touch in touches)
        {
            // A provider that said “later” is known not to have it; of an uncertain one a member may have said what became of it.
            var ready = handing.Prepare(batch, touch);
            var found = touch.Reason switch
            {
                "later" => new LookedUp(LookUpResult.NotThere),
                "arrived" => new LookedUp(LookUpResult.Found, ready.Key),
                _ => await handing.LookUpAsync(batch, ready, stop),
            };
            switch (found.Result)
            {
                case LookUpResult.Found:
                    arrived.Add((ready, new ProviderAnswer(ProviderResult.Accepted, "found at the provider after an interruption", found.Id)));
                    break;
                case LookUpResult.NotThere:
                    again.Add(touch);
                    break;
                case LookUpResult.CannotSay:
                    await MarkUncertainAsync(practiceId, touch.Id, stop);
                    break;
                default:
                    // Asked again when the lease just taken runs out.
                    break;
            }
        }

        LogRecovered(log, arrived.Count, again.Count);
        await RecordAsync(practiceId, batch, arrived, stop);
        var (anew, handed) = await TryAgainAsync(practiceId, batch, again, now, stop);
        var sent = await HandOverAsync(practiceId, anew, handed, stop);
        await RecordAsync(practiceId, anew, sent.Answers, stop);
        return true;
    }

    private async Task MarkUncertainAsync(Guid practiceId, Guid touch, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        await db.Touches.Where(t => t.Id == touch).ExecuteUpdateAsync(u => u.SetProperty(t => t.Status, "uncertain").SetProperty(t => t.LeasedUntil, (Instant?)null), stop);
    }

    /// <summary>Judges touches anew that did not go: what has been said meanwhile, the hour and the late limit count.</summary>
    private async Task<(EngineBatch Batch, IReadOnlyList<TouchRow> Handed)> TryAgainAsync(Guid practiceId, EngineBatch old, List<TouchRow> touches, Instant now, CancellationToken stop)
    {
        if (touches.Count == 0)
        {
            return (old, []);
        }

        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var people = await LockAsync(db, touches.Select(t => t.PersonId), stop);
        var batch = await EngineBatch.LoadAsync(db, people, engines, stop);
        var counts = await LiveCounts.LockAsync(db, batch.Engine, now, stop);
        var recorder = new Recorder(db, batch.Engine);
        foreach (var touch in touches.OrderBy(t => t.FirstDue).ThenBy(t => t.Priority).ThenBy(t => t.PersonId))
        {
            if (batch.Engine.Practice.DailyLimits.ContainsKey(Words.ChannelOf(touch.Kind)))
            {
                counts?.GiveBack(touch.Kind, touch.Due.InZone(batch.Engine.Practice.Zone).Date);
            }

            var advance = batch.Engine.TryAgain(batch.Facts[touch.PersonId], batch.StateOf(touch.PersonId), touch.Id, touch.Due, now, counts);
            recorder.Take(batch.States[touch.PersonId], advance);
            batch.Keep(touch.PersonId, advance);
        }

        var handed = await recorder.WriteAsync(MachineNow + Lease, stop);
        await batch.NoteWriterAsync(db, stop);
        await transaction.CommitAsync(stop);
        return (batch, handed);
    }

    private static async Task<Guid[]> LockAsync(GerminalDb db, IEnumerable<Guid> people, CancellationToken stop)
    {
        var ids = people.Distinct().Order().ToArray();
        await db.Database.ExecuteSqlAsync($"SELECT 1 FROM person_states WHERE person_id = ANY({ids}) ORDER BY person_id FOR UPDATE", stop);
        return ids;
    }

    private async Task<Sent> HandOverAsync(Guid practiceId, EngineBatch batch, IReadOnlyList<TouchRow> touches, CancellationToken stop)
    {
        if (touches.Count == 0)
        {
            return new Sent(batch, []);
        }

        // The batch may have waited for the one before it; whatever another worker took up meanwhile is that worker's.
        var lease = new HeldLease([.. touches.Select(t => t.Id)], [.. touches.Select(t => t.AttemptId!.Value)], touches.Min(t => t.LeasedUntil!.Value));
        var held = lease.IsFresh ? [.. lease.Touches] : await RenewAsync(practiceId, lease, stop);
        using var holding = new CancellationTokenSource();
        var leases = KeepLeasesAsync(practiceId, lease, holding.Token);
        var answers = new ConcurrentQueue<(ReadyMessage Ready, ProviderAnswer Answer)>();
        try
        {
            await Parallel.ForEachAsync(touches.Where(t => held.Contains(t.Id)), new ParallelOptions { MaxDegreeOfParallelism = AtOnce, CancellationToken = stop }, async (touch, s) =>
            {
                // Where the lease could not be kept the rest is not begun: another worker looks it up and sends it.
                if (MachineNow < lease.Until)
                {
                    answers.Enqueue(await SendAsync(practiceId, batch, touch, s));
                }
            });
        }
        finally
        {
            await holding.CancelAsync();
            await leases;
        }

        return new Sent(batch, [.. answers]);
    }

    private async Task<(ReadyMessage Ready, ProviderAnswer Answer)> SendAsync(Guid practiceId, EngineBatch batch, TouchRow touch, CancellationToken stop)
    {
        var ready = handing.Prepare(batch, touch);
        if (away.TryGetValue((practiceId, touch.Kind), out var gone) && MachineNow < gone.Until)
        {
            return (ready, new ProviderAnswer(ProviderResult.Away, ""));
        }

        var answer = await handing.SendAsync(batch, ready, stop);
        EngineMetrics.Count(touch.Kind, answer.Result);
        return (ready, answer);
    }

    /// <summary>The attempts a worker holds, and until when it may begin to hand them over.</summary>
    private sealed class HeldLease(Guid[] touches, Guid[] attempts, Instant until)
    {
        private long until = (until - Margin).ToUnixTimeTicks();

        public Guid[] Touches => touches;

        public Guid[] Attempts => attempts;

        /// <summary>Some seconds before others may take them up, so that a message begun in time is with its provider by then.</summary>
        public Instant Until
        {
            get => Instant.FromUnixTimeTicks(Interlocked.Read(ref until));
            set => Interlocked.Exchange(ref until, (value - Margin).ToUnixTimeTicks());
        }

        /// <summary>Taken so lately that nobody else can have taken the touches up.</summary>
        public bool IsFresh => MachineNow < Until - (Lease / 2);

        private static Duration Margin => Lease / 4;
    }

    /// <summary>Makes the lease longer for what is still this worker's: an attempt that another has taken up has another id, or has run out.</summary>
    private async Task<HashSet<Guid>> RenewAsync(Guid practiceId, HeldLease lease, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        var now = MachineNow;
        var until = now + Lease;
        var held = await db.Database.SqlQuery<Guid>(
            $"""
            UPDATE touches SET leased_until = {until} WHERE id = ANY({lease.Touches}) AND attempt_id = ANY({lease.Attempts}) AND status = 'handing' AND practice_id = {practiceId} AND leased_until > {now}
            RETURNING id AS "Value"
            """).ToListAsync(stop);
        lease.Until = until;
        return [.. held];
    }

    /// <summary>While a slow server is at it, the lease is renewed, so that no other worker takes the touches up.</summary>
    private async Task KeepLeasesAsync(Guid practiceId, HeldLease lease, CancellationToken done)
    {
        try
        {
            while (true)
            {
                await Task.Delay(TimeSpan.FromSeconds(5), done);
                await RenewAsync(practiceId, lease, done);
            }
        }
        catch (OperationCanceledException)
        {
            // Handed over.
        }
    }

    private async Task RecordAsync(Guid practiceId, EngineBatch decided, IReadOnlyList<(ReadyMessage Ready, ProviderAnswer Answer)> answers, CancellationToken stop)
    {
        if (answers.Count == 0)
        {
            return;
        }

        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var settled = answers.Where(a => a.Answer.Result is ProviderResult.Accepted or ProviderResult.Refused).ToList();
        var (batch, unchanged) = await decided.LockAgainAsync(db, settled.Select(a => a.Ready.Touch.PersonId), stop);
        var recorder = new Recorder(db, batch.Engine);
        recorder.Know(settled.Select(a => a.Ready.Touch).Where(t => unchanged.Contains(t.PersonId)));
        foreach (var (ready, answer) in settled)
        {
            var touch = ready.Touch;
            var state = batch.StateOf(touch.PersonId);
            if (state.Runs.All(r => r.TouchId != touch.Id || r.Touch.Phase != TouchPhase.Handing))
            {
                continue;
            }

            var failure = answer.Result == ProviderResult.Accepted ? null : answer.Words == "cannot-fill" ? "cannot-fill" : "refused-by-server";
            var advance = batch.Engine.Settle(batch.Facts[touch.PersonId], state, touch.Id, touch.Due, failure);
            recorder.Take(batch.States[touch.PersonId], advance);
            batch.Keep(touch.PersonId, advance);
            if (failure is null)
            {
                recorder.Keep(Handing.Row(ready, answer));
            }
        }

        await recorder.WriteAsync(Instant.MinValue, stop);
        await NoteFailuresAsync(db, [.. answers.Where(a => a.Answer.Result is ProviderResult.Later or ProviderResult.Away or ProviderResult.Refused)], stop);
        await NoteProvidersAsync(db, practiceId, answers, stop);
        await transaction.CommitAsync(stop);
    }

    /// <summary>What was not taken is tried again when its wait is over, or its provider is expected back.</summary>
    private async Task NoteFailuresAsync(GerminalDb db, List<(ReadyMessage Ready, ProviderAnswer Answer)> failures, CancellationToken stop)
    {
        foreach (var (ready, answer) in failures.Where(f => f.Answer.Words.Length > 0).DistinctBy(f => (f.Ready.Touch.Kind, f.Answer.Words)))
        {
            LogNotTaken(log, ready.Touch.Kind, answer.Result, answer.Words);
        }

        foreach (var group in failures.GroupBy(f => (f.Answer.Result, f.Answer.Words, f.Ready.Touch.Kind, f.Ready.Touch.Attempts)))
        {
            var ids = group.Select(f => f.Ready.Touch.Id).ToArray();
            if (group.Key.Result == ProviderResult.Refused)
            {
                await db.Touches.Where(t => ids.Contains(t.Id)).ExecuteUpdateAsync(u => u.SetProperty(t => t.LastAnswer, group.Key.Words), stop);
                continue;
            }

            var retry = (Instant?)RetryAt(db.PracticeId!.Value, group.Key.Kind, group.Key.Result, group.Key.Attempts);
            await db.Touches.Where(t => ids.Contains(t.Id) && t.Status == "handing").ExecuteUpdateAsync(
                u => u.SetProperty(t => t.LeasedUntil, retry).SetProperty(t => t.Reason, "later").SetProperty(t => t.LastAnswer, t => group.Key.Words == "" ? t.LastAnswer : group.Key.Words), stop);
        }
    }

    private Instant RetryAt(Guid practice, string channel, ProviderResult result, int attempts)
    {
        if (result == ProviderResult.Later)
        {
            return MachineNow + Waits[Math.Clamp(attempts - 1, 0, Waits.Length - 1)];
        }

        return away.TryGetValue((practice, channel), out var gone) ? gone.Until : MachineNow + Waits[0];
    }

    /// <summary>Keeps the one line that says how each provider stands.</summary>
    private async Task NoteProvidersAsync(GerminalDb db, Guid practice, IReadOnlyList<(ReadyMessage Ready, ProviderAnswer Answer)> answers, CancellationToken stop)
    {
        foreach (var group in answers.GroupBy(a => a.Ready.Touch.Kind))
        {
            var name = group.Key == "text" ? "texts" : "mail-out";
            if (group.FirstOrDefault(a => a.Answer is { Result: ProviderResult.Away, Words.Length: > 0 }).Answer is { } trouble)
            {
                var times = away.TryGetValue((practice, group.Key), out var known) ? known.Times + 1 : 1;
                away[(practice, group.Key)] = (MachineNow + Waits[Math.Min(times - 1, 3)], times);
                await ProviderStates.SetAsync(db, name, trouble.Words, stop);
            }
            else if (group.Any(a => a.Answer.Result != ProviderResult.Away))
            {
                away.TryRemove((practice, group.Key), out _);
                await ProviderStates.SetAsync(db, name, null, stop);
            }
        }
    }

    [LoggerMessage(Level = LogLevel.Information, Message = "Took up interrupted touches: {Arrived} had arrived, {Again} are tried again")]
    private static partial void LogRecovered(ILogger logger, int arrived, int again);

    [LoggerMessage(Level = LogLevel.Warning, Message = "A message by {Channel} was not taken ({Result}): {Words}")]
    private static partial void LogNotTaken(ILogger logger, string channel, ProviderResult result, string words);
}
