using System.Collections.Concurrent;
using Germinal.Channels;
using Germinal.Core.Contact;
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
public sealed partial class Dispatcher(IDbContextFactory<GerminalDb> databases, Engines engines, Handing handing, ILogger<Dispatcher> log)
{
    private const int PeopleAtOnce = 200;

    /// <summary>After so many, other practices and what has come in meanwhile have their turn.</summary>
    private const int BatchesInARow = 10;

    /// <summary>Where people share a limit they are judged in one order, so that as many as may be due together are taken together.</summary>
    private const int PeopleInOneOrder = 2000;

    /// <summary>Messages on their way to providers side by side; the rest of a batch has not been begun.</summary>
    private const int AtOnce = 16;

    /// <summary>Reason of a touch that is on its way and that its provider said it has not: nothing is to be looked up.</summary>
    internal const string NotTakenYet = "later";

    /// <summary>Reason of a touch that is on its way and that a member knows to have arrived.</summary>
    internal const string Arrived = "arrived";

    /// <summary>Reason of a touch that is on its way and of which nobody has said what became of it.</summary>
    private const string AnswerUnknown = "unknown";

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

    private async Task<(EngineBatch? Batch, IReadOnlyList<TouchRow> Handed, int People)> JudgeAsync(
        Guid practiceId,
        Instant now,
        Guid? only,
        CancellationToken stop
    )
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var (engine, settings) = await engines.OfAsync(db, stop);
        var inOneOrder = engine.Practice.LimitsDays || engine.AsksHouseholds;
        var counts = await LiveCounts.LockAsync(db, engine, now, stop);
        var claimed = await ClaimAsync(db, practiceId, now, only, inOneOrder, stop);
        if (claimed.Count == 0)
        {
            return (null, [], 0);
        }

