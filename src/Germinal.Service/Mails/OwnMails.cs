using System.Collections.Concurrent;
using Germinal.Channels;
using Germinal.Channels.Mail;
using Germinal.Core.Practices;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.MailAccounts;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Mails;

/// <summary>
/// Sends mails that no program planned: written ones, answers by themselves, questions whether it was really them. Each is handed over once; where a
/// worker goes away with one, the server is asked, and where that cannot say it is shown as uncertain and not sent again.
/// </summary>
public sealed class OwnMails(IDbContextFactory<GerminalDb> databases, IMailTransport mail, ReplyAddresses replies, Secrets secrets, MailAccountServers accounts, SentCopies copies)
{
    private const int AtOnce = 16;
    private const int MostTries = 40;
    private static readonly Duration Lease = Duration.FromSeconds(90);
    private static readonly Duration[] Waits = [.. new[] { 2, 10, 60, 300, 900 }.Select(s => Duration.FromSeconds(s))];

    private static Instant MachineNow => SystemClock.Instance.GetCurrentInstant();

    private sealed record Claimed(Guid Id, bool Again);

    /// <summary>Sends what is due of a practice.</summary>
    /// <returns>False where nothing was.</returns>
    public async Task<bool> SendDueAsync(Guid practiceId, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        db.PracticeId = practiceId;
        var claimed = await ClaimAsync(db, stop);
        if (claimed.Count == 0)
        {
            return false;
        }

        await SendAsync(db, claimed, stop);
        return true;
    }

    private static Task<List<Claimed>> ClaimAsync(GerminalDb db, CancellationToken stop)
    {
        var (now, until) = (MachineNow, MachineNow + Lease);
        return db
            .Database.SqlQuery<Claimed>(
                $"""
                UPDATE own_mails m SET status = 'handing', next_try = {until}, attempts = attempts + 1
                FROM (SELECT id, status FROM own_mails WHERE status IN ('waiting', 'handing') AND next_try <= {now} AND practice_id = {db.PracticeId} ORDER BY next_try LIMIT {AtOnce} FOR UPDATE SKIP LOCKED) o
                WHERE m.id = o.id RETURNING m.id, o.status = 'handing' AS again
                """
            )
            .ToListAsync(stop);
    }

    private async Task SendAsync(GerminalDb db, List<Claimed> claimed, CancellationToken stop)
    {
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var server = secrets.Open(settings.MailOut);
        var ids = claimed.Select(c => c.Id).ToList();
        var rows = await db.OwnMails.AsNoTracking().Where(m => ids.Contains(m.Id)).ToListAsync(stop);
        var answers = new ConcurrentQueue<(OwnMailRow Row, Member? From, bool LookedUp, ProviderAnswer Answer)>();
        await Parallel.ForEachAsync(
            rows,
            new ParallelOptions { MaxDegreeOfParallelism = AtOnce, CancellationToken = stop },
            async (row, s) =>
            {
                var (from, again) = (SenderOf(practice, row), claimed.First(c => c.Id == row.Id).Again);
                answers.Enqueue((row, from, again, await OneAsync(practice, row, from, again, server, from is null ? null : secrets.SigningFor(settings, from.Email), s)));
            }
        );
        var now = await PracticeClock.NowAsync(db, stop);
        foreach (var (row, from, lookedUp, answer) in answers)
        {
            await NoteAsync(db, row, from, lookedUp, answer, now, stop);
        }
    }

    /// <summary>Whoever it is from: the member, else whoever stands in for the practice.</summary>
    internal static Member? SenderOf(Practice practice, OwnMailRow row) =>
        practice.Members.FirstOrDefault(m => m.Id == row.MemberId) ?? practice.Members.FirstOrDefault(m => m.Id == practice.FallbackSender) ?? (practice.Members.Count > 0 ? practice.Members[0] : null);

    private async Task<ProviderAnswer> OneAsync(Practice practice, OwnMailRow row, Member? from, bool again, MailServer? server, SigningKey? key, CancellationToken stop)
    {
        if (from is null)
        {
            return new ProviderAnswer(ProviderResult.Refused, Said("The practice has no member in whose name it could go."));
        }

        // What the installation tells members about themselves is no letter of anybody's.
        var own = row.Kind is not (OwnMailKinds.Written or OwnMailKinds.ByItself or OwnMailKinds.Appointment) ? null : await accounts.OfAsync(row.PracticeId, from.Id, stop);
        if (again)
        {
            var found = await mail.LookUpAsync(OwnMail.MessageIdOf(row, from), own is null ? server : own.Out ?? OpenAccount.Unreachable, stop);
            if (found.Result != LookUpResult.NotThere)
            {
                return found.Result == LookUpResult.Found ? new ProviderAnswer(ProviderResult.Sent, Said("found at the server after an interruption")) : new ProviderAnswer(ProviderResult.Unknown, row.LastAnswer);
            }
        }

        using var message = OwnMail.Build(row, from, practice.Zone, own is { In: not null, TakesIn: true } ? null : replies.Of(ReplyUse.Answer, row.Id));
        if (own is not null)
        {
            return await copies.SendAsync(mail, own, row.PracticeId, message, stop);
        }

        MailSigning.Sign(message, key);
        return await mail.SendAsync(message, replies.Of(ReplyUse.Report, row.Id), server, stop);
    }

    private static async Task NoteAsync(GerminalDb db, OwnMailRow row, Member? from, bool lookedUp, ProviderAnswer answer, Instant now, CancellationToken stop)
    {
        var tried = row.Attempts;
        var (status, next) = answer.Result switch
        {
            ProviderResult.Sent => (OwnMailStatus.Sent, MachineNow),
            ProviderResult.Refused => (OwnMailStatus.Refused, MachineNow),
            ProviderResult.NotTaken when tried < MostTries => (OwnMailStatus.Waiting, MachineNow + Waits[Math.Clamp(tried - 1, 0, Waits.Length - 1)]),
            ProviderResult.NotTaken => (OwnMailStatus.Refused, MachineNow),

            // The server is asked first whether it has it.
            _ when !lookedUp => (OwnMailStatus.Handing, MachineNow + Waits[0]),
            _ => (OwnMailStatus.Uncertain, MachineNow),
        };
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db
            .OwnMails.Where(m => m.Id == row.Id && m.Status == OwnMailStatus.Handing)
            .ExecuteUpdateAsync(
                u =>
                    u.SetProperty(m => m.Status, status)
                        .SetProperty(m => m.NextTry, next)
                        .SetProperty(m => m.SentAt, m => status == OwnMailStatus.Sent ? now : m.SentAt)
                        .SetProperty(m => m.LastAnswer, answer.Words),
                stop
            );
        if (status is OwnMailStatus.Refused or OwnMailStatus.Uncertain)
        {
            await TellAsync(db, row, from?.Id, status, answer.Words, now, stop);
        }

        await transaction.CommitAsync(stop);
    }

    /// <summary>Tells whoever it went in the name of that it did not, or may not have.</summary>
    internal static async Task TellAsync(GerminalDb db, OwnMailRow row, Guid? member, string status, string words, Instant now, CancellationToken stop)
    {
        var what = status == OwnMailStatus.Refused ? Said("did not reach them") : Said("may not have reached them");
        await Incoming.Notices.TellAsync(db, "own-mail", member, row.PersonId, Say($"Your mail “{row.Subject}” to {row.ToAddress} {what}: {words}"), $"own-mail/{row.Id}", now, stop);
    }
}
