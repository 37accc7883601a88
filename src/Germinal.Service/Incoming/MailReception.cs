using Germinal.Channels.Mail;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using MimeKit;
using NodaTime;

namespace Germinal.Service.Incoming;

/// <summary>
/// Takes in mail: finds out which touch it is about (by the address it came to, else by the ids it names), whose it is (else
/// by the address it came from), and what it is.
/// </summary>
public sealed class MailReception(IDbContextFactory<GerminalDb> databases, ReplyAddresses replies)
{
    /// <summary>Takes one message in. One that was taken in before changes nothing.</summary>
    /// <param name="message">The message.</param>
    /// <param name="recipients">The addresses it was delivered to (the envelope), or none where that is not known.</param>
    /// <param name="practiceId">The practice whose mailbox it came from; null where only the address tells.</param>
    /// <param name="stop">Gives up.</param>
    public async Task TakeAsync(MimeMessage message, IReadOnlyList<string> recipients, Guid? practiceId, CancellationToken stop)
    {
        await using var db = await databases.CreateDbContextAsync(stop);
        var mail = ReceivedMail.Read(message);
        var addressed = recipients.Concat(message.To.Mailboxes.Select(m => m.Address)).Select(replies.TryRead).FirstOrDefault(r => r is not null);
        var touch = (addressed is { } ours ? await TouchOf.FindAsync(db, ours.TouchId, stop) : null) ?? await TouchOf.FindAsync(db, mail.About, stop);
        var own = touch is null ? await OwnMailOf.FindAsync(db, addressed?.TouchId, mail.About, stop) : null;
        if (own is not null && practiceId is { } theirs && own.PracticeId != theirs)
        {
            own = null;
        }

        if (touch is not null && practiceId is { } box && touch.PracticeId != box)
        {
            // Another practice's message has no business in this practice's mailbox.
            touch = null;
        }

        // A mail to an inquiry address that is about nothing of ours, written by a person to us, is an inquiry.
        var asked = touch is null && own is null ? await AskedBy.PracticeOfAsync(db, recipients.Concat(message.To.Mailboxes.Concat(message.Cc.Mailboxes).Select(m => m.Address)), stop) : null;
        if (practiceId is { } whose && asked != whose)
        {
            asked = null;
        }

        var isInquiry = asked is not null && mail is { Kind: ReceivedKind.Reply, IsToMany: false };

        // What came to no mailbox of a practice and is about no letter of one belongs to nobody.
        if ((touch?.PracticeId ?? own?.PracticeId ?? practiceId ?? (isInquiry ? asked : null)) is not { } at)
        {
            return;
        }

        db.PracticeId = at;
        var now = await PracticeClock.NowAsync(db, stop);
        var person =
            touch?.PersonId
            ?? own?.PersonId
            ?? await db.People.Where(p => p.Email == mail.From && !p.Archived).OrderBy(p => p.Id).Select(p => (Guid?)p.Id).FirstOrDefaultAsync(stop);
        var key = $"mail/{(mail.MessageId.Length > 0 ? mail.MessageId : $"{mail.From}/{message.Date:o}/{mail.Subject}")}";
        if (await db.Received.AnyAsync(r => r.Key == key, stop))
        {
            return;
        }

        await using var transaction = await db.Database.BeginTransactionAsync(stop);
        var row = new ReceivedRow
        {
            PracticeId = at,
            PersonId = person,
            GuessId = person is null ? await GuessAsync(db, mail, stop) : null,
            Channel = "email",
            FromAddress = mail.From,
            Subject = mail.Subject,
            Text = mail.Text,
            Quoted = mail.Quoted,
            TouchId = touch?.TouchId,
            OwnMailId = own?.Id,
            At = now,
            Key = key,
            Kind = mail.Kind.ToString().ToLowerInvariant(),
            SeenAt = mail.Kind == ReceivedKind.Reply ? null : now,
        };
        db.Received.Add(row);
        if (mail.IsCut)
        {
            db.ReceivedFiles.Add(await WholeAsync(row, message, stop));
        }

        if (own is not null && mail.Kind is (ReceivedKind.Bounce or ReceivedKind.Complaint))
        {
            await OwnMailOf.CameBackAsync(db, own, mail, now, stop);
        }

        if (person is { } id)
        {
            await TakeInAsync(db, mail, id, touch, now, stop);
        }

        await db.SaveChangesAsync(stop);
        var from = mail.From.ToUpperInvariant();
        if (isInquiry && !await db.Users.AnyAsync(u => u.PracticeId == at && u.NormalizedEmail == from, stop))
        {
            await AskedBy.MailAsync(db, row, mail.FromName, new PeopleDesk(db, Said("the sender"), now), stop);
        }

        await transaction.CommitAsync(stop);
    }

    /// <summary>The message as it came, where there is more of it than is kept as text.</summary>
    private static async Task<ReceivedFileRow> WholeAsync(ReceivedRow received, MimeMessage message, CancellationToken stop)
    {
        using var memory = new MemoryStream();
        await message.WriteToAsync(memory, stop);
        return new ReceivedFileRow
        {
            PracticeId = received.PracticeId,
            Received = received,
            ContentType = "message/rfc822",
            Content = memory.ToArray(),
        };
    }

    private static async Task TakeInAsync(GerminalDb db, ReceivedMail mail, Guid person, TouchOf? touch, Instant now, CancellationToken stop)
    {
        var desk = new PeopleDesk(db, Said("the recipient"), now);
        var which = TouchOf.WordsOf(touch);
        switch (mail.Kind)
        {
            case ReceivedKind.Reply:
                await AnswersTo.TellAsync(db, person, touch, mail.Subject, now, stop);
                db.Events.Add(
                    desk.NewEvent(
                        person,
                        new Replied(now, Channel.Email, touch?.ProgramId, touch?.StepId),
                        [.. which, ("text", mail.Text), ("quoted", mail.Quoted), ("subject", mail.Subject)]
                    )
                );
                break;
            case ReceivedKind.Automatic:
                db.Events.Add(desk.NewNote(person, EventKinds.AutoReplied, [.. which, ("channel", "email"), ("text", mail.Text)]));
                break;
            case ReceivedKind.Bounce when touch is { Message.BouncedAt: null }:
                await Bounces.TakeAsync(db, touch, mail.Hard, "bounced", mail.Status ?? "", stop);
                break;
            case ReceivedKind.Complaint when touch is not null:
                await Bounces.SuppressAsync(db, touch.Message.ToAddress, "complained", now, stop);
                db.Events.Add(desk.NewNote(person, EventKinds.Complained, [.. which, ("channel", "email")]));
                await desk.AddConsentAsync(person, "email", null, null, false, "express", Said("told their mail provider that it was unwanted"), null, stop);
                break;
        }
    }

    /// <summary>Whose an unknown address may be: somebody whose second address it is, or who bears the name it gives.</summary>
    private static Task<Guid?> GuessAsync(GerminalDb db, ReceivedMail mail, CancellationToken stop)
    {
        var name = PersonNames.Fold(mail.FromName);
        return db
            .People.Where(p => p.OtherEmail == mail.From || (name != "" && p.SearchText.Contains(name)))
            .OrderByDescending(p => p.OtherEmail == mail.From)
            .ThenByDescending(p => p.Memory!.LastTouchAt)
            .Select(p => (Guid?)p.Id)
            .FirstOrDefaultAsync(stop);
    }
}