        var batch = await EngineBatch.LoadAsync(db, claimed, engine, settings, stop);
        if (counts is not null)
        {
            await counts.ReadClaimsAsync(batch, stop);
        }

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
            return db
                .Database.SqlQuery<Guid>(
                    $"""
                    SELECT s.person_id AS "Value" FROM person_states s
                    LEFT JOIN LATERAL (SELECT first_due, priority FROM touches t WHERE t.person_id = s.person_id AND t.status IN ('planned', 'blocked') AND t.due <= {now} ORDER BY first_due, priority LIMIT 1) f ON true
                    WHERE s.next_due <= {now} AND s.next_alarm > {now} AND s.practice_id = {practiceId} AND s.set_aside IS NULL AND ({only}::uuid IS NULL OR s.person_id = {only}::uuid)
                      AND NOT EXISTS (SELECT 1 FROM events e WHERE e.person_id = s.person_id AND e.handled_at IS NULL AND e.at <= {now})
                    ORDER BY f.first_due, f.priority, s.person_id LIMIT {PeopleInOneOrder} FOR UPDATE OF s SKIP LOCKED
                    """
                )
                .ToListAsync(stop);
        }

        return db
            .Database.SqlQuery<Guid>(
                $"""
                SELECT person_id AS "Value" FROM person_states s
                WHERE next_due <= {now} AND next_alarm > {now} AND practice_id = {practiceId} AND set_aside IS NULL AND ({only}::uuid IS NULL OR person_id = {only}::uuid)
                  AND NOT EXISTS (SELECT 1 FROM events e WHERE e.person_id = s.person_id AND e.handled_at IS NULL AND e.at <= {now})
                ORDER BY next_due, person_id LIMIT {PeopleAtOnce} FOR UPDATE SKIP LOCKED
                """
            )
            .ToListAsync(stop);
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
    /// Takes up touches whose worker went away, or whose provider could not be understood or asked for later: looked up by
    /// their key, judged anew where they had not arrived, shown as uncertain where nobody can say.
    /// </summary>
    /// <param name="practiceId">The practice.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="only">The one person to take; null for all.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>How many touches were taken up.</returns>
    public async Task<int> RecoverAsync(Guid practiceId, Instant now, Guid? only, CancellationToken stop)
    {
        var touches = await TakeUpAsync(practiceId, only, stop);
        if (touches.Count == 0)
        {
            return 0;
        }

        try
        {
            await SettleWhatIsKnownAsync(practiceId, touches, now, stop);
        }
        catch
        {
            // Whoever looks for the one that stops the rest has to find them free.
            await LetGoAsync(practiceId, touches);
            throw;
        }

        return touches.Count;
    }

    private async Task<List<TouchRow>> TakeUpAsync(Guid practiceId, Guid? only, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        var until = MachineNow + Lease;
        var overdue = MachineNow;

        // A fresh attempt id: whoever held the touch before can tell that it is no longer theirs.
        var claimed = await db
            .Database.SqlQuery<Guid>(
                $"""
                UPDATE touches SET leased_until = {until}, attempt_id = gen_random_uuid() WHERE id IN (
                  SELECT id FROM touches t WHERE status = 'handing' AND practice_id = {practiceId} AND leased_until < {overdue} AND ({only}::uuid IS NULL OR person_id = {only}::uuid)
                    AND NOT EXISTS (SELECT 1 FROM person_states s WHERE s.person_id = t.person_id AND s.set_aside IS NOT NULL)
                  ORDER BY leased_until LIMIT {PeopleAtOnce} FOR UPDATE SKIP LOCKED)
                RETURNING id AS "Value"
                """
            )
            .ToListAsync(stop);
        return claimed.Count == 0 ? [] : await db.Touches.AsNoTracking().Where(t => claimed.Contains(t.Id)).ToListAsync(stop);
    }

    /// <summary>Of touches that were taken up, those that no other worker has taken up since.</summary>
    private static IQueryable<TouchRow> StillHeld(GerminalDb db, IReadOnlyCollection<TouchRow> touches)
    {
        var (ids, attempts) = (touches.Select(t => t.Id).ToArray(), touches.Select(t => t.AttemptId).ToArray());
        return db.Touches.Where(t => ids.Contains(t.Id) && attempts.Contains(t.AttemptId) && t.Status == TouchStatus.Handing);
    }

    private async Task LetGoAsync(Guid practiceId, List<TouchRow> touches)
    {
        await using var db = await databases.CreateDbContextAsync(CancellationToken.None);
        db.PracticeId = practiceId;
        await StillHeld(db, touches).ExecuteUpdateAsync(u => u.SetProperty(t => t.LeasedUntil, (Instant?)Instant.MinValue), CancellationToken.None);
    }

    private async Task SettleWhatIsKnownAsync(Guid practiceId, List<TouchRow> touches, Instant now, CancellationToken stop)
    {
        var batch = await LoadAsync(practiceId, touches, stop);
        var found = await LookUpAsync(practiceId, batch, touches, stop);
        var arrived = found
            .Where(f => f.LookedUp.Result == LookUpResult.Found)
            .Select(f => (f.Ready, new ProviderAnswer(ProviderResult.Sent, Said("found at the provider after an interruption"), f.LookedUp.Id)))
            .ToList();
        var again = found.Where(f => f.LookedUp.Result == LookUpResult.NotThere).Select(f => f.Ready.Touch).ToList();
        LogRecovered(log, arrived.Count, again.Count);
        await MarkUncertainAsync(practiceId, [.. found.Where(f => f.LookedUp.Result == LookUpResult.CannotSay).Select(f => f.Ready.Touch)], stop);
        await RecordAsync(practiceId, batch, arrived, stop);
        var (anew, handed) = await TryAgainAsync(practiceId, batch, again, now, stop);
        var sent = await HandOverAsync(practiceId, anew, handed, stop);
        await RecordAsync(practiceId, anew, sent.Answers, stop);
    }

    private async Task<EngineBatch> LoadAsync(Guid practiceId, List<TouchRow> touches, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        return await EngineBatch.LoadAsync(db, [.. touches.Select(t => t.PersonId).Distinct()], engines, stop);
    }

    /// <summary>What is known of touches that were taken up. While a slow provider is asked, the lease on them is kept.</summary>
    private async Task<IReadOnlyList<(ReadyMessage Ready, LookedUp LookedUp)>> LookUpAsync(
        Guid practiceId,
        EngineBatch batch,
        List<TouchRow> touches,
        CancellationToken stop
    )
    {
        var found = new ConcurrentQueue<(ReadyMessage, LookedUp)>();
        await HoldingAsync(
            practiceId,
            HeldLease.Of(touches),
            () =>
                Parallel.ForEachAsync(
                    touches,
                    new ParallelOptions { MaxDegreeOfParallelism = AtOnce, CancellationToken = stop },
                    async (touch, s) =>
                    {
                        if (await PrepareAsync(batch, touch, s) is { } ready)
                        {
                            // Of one that was not taken nothing is to be asked; of an uncertain one a member may have said what became of it.
                            found.Enqueue(
                                (
                                    ready,
                                    touch.Reason switch
                                    {
                                        NotTakenYet => new LookedUp(LookUpResult.NotThere),
                                        Arrived => new LookedUp(LookUpResult.Found, ready.Key),
                                        _ => await handing.LookUpAsync(batch, ready, s),
                                    }
                                )
                            );
                        }
                    }
                ),
            stop
        );
        return [.. found];
    }

    private async Task MarkUncertainAsync(Guid practiceId, List<TouchRow> touches, CancellationToken stop)
    {
        if (touches.Count == 0)
        {
            return;
        }

        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        await Recorder.NobodyKnowsAsync(StillHeld(db, touches), stop);
    }

    /// <summary>Judges touches anew that did not go: what has been said meanwhile, the hour and the late limit count.</summary>
    private async Task<(EngineBatch Batch, IReadOnlyList<TouchRow> Handed)> TryAgainAsync(
        Guid practiceId,
        EngineBatch old,
        List<TouchRow> touches,
        Instant now,
        CancellationToken stop
    )
    {
        if (touches.Count == 0)
        {
            return (old, []);
        }

        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var people = await LockAsync(db, touches.Select(t => t.PersonId), stop);

        // Somebody else may have taken a touch up while its provider was asked; then it is no longer ours to try.
        var ours = (await StillHeld(db, touches).Select(t => t.Id).ToListAsync(stop)).ToHashSet();
        var batch = await EngineBatch.LoadAsync(db, people, engines, stop);
        var counts = await LiveCounts.LockAsync(db, batch.Engine, now, stop);
        if (counts is not null)
        {
            await counts.ReadClaimsAsync(batch, stop);
        }

        var recorder = new Recorder(db, batch.Engine);
        foreach (var touch in touches.Where(t => ours.Contains(t.Id)).OrderBy(t => t.FirstDue).ThenBy(t => t.Priority).ThenBy(t => t.PersonId))
        {
            var date = touch.Due.InZone(batch.Engine.Practice.Zone).Date;
            if (batch.Engine.Practice.DailyLimits.ContainsKey(Words.ChannelOf(touch.Kind)))
            {
                counts?.GiveBack(touch.Kind, null, date);
            }

            if (AccountOf(batch, touch) is { } account)
            {
                counts?.GiveBack(touch.Kind, account, date);
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

    /// <summary>Whose account a touch was to go from, where that takes so many a day only; null where not.</summary>
    private static Guid? AccountOf(EngineBatch batch, TouchRow touch) =>
        Words.ChannelOf(touch.Kind) == Channel.Email
        && batch.Engine.Practice.SenderFor(batch.Facts[touch.PersonId], batch.Engine.Shelf.Find(touch.ProgramId, touch.Version).Definition.StepOf(touch.StepId)!) is { MostEmails: not null } sender
            ? sender.Id
            : null;

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
        var lease = HeldLease.Of(touches);
        var held = lease.IsFresh ? [.. lease.Touches] : await RenewAsync(practiceId, lease, stop);
        var answers = new ConcurrentQueue<(ReadyMessage Ready, ProviderAnswer Answer)>();
        await HoldingAsync(
            practiceId,
            lease,
            () =>
                Parallel.ForEachAsync(
                    touches.Where(t => held.Contains(t.Id)),
                    new ParallelOptions { MaxDegreeOfParallelism = AtOnce, CancellationToken = stop },
                    async (touch, s) =>
                    {
                        // Where the lease could not be kept the rest is not begun: another worker looks it up and sends it.
                        if (MachineNow < lease.Until && await PrepareAsync(batch, touch, s) is { } ready)
                        {
                            answers.Enqueue((ready, await SendAsync(practiceId, batch, ready, s)));
                        }
                    }
                ),
            stop
        );
        return new Sent(batch, [.. answers]);
    }

    /// <summary>Does something while the lease on touches is renewed, so that no other worker takes them up.</summary>
    private async Task HoldingAsync(Guid practiceId, HeldLease lease, Func<Task> work, CancellationToken stop)
    {
        using var holding = CancellationTokenSource.CreateLinkedTokenSource(stop);
        var leases = KeepLeasesAsync(practiceId, lease, holding.Token);
        try
        {
            await work();
        }
        finally
        {
            await holding.CancelAsync();
            await leases;
        }
    }

    /// <summary>A touch's message; null where it cannot be made: then its person is set aside with the error, and everybody else goes on.</summary>
    private async Task<ReadyMessage?> PrepareAsync(EngineBatch batch, TouchRow touch, CancellationToken stop)
    {
        try
        {
            return handing.Prepare(batch, touch);
        }
#pragma warning disable CA1031 // Whatever it is, one person's trouble must not stop everybody's letters.
        catch (Exception e) when (e is not OperationCanceledException)
#pragma warning restore CA1031
        {
            LogSetAside(log, e, touch.PersonId);
            await SetAsideAsync(touch.PracticeId, touch.PersonId, e, stop);
            return null;
        }
    }

    /// <summary>Work on a person stops until a member has seen to it; it stands under <i>Needs mending</i>.</summary>
    private async Task SetAsideAsync(Guid practiceId, Guid person, Exception error, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        await DuePeople.SetAsideAsync(db, person, error, stop);
    }

    private async Task<ProviderAnswer> SendAsync(Guid practiceId, EngineBatch batch, ReadyMessage ready, CancellationToken stop)
    {
        var of = await handing.AccountOfAsync(ready, stop);
        if (away.TryGetValue((practiceId, ProviderOf(ready.Touch.Kind, of)), out var gone) && MachineNow < gone.Until)
        {
            return ProviderAnswer.Away("") with { Of = of };
        }

        var answer = await handing.SendAsync(batch, ready, stop);
        EngineMetrics.Count(ready.Touch.Kind, answer.Result);
        return answer;
    }

    /// <summary>The attempts a worker holds, and until when it may begin to hand them over.</summary>
    private sealed class HeldLease(Guid[] touches, Guid[] attempts, Instant until)
    {
        public static HeldLease Of(IReadOnlyList<TouchRow> touches) =>
            new([.. touches.Select(t => t.Id)], [.. touches.Select(t => t.AttemptId!.Value)], touches.Min(t => t.LeasedUntil!.Value));

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
        var held = await db
            .Database.SqlQuery<Guid>(
                $"""
                UPDATE touches SET leased_until = {until} WHERE id = ANY({lease.Touches}) AND attempt_id = ANY({lease.Attempts}) AND status = 'handing' AND practice_id = {practiceId} AND leased_until > {now}
                RETURNING id AS "Value"
                """
            )
            .ToListAsync(stop);
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

    private async Task RecordAsync(
        Guid practiceId,
        EngineBatch decided,
        IReadOnlyList<(ReadyMessage Ready, ProviderAnswer Answer)> answers,
        CancellationToken stop
    )
    {
        if (answers.Count == 0)
        {
            return;
        }

        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var settled = answers.Where(a => a.Answer.Result is ProviderResult.Sent or ProviderResult.Refused).ToList();
        var (batch, unchanged) = await decided.LockAgainAsync(db, settled.Select(a => a.Ready.Touch.PersonId), stop);
        var recorder = new Recorder(db, batch.Engine);
        recorder.Know(settled.Select(a => a.Ready.Touch).Where(t => unchanged.Contains(t.PersonId)));
        var shortLinks = new List<ShortLinkRow>();
        foreach (var (ready, answer) in settled)
        {
            var touch = ready.Touch;
            var state = batch.StateOf(touch.PersonId);
            if (state.Runs.All(r => r.TouchId != touch.Id || r.Touch.Phase != TouchPhase.Handing))
            {
                continue;
            }

            var failure =
                answer.Result == ProviderResult.Sent ? null
                : answer.Words == "cannot-fill" ? "cannot-fill"
                : "refused-by-server";
            var advance = batch.Engine.Settle(batch.Facts[touch.PersonId], state, touch.Id, touch.Due, failure);
            recorder.Take(batch.States[touch.PersonId], advance);
            batch.Keep(touch.PersonId, advance);
            if (failure is null)
            {
                recorder.Keep(Handing.Row(ready, answer));
                shortLinks.AddRange(handing.ShortLinks(ready));
            }
        }

        await recorder.WriteAsync(Instant.MinValue, stop);
        await db.CopyAsync(shortLinks, stop);
        await NoteFailuresAsync(db, [.. answers.Where(a => a.Answer.Result != ProviderResult.Sent)], stop);
        await NoteProvidersAsync(db, practiceId, answers, stop);
        await transaction.CommitAsync(stop);
    }

    /// <summary>
    /// What was not taken is tried again when its wait is over, or its provider is expected back. What may have been taken is
    /// looked up before that: its reason does not say that it was not.
    /// </summary>
    private async Task NoteFailuresAsync(GerminalDb db, List<(ReadyMessage Ready, ProviderAnswer Answer)> failures, CancellationToken stop)
    {
        foreach (var (ready, answer) in failures.Where(f => f.Answer.Words.Length > 0).DistinctBy(f => (f.Ready.Touch.Kind, f.Answer.Words)))
        {
            LogNotTaken(log, ready.Touch.Kind, answer.Result, answer.Words);
        }

        foreach (var group in failures.GroupBy(f => (f.Answer.Result, f.Answer.IsAway, f.Answer.Words, f.Ready.Touch.Kind, f.Ready.Touch.Attempts, f.Answer.Of)))
        {
            var ids = group.Select(f => f.Ready.Touch.Id).ToArray();
            if (group.Key.Result == ProviderResult.Refused)
            {
                await db.Touches.Where(t => ids.Contains(t.Id)).ExecuteUpdateAsync(u => u.SetProperty(t => t.LastAnswer, group.Key.Words), stop);
                continue;
            }

            var retry = (Instant?)RetryAt(db.PracticeId!.Value, ProviderOf(group.Key.Kind, group.Key.Of), group.Key.IsAway, group.Key.Attempts);
            var reason = group.Key.Result == ProviderResult.NotTaken ? NotTakenYet : AnswerUnknown;
            await StillHeld(db, [.. group.Select(f => f.Ready.Touch)])
                .ExecuteUpdateAsync(
                    u =>
                        u.SetProperty(t => t.LeasedUntil, retry)
                            .SetProperty(t => t.Reason, reason)
                            .SetProperty(t => t.LastAnswer, t => group.Key.Words == "" ? t.LastAnswer : group.Key.Words),
                    stop
                );
        }
    }

    /// <summary>The name a provider stands under: texts, mail-out, or mail-out of a member's own account.</summary>
    private static string ProviderOf(string kind, string? of) => kind == "text" ? "texts" : of is null ? "mail-out" : Say($"mail-out of {of}");

    private Instant RetryAt(Guid practice, string channel, bool isAway, int attempts)
    {
        if (!isAway)
        {
            return MachineNow + Waits[Math.Clamp(attempts - 1, 0, Waits.Length - 1)];
        }

        return away.TryGetValue((practice, channel), out var gone) ? gone.Until : MachineNow + Waits[0];
    }

    /// <summary>Keeps the one line that says how each provider stands.</summary>
    private async Task NoteProvidersAsync(
        GerminalDb db,
        Guid practice,
        IReadOnlyList<(ReadyMessage Ready, ProviderAnswer Answer)> answers,
        CancellationToken stop
    )
    {
        foreach (var group in answers.GroupBy(a => ProviderOf(a.Ready.Touch.Kind, a.Answer.Of)))
        {
            var name = group.Key;
            if (group.FirstOrDefault(a => a.Answer is { IsAway: true, Words.Length: > 0 }).Answer is { } trouble)
            {
                var times = away.TryGetValue((practice, name), out var known) ? known.Times + 1 : 1;
                away[(practice, name)] = (MachineNow + Waits[Math.Min(times - 1, 3)], times);
                await ProviderStates.SetAsync(db, name, trouble.Words, stop);
            }
            else if (group.Any(a => !a.Answer.IsAway))
            {
                away.TryRemove((practice, name), out _);
                await ProviderStates.SetAsync(db, name, null, stop);
            }
        }
    }

    [LoggerMessage(Level = LogLevel.Information, Message = "Took up interrupted touches: {Arrived} had arrived, {Again} are tried again")]
    private static partial void LogRecovered(ILogger logger, int arrived, int again);

    [LoggerMessage(Level = LogLevel.Error, Message = "Work on person {Person} is set aside: their message cannot be made")]
    private static partial void LogSetAside(ILogger logger, Exception error, Guid person);

    [LoggerMessage(Level = LogLevel.Warning, Message = "A message by {Channel} was not taken ({Result}): {Words}")]
    private static partial void LogNotTaken(ILogger logger, string channel, ProviderResult result, string words);
}
