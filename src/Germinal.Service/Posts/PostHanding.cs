using Germinal.Channels;
using Germinal.Channels.Posts;
using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Service.Tasks;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Posts;

/// <summary>
/// Hands posts to the practice's gateway on their day. Each is handed over once: where a worker goes away with one, or the gateway does not
/// answer, it is asked whether it has it before it gets it again.
/// </summary>
public sealed class PostHanding(IDbContextFactory<GerminalDb> databases, PostGateway gateway, Secrets secrets, ProgramDesk programs, ActNow acts)
{
    /// <summary>In whose name the sheet says it was done.</summary>
    private static string By => Said("the gateway");

    private const int AtOnce = 8;
    private static readonly Duration Lease = Duration.FromMinutes(2);
    private static readonly Duration[] Waits = [.. new[] { 1, 5, 15, 60, 180 }.Select(m => Duration.FromMinutes(m))];

    private static Instant MachineNow => SystemClock.Instance.GetCurrentInstant();

    private sealed record Claimed(Guid Id, bool Again);

    /// <summary>Hands over what is due, of all practices that have a gateway.</summary>
    public async Task HandDueAsync(CancellationToken stop)
    {
        List<PracticeRow> practices;
        await using (var all = await databases.CreateDbContextAsync(stop))
        {
            practices = [.. (await all.Practices.AsNoTracking().Where(p => p.StoppedAt == null).ToListAsync(stop)).Where(p => p.Settings.PostGateway is not null)];
        }

        foreach (var practice in practices)
        {
            await using var db = await databases.CreateDbContextAsync(stop);
            db.PracticeId = practice.Id;
            await HandAsync(db, practice, stop);
        }
    }

    private async Task HandAsync(GerminalDb db, PracticeRow practice, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        await PostDesk.KeepTouchesAsync(db, await programs.EngineAsync(db, stop), null, now, stop);
        var today = now.InZone(LocalClock.Zone(practice.ZoneId) ?? DateTimeZone.Utc).Date;
        var claimed = await ClaimAsync(db, today, stop);
        if (claimed.Count == 0)
        {
            return;
        }

        var settings = practice.Settings.PostGateway!;
        var server = settings.SealedToken.Length == 0 ? new PostServer(new Uri(settings.Address), "") : secrets.Unseal(settings.SealedToken) is { } token ? new PostServer(new Uri(settings.Address), token) : null;
        foreach (var (id, again) in claimed)
        {
            var row = await db.Posts.AsNoTracking().SingleAsync(p => p.Id == id, stop);
            var answer = server is null
                ? ProviderAnswer.Away(Said("The gateway’s token cannot be read any more. A principal has to type it again."))
                : await OneAsync(db, server, row, again, stop);
            await NoteAsync(db, row, again, answer, now, today, stop);
            db.ChangeTracker.Clear();
        }
    }

    private static Task<List<Claimed>> ClaimAsync(GerminalDb db, LocalDate today, CancellationToken stop)
    {
        var (now, until, open) = (MachineNow, MachineNow + Lease, TouchStatus.Open.Word());
        return db
            .Database.SqlQuery<Claimed>(
                $"""
                UPDATE posts p SET status = 'handing', next_try = {until}, attempts = attempts + 1
                FROM (
                  SELECT o.id, o.status FROM posts o LEFT JOIN tasks k ON k.id = o.task_id LEFT JOIN touches t ON t.id = o.touch_id
                  WHERE o.practice_id = {db.PracticeId} AND o.by_itself AND o.status IN ('waiting', 'handing') AND o.next_try <= {now}
                    AND ((k.id IS NOT NULL AND k.done_at IS NULL AND k.due <= {today}) OR t.status = {open})
                  ORDER BY o.next_try, o.id LIMIT {AtOnce} FOR UPDATE OF o SKIP LOCKED) c
                WHERE p.id = c.id RETURNING p.id, c.status = 'handing' AS again
                """
            )
            .ToListAsync(stop);
    }

    private async Task<ProviderAnswer> OneAsync(GerminalDb db, PostServer server, PostRow row, bool again, CancellationToken stop)
    {
        var key = row.Id.ToString();
        if (again)
        {
            var found = await gateway.LookUpAsync(server, key, stop);
            if (found.Result != LookUpResult.NotThere)
            {
                return found.Result == LookUpResult.Found
                    ? new ProviderAnswer(ProviderResult.Sent, "", found.Id)
                    : new ProviderAnswer(ProviderResult.Unknown, Said("The gateway does not say whether it has it; it is asked again."));
            }
        }

        var picture = row.PictureId is { } id ? await db.Images.AsNoTracking().FirstOrDefaultAsync(i => i.Id == id, stop) : null;
        return await gateway.SendAsync(server, new OutgoingPost(key, row.Words, row.Place, picture is null ? null : (picture.ContentType, picture.Content, row.PictureWords)), stop);
    }

    private async Task NoteAsync(GerminalDb db, PostRow row, bool lookedUp, ProviderAnswer answer, Instant now, LocalDate today, CancellationToken stop)
    {
        var wait = Waits[Math.Clamp(row.Attempts - 1, 0, Waits.Length - 1)];
        var (status, next) = answer.Result switch
        {
            ProviderResult.Sent => (PostStatus.Sent, MachineNow),
            ProviderResult.Refused => (PostStatus.Refused, MachineNow),
            ProviderResult.NotTaken => (PostStatus.Waiting, MachineNow + wait),

            // It is asked first whether it has it; and as long as it does not say, it gets nothing twice.
            _ => (PostStatus.Handing, MachineNow + (lookedUp ? wait : Waits[0])),
        };
        if (answer.Result == ProviderResult.Sent)
        {
            await DoneAsync(db, row, now, today, stop);
        }

        var words = answer.Result == ProviderResult.Sent ? "" : answer.Words;
        await db
            .Posts.Where(p => p.Id == row.Id && p.Status == PostStatus.Handing)
            .ExecuteUpdateAsync(
                u =>
                    u.SetProperty(p => p.Status, status).SetProperty(p => p.NextTry, next).SetProperty(p => p.LastAnswer, words).SetProperty(p => p.Address, answer.Result == ProviderResult.Sent ? answer.Id ?? "" : row.Address),
                stop
            );
    }

    /// <summary>It stands there: off the sheet, as if a member had put it there.</summary>
    private async Task DoneAsync(GerminalDb db, PostRow row, Instant now, LocalDate today, CancellationToken stop)
    {
        const string stands = "done";
        if (row.TaskId is { } id && await db.Tasks.FirstOrDefaultAsync(t => t.Id == id, stop) is { } task)
        {
            await using var transaction = await db.Database.BeginTransactionAsync(stop);
            await new TaskDesk(db, By, Guid.Empty, now).FinishAsync(task, stands, null, false, null, today, stop);
            await transaction.CommitAsync(stop);
        }

        if (row is { TouchId: { } touch, PersonId: { } person })
        {
            await acts.TakeAsync(
                db,
                person,
                async at =>
                    await db.Touches.AsNoTracking().AnyAsync(t => t.Id == touch && t.Status == TouchStatus.Open, stop)
                        ? new PeopleDesk(db, By, at).NewEvent(person, new TaskEnded(at, touch, stands, null))
                        : null,
                stop
            );
        }
    }
}
