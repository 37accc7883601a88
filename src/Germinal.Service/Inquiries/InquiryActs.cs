using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Service.Engine;
using Germinal.Service.Mails;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Inquiries;

/// <summary>A mail that is ready to go to somebody who asked, or why it cannot.</summary>
/// <param name="ToAddress">Where it goes.</param>
/// <param name="Subject">One line.</param>
/// <param name="Text">In plain words.</param>
/// <param name="Html">As a page that is mailed; empty for one in plain words.</param>
/// <param name="Problem">Why it cannot go; null where it can.</param>
/// <param name="Shown">As a page of ours shows it.</param>
public sealed record AnswerReady(string ToAddress, string Subject, string Text, string Html, string? Problem, string Shown = "");

/// <summary>What members do with inquiries. Each act touches the inquiry: it goes to no deputy any more.</summary>
public sealed class InquiryActs(LetterWriter writer)
{
    /// <summary>Why no mail may go to somebody; null where one may. A member's own answer needs only that they have not said no to everything.</summary>
    public static async Task<string?> MayNotAsync(GerminalDb db, PersonRow person, PersonFacts facts, Practice practice, Instant now, CancellationToken stop)
    {
        if (person.Email is not { } address)
        {
            return Say($"{person.Name} has no email address. Ring them, or ask for one.");
        }

        if (person.DoNotContact || person.Died)
        {
            return person.Died ? Say($"{person.Name} has died.") : Say($"{person.Name} is marked “do not contact”: {person.DoNotContactReason}.");
        }

        if (await db.Suppressions.AsNoTracking().FirstOrDefaultAsync(s => s.Address == address, stop) is { } gone)
        {
            return Say($"Nothing goes to {address} any more ({gone.Reason}). Ring them, or ask for another address.");
        }

        return ConsentLedger.Read(facts.Consent, practice.Consent, Channel.Email, Purpose.Transactional, null, now, practice.Zone).Verdict == ConsentVerdict.Withdrawn
            ? Say($"{person.Name} has said no to every email. Ring them.")
            : null;
    }

    /// <summary>The answer as it would go: a letter filled in for them, or a member's own words.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="inquiry">The inquiry.</param>
    /// <param name="member">In whose name.</param>
    /// <param name="letter">The letter; null for own words.</param>
    /// <param name="subject">Of own words: the subject; empty for that of their mail.</param>
    /// <param name="words">Of own words: the text.</param>
    /// <param name="mailId">The mail's id.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<AnswerReady> ReadyAsync(GerminalDb db, InquiryRow inquiry, Guid? member, Guid? letter, string subject, string words, Guid mailId, Instant now, CancellationToken stop)
    {
        var practice = await PracticeReading.LoadAsync(db, stop);
        var person = await db.People.AsNoTracking().SingleAsync(p => p.Id == inquiry.PersonId, stop);
        var facts = (await FactsReading.LoadAsync(db, [person.Id], stop))[person.Id];
        var to = person.Email ?? "";
        if (await MayNotAsync(db, person, facts, practice, now, stop) is { } problem)
        {
            return new AnswerReady(to, subject, words, "", problem);
        }

        if (letter is not { } id)
        {
            var asked = inquiry.ReceivedId is { } received ? await db.Received.Where(r => r.Id == received).Select(r => r.Subject).FirstOrDefaultAsync(stop) : null;
            return new AnswerReady(to, subject.Trim() is { Length: > 0 } own ? own : Again(asked ?? inquiry.Form ?? Said("your question")), words.Trim(), "", null);
        }

        if (await db.Letters.AsNoTracking().FirstOrDefaultAsync(l => l.Id == id, stop) is not { } row)
        {
            return new AnswerReady(to, subject, words, "", Said("There is no such letter any more. Choose another."));
        }

        return Fill((row.Name, row.Subject, row.Body), facts, practice, practice.Members.FirstOrDefault(m => m.Id == member), mailId, now, to);
    }

    /// <summary>A kept letter filled in for somebody as one about their own question.</summary>
    public AnswerReady Fill((string Name, string Subject, string Body) letter, PersonFacts facts, Practice practice, Member? sender, Guid mailId, Instant now, string to)
    {
        var step = new EmailStep
        {
            Id = "answer",
            Subject = letter.Subject,
            Body = letter.Body,
        };
        var filled = writer.Fill(step, Purpose.Transactional, mailId, facts, practice, sender ?? practice.SenderFor(facts), now);
        return new AnswerReady(
            to,
            filled.Subject,
            filled.Text,
            filled.Html,
            filled.Missing.Count == 0 ? null : Say($"“{letter.Name}” cannot be filled for {facts.Name}: {MergeFields.Say(filled.Missing)}."),
            filled.BodyHtml.Replace(writer.BaseUrl + "/i/", "/i/", StringComparison.Ordinal)
        );
    }

