using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Channels.Mail;
using Germinal.Core.Engine;
using Germinal.Core.People;
using Germinal.Core.Programs;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Logging;
using NodaTime;

namespace Germinal.Service.Engine;

/// <summary>
/// Judges what is due and hands it to its channel. A touch is committed as <i>handing</i> with a fresh attempt id before
/// the channel sees it, and its outcome is committed afterwards; after a crash the provider is asked by the touch's own key.
/// </summary>
public sealed partial class Dispatcher(
    IDbContextFactory<GerminalDb> databases, LiquidLetters liquid, LetterWriter writer, PublicLinks links, ShelfReading shelves, IMailTransport mail, ILogger<Dispatcher> log)
{
    private const int PeopleAtOnce = 100;
    private static readonly Duration Lease = Duration.FromSeconds(20);
    private static readonly Duration RetryAfter = Duration.FromSeconds(10);

    private static Instant MachineNow => SystemClock.Instance.GetCurrentInstant();

    /// <summary>Judges one batch of a practice's people with something due by <paramref name="now"/>, and sends what passed.</summary>
    /// <returns>False when nothing was due.</returns>
    public async Task<bool> DispatchAsync(Guid practiceId, Instant now, CancellationToken stop)
    {
        IReadOnlyList<TouchRow> handed;
        EngineBatch batch;
        await using (var db = await databases.CreateDbContextAsync(stop))
        {
            db.PracticeId = practiceId;
            await using var transaction = await db.Database.BeginTransactionAsync(stop);
            var claimed = await db.Database.SqlQuery<Guid>(
                $"""
                SELECT person_id AS "Value" FROM person_states WHERE next_due <= {now} AND practice_id = {practiceId}
                ORDER BY next_due, person_id LIMIT {PeopleAtOnce} FOR UPDATE SKIP LOCKED
                """).ToListAsync(stop);
            if (claimed.Count == 0)
            {
                return false;
            }

            batch = await EngineBatch.LoadAsync(db, claimed, liquid, shelves, stop);
            var recorder = new Recorder(db, batch.Engine.Shelf);
            foreach (var id in claimed)
            {
                recorder.Take(batch.States[id], batch.Engine.Judge(batch.Facts[id], batch.StateOf(id), now));
            }

            handed = await recorder.WriteAsync(MachineNow + Lease, stop);
            await transaction.CommitAsync(stop);
        }

        await HandOverAsync(practiceId, batch, handed, stop);
        return true;
    }

    /// <summary>
    /// Takes up touches whose worker went away, or whose server asked for later: looked up by their key where that can be
    /// done, sent where they had not arrived, shown as uncertain where nobody can say.
    /// </summary>
    /// <returns>False when there was none.</returns>
    public async Task<bool> RecoverAsync(Guid practiceId, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        var until = MachineNow + Lease;
        var overdue = MachineNow;
        var attempt = Guid.NewGuid();
        var claimed = await db.Database.SqlQuery<Guid>(
            $"""
            UPDATE touches SET leased_until = {until}, attempt_id = {attempt} WHERE id IN (
              SELECT id FROM touches WHERE status = 'handing' AND practice_id = {practiceId} AND leased_until < {overdue}
              ORDER BY leased_until LIMIT {PeopleAtOnce} FOR UPDATE SKIP LOCKED)
            RETURNING id AS "Value"
            """).ToListAsync(stop);
        if (claimed.Count == 0)
        {
            return false;
        }

        var touches = await db.Touches.AsNoTracking().Where(t => claimed.Contains(t.Id)).ToListAsync(stop);
        var batch = await EngineBatch.LoadAsync(db, [.. touches.Select(t => t.PersonId).Distinct()], liquid, shelves, stop);
        var again = new List<TouchRow>();
        var arrived = new List<(TouchRow, Prepared, MailAnswer)>();
        foreach (var touch in touches)
        {
            // A server that said “later” is known not to have it.
            var accepted = touch.Reason == "later" ? false : await mail.WasAcceptedAsync(Prepare(batch, touch).MessageId, stop);
            switch (accepted)
            {
                case true:
                    arrived.Add((touch, Prepare(batch, touch), new MailAnswer(MailResult.Accepted, "found at the provider after an interruption")));
                    break;
                case false:
                    again.Add(touch);
                    break;
                default:
                    await db.Touches.Where(t => t.Id == touch.Id).ExecuteUpdateAsync(u => u.SetProperty(t => t.Status, "uncertain").SetProperty(t => t.LeasedUntil, (Instant?)null), stop);
                    break;
            }
        }

        LogRecovered(log, arrived.Count, again.Count);
        await RecordAsync(practiceId, batch.Engine, arrived, stop);
        await HandOverAsync(practiceId, batch, again, stop);
        return true;
    }

    private sealed record Prepared(FilledLetter Letter, Purpose Purpose, Member? Sender, PersonFacts Person, string MessageId);

    private Prepared Prepare(EngineBatch batch, TouchRow touch)
    {
        var person = batch.Facts[touch.PersonId];
        var practice = batch.Engine.Practice;
        var definition = batch.Engine.Shelf.Find(touch.ProgramId, touch.Version).Definition;
        var step = (EmailStep)definition.Steps.First(s => s.Id == touch.StepId);
        var sender = practice.SenderFor(person);
        var letter = writer.Fill(step, definition.PurposeOf(step), touch.Id, person, practice, sender, touch.Due);
        return new Prepared(letter, definition.PurposeOf(step), sender, person, OutgoingMail.MessageIdOf(touch.Id, sender?.Email ?? "nobody@invalid"));
    }

    private async Task HandOverAsync(Guid practiceId, EngineBatch batch, IReadOnlyList<TouchRow> touches, CancellationToken stop)
    {
        if (touches.Count == 0)
        {
            return;
        }

        using var holding = new CancellationTokenSource();
        var leases = KeepLeasesAsync(practiceId, [.. touches.Select(t => t.Id)], holding.Token);
        var answers = await Task.WhenAll(touches.Select(async touch =>
        {
            var prepared = Prepare(batch, touch);
            if (prepared.Letter.Missing.Count > 0 || prepared.Sender is null)
            {
                // Facts changed between the decision and a retry; a letter with a gap never goes.
                return (touch, prepared, new MailAnswer(MailResult.Refused, "cannot-fill"));
            }

            using var message = OutgoingMail.Build(
                prepared.Letter, prepared.Purpose, touch.Id, prepared.Sender, prepared.Person.Name, prepared.Person.Email!, touch.Due, batch.Engine.Practice.Zone, links);
            return (touch, prepared, await mail.SendAsync(message, stop));
        }));
        await holding.CancelAsync();
        await leases;
        await RecordAsync(practiceId, batch.Engine, answers, stop);
    }

    /// <summary>While a slow server is at it, the lease is renewed, so that no other worker takes the touches up.</summary>
    private async Task KeepLeasesAsync(Guid practiceId, Guid[] ids, CancellationToken done)
    {
        try
        {
            while (true)
            {
                await Task.Delay(TimeSpan.FromSeconds(5), done);
                await using var db = await databases.CreateDbContextAsync(done);
                db.PracticeId = practiceId;
                var until = (Instant?)(MachineNow + Lease);
                await db.Touches.Where(t => ids.Contains(t.Id) && t.Status == "handing").ExecuteUpdateAsync(u => u.SetProperty(t => t.LeasedUntil, until), done);
            }
        }
        catch (OperationCanceledException)
        {
            // Handed over.
        }
    }

    private async Task RecordAsync(Guid practiceId, TouchEngine engine, IReadOnlyList<(TouchRow Touch, Prepared Prepared, MailAnswer Answer)> answers, CancellationToken stop)
    {
        if (answers.Count == 0)
        {
            return;
        }

        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var ids = answers.Select(a => a.Touch.PersonId).Distinct().Order().ToArray();
        await db.Database.ExecuteSqlAsync($"SELECT 1 FROM person_states WHERE person_id = ANY({ids}) ORDER BY person_id FOR UPDATE", stop);
        var batch = await EngineBatch.LoadAsync(db, ids, engine, stop);
        var recorder = new Recorder(db, engine.Shelf);
        foreach (var (touch, prepared, answer) in answers)
        {
            if (answer.Result == MailResult.Later)
            {
                var retry = (Instant?)(MachineNow + RetryAfter);
                await db.Touches.Where(t => t.Id == touch.Id).ExecuteUpdateAsync(u => u.SetProperty(t => t.LeasedUntil, retry).SetProperty(t => t.Reason, "later"), stop);
                LogLater(log, answer.Words);
                continue;
            }

            var failure = answer.Result == MailResult.Refused ? (answer.Words == "cannot-fill" ? "cannot-fill" : "refused-by-server") : null;
            var state = batch.StateOf(touch.PersonId);
            if (state.Runs.All(r => r.Touch.Id != touch.Id))
            {
                continue;
            }

            recorder.Take(batch.States[touch.PersonId], engine.Settle(batch.Facts[touch.PersonId], state, touch.Id, touch.Due, failure));
            if (failure is null)
            {
                db.Messages.Add(new MessageRow
                {
                    TouchId = touch.Id, PracticeId = practiceId, PersonId = touch.PersonId, MessageId = prepared.MessageId,
                    ToAddress = prepared.Person.Email ?? "", FromName = prepared.Sender?.Name ?? "", FromAddress = prepared.Sender?.Email ?? "",
                    Subject = prepared.Letter.Subject, Html = prepared.Letter.BodyHtml, Text = prepared.Letter.Text, SentAt = touch.Due, Answer = answer.Words,
                });
            }
        }

        await recorder.WriteAsync(Instant.MinValue, stop);
        await transaction.CommitAsync(stop);
    }

    [LoggerMessage(Level = LogLevel.Information, Message = "Took up interrupted touches: {Arrived} had arrived, {Again} are sent again")]
    private static partial void LogRecovered(ILogger logger, int arrived, int again);

    [LoggerMessage(Level = LogLevel.Warning, Message = "A message waits for the mail server: {Words}")]
    private static partial void LogLater(ILogger logger, string words);
}
