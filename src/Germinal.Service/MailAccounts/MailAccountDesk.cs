using Germinal.Channels;
using Germinal.Channels.Mail;
using Germinal.Service.Clock;
using Germinal.Service.Incoming;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using MimeKit;
using NodaTime;

namespace Germinal.Service.MailAccounts;

/// <summary>How an account was tried.</summary>
/// <param name="Worked">Whether all of it works.</param>
/// <param name="Words">What the servers answered.</param>
public sealed record TriedAccount(bool Worked, string Words);

/// <summary>Sets members' own accounts up: tried first, kept only where they work.</summary>
public sealed class MailAccountDesk(MailAccountServers servers, IMailTransport mail, ImapDoor door)
{
    /// <summary>Tries an account, by a letter to oneself and a look at the mailboxes, and keeps it where both go well.</summary>
    /// <param name="db">A context of the practice, in no transaction.</param>
    /// <param name="row">The account as it is to be.</param>
    /// <param name="member">Whose.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<TriedAccount> KeepAsync(GerminalDb db, MailAccountRow row, MemberUser member, CancellationToken stop)
    {
        var account = await servers.OpenAsync(row, stop);
        if (account.Out is not { } server)
        {
            return new TriedAccount(false, account.Trouble ?? Said("Name the server that mail goes out by."));
        }

        using var trial = new MimeMessage { Subject = Said("A test from Germinal"), Body = new TextPart("plain") { Text = Said("Your letters go out by this account from now on. Nothing else is to be done.\n") } };
        trial.MessageId = MimeKit.Utils.MimeUtils.GenerateMessageId(row.Address[(row.Address.LastIndexOf('@') + 1)..]);
        trial.From.Add(new MailboxAddress(member.Name, row.Address));
        trial.To.Add(new MailboxAddress(member.Name, row.Address));
        var answer = await mail.SendAsync(trial, null, server, stop);
        if (answer.Result != ProviderResult.Sent)
        {
            return new TriedAccount(false, answer.Words);
        }

        var words = Say($"A test went to {row.Address}: {answer.Words}");
        if (account.In is { } box)
        {
            string? folder = null;
            var looked = await door.TryAsync(
                box,
                async client =>
                {
                    // Not only named: what cannot be opened now could not be read or written later.
                    await (client.Inbox?.OpenAsync(MailKit.FolderAccess.ReadOnly, stop) ?? Task.CompletedTask);
                    if (await SentCopies.FolderAsync(client, stop) is { } sent)
                    {
                        await sent.OpenAsync(MailKit.FolderAccess.ReadWrite, stop);
                        folder = sent.FullName;
                    }
                },
                stop
            );
            if (looked is { } trouble)
            {
                return new TriedAccount(false, trouble);
            }

            words += folder is null ? Said(" The mailboxes are read; none of them is for sent mail, so nothing is placed there.") : Say($" What you send is placed in “{folder}”.");
        }

        await SaveAsync(db, row, member, stop);
        return new TriedAccount(true, words);
    }

    private async Task SaveAsync(GerminalDb db, MailAccountRow row, MemberUser member, CancellationToken stop)
    {
        row.WorkedAt = SystemClock.Instance.GetCurrentInstant();
        row.Trouble = "";
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        await db.Database.ExecuteSqlAsync($"""SELECT 1 FROM "AspNetUsers" WHERE id = {member.Id} FOR UPDATE""", stop);
        if (await db.MailAccounts.AsTracking().SingleOrDefaultAsync(a => a.MemberId == member.Id, stop) is { } before)
        {
            (row.PerDay, row.TakesIn, row.Private) = (before.PerDay, before.TakesIn, before.Private);
            db.Entry(before).CurrentValues.SetValues(row);
        }
        else
        {
            db.MailAccounts.Add(row);
        }

        await db.SaveChangesAsync(stop);
        await PracticeClock.ReadAnewAsync(db, stop);
        await transaction.CommitAsync(stop);
        servers.Forget(row.PracticeId);
    }

    /// <summary>What is said of an account beside its servers.</summary>
    /// <returns>False where there is none.</returns>
    public async Task<bool> RuleAsync(GerminalDb db, Guid member, int? perDay, bool takesIn, List<string> privates, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        if (await db.MailAccounts.AsTracking().SingleOrDefaultAsync(a => a.MemberId == member, stop) is not { } row)
        {
            return false;
        }

        // What was sent while it was not wanted stays out: the folder is begun with at its end.
        (row.SentValidity, row.SentNext) = row.TakesIn ? (row.SentValidity, row.SentNext) : (0, 0);
        (row.PerDay, row.TakesIn, row.Private) = (perDay, takesIn, privates);
        await db.SaveChangesAsync(stop);
        await PracticeClock.ReadAnewAsync(db, stop);
        await transaction.CommitAsync(stop);
        servers.Forget(row.PracticeId);
        return true;
    }

    /// <summary>Letters go out as the practice's again.</summary>
    /// <returns>False where there was no account.</returns>
    public async Task<bool> EndAsync(GerminalDb db, Guid member, CancellationToken stop)
    {
        if (await db.MailAccounts.Where(a => a.MemberId == member).ExecuteDeleteAsync(stop) == 0)
        {
            return false;
        }

        await PracticeClock.ReadAnewAsync(db, stop);
        servers.Forget(db.PracticeId!.Value);
        return true;
    }
}