    private static string Again(string subject) => subject.StartsWith("Re:", StringComparison.OrdinalIgnoreCase) ? subject : $"Re: {subject}";

    /// <summary>Puts an answer on its way and marks the inquiry as answered. The caller has a transaction open.</summary>
    /// <returns>False where it was answered already.</returns>
    public static async Task<bool> AnswerAsync(GerminalDb db, InquiryRow inquiry, Guid member, string by, AnswerReady ready, Guid mailId, Instant now, CancellationToken stop)
    {
        if (!await TouchAsync(db, inquiry.Id, now, stop))
        {
            return false;
        }

        var desk = new PeopleDesk(db, by, now);
        await SendAsync(db, desk, inquiry, member, OwnMailKinds.Written, ready, mailId, stop);
        await new DealingsDesk(db, desk, now).AnswerAsync(inquiry.PersonId, by, InquiryOutcomes.Wrote, stop);
        return true;
    }

    /// <summary>Puts a mail about an inquiry on its way, in the thread of the mail it came by, and into the person's thread. The caller commits.</summary>
    public static async Task SendAsync(GerminalDb db, PeopleDesk desk, InquiryRow inquiry, Guid? member, string kind, AnswerReady ready, Guid mailId, CancellationToken stop)
    {
        var person = await db.People.AsNoTracking().SingleAsync(p => p.Id == inquiry.PersonId, stop);
        var answered = inquiry.ReceivedId is { } received ? await db.Received.Where(r => r.Id == received).Select(r => r.Key).FirstOrDefaultAsync(stop) : null;
        var inReplyTo = MessageIdOf(answered);
        db.OwnMails.Add(
            new OwnMailRow
            {
                Id = mailId,
                PracticeId = db.PracticeId!.Value,
                Kind = kind,
                PersonId = person.Id,
                InquiryId = inquiry.Id,
                MemberId = member,
                ToName = person.Name,
                ToAddress = ready.ToAddress,
                Subject = ready.Subject,
                Html = ready.Html,
                Text = ready.Text,
                InReplyTo = inReplyTo,
                References = inReplyTo is null ? [] : [inReplyTo],
                CreatedAt = desk.Now,
            }
        );
        db.Events.Add(desk.NewNote(person.Id, EventKinds.Wrote, ("subject", ready.Subject), ("text", ready.Text), ("mail", mailId.ToString()), ("how", kind)));
        await db.SaveChangesAsync(stop);
    }

    /// <summary>The Message-ID of a mail that came in, out of the key it is kept by; null where it had none.</summary>
    private static string? MessageIdOf(string? key) =>
        key is not null && key.StartsWith("mail/", StringComparison.Ordinal) && key.Contains('@', StringComparison.Ordinal) && key.Count(c => c == '/') == 1 ? key["mail/".Length..] : null;

    /// <summary>A member has done something about it: it goes to no deputy.</summary>
    /// <returns>False where it does not wait any more.</returns>
    public static async Task<bool> TouchAsync(GerminalDb db, Guid inquiry, Instant now, CancellationToken stop) =>
        await db
            .Inquiries.Where(i => i.Id == inquiry && i.AnsweredAt == null)
            .ExecuteUpdateAsync(u => u.SetProperty(i => i.TouchedAt, i => i.TouchedAt ?? now).SetProperty(i => i.DeputyAt, (Instant?)null), stop) == 1;

    /// <summary>A member has called somebody: reached, their inquiries are answered (rule 17.6); not reached, they are touched. The caller has a transaction open.</summary>
    public static async Task CalledAsync(GerminalDb db, Guid person, string by, bool reached, Instant now, CancellationToken stop)
    {
        if (reached)
        {
            await new DealingsDesk(db, new PeopleDesk(db, by, now), now).AnswerAsync(person, by, InquiryOutcomes.Called, stop);
            return;
        }

        await db
            .Inquiries.Where(i => i.PersonId == person && i.AnsweredAt == null)
            .ExecuteUpdateAsync(u => u.SetProperty(i => i.TouchedAt, i => i.TouchedAt ?? now).SetProperty(i => i.DeputyAt, (Instant?)null), stop);
    }
}
