using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Channels.Mail;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Service.Letters;
using Germinal.Store;

namespace Germinal.Service.Programs;

/// <summary>
/// Sends a letter as somebody would get it to the member who asks, marked as a trial: through the practice's own line, watched by
/// nobody, kept nowhere, counted nowhere.
/// </summary>
public sealed class TrialMail(LetterWriter writer, PublicLinks links, IMailTransport mail, Secrets secrets, CarriedFiles carried)
{
    /// <summary>What stands before the subject.</summary>
    public const string Mark = "Trial: ";

    /// <summary>Sends it.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="program">The program, its letters filled in.</param>
    /// <param name="step">The email.</param>
    /// <param name="person">As whom it is filled in.</param>
    /// <param name="member">To whose address it goes.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>Null where it went, else what kept it back, in words.</returns>
    public async Task<string?> SendAsync(GerminalDb db, ProgramDefinition program, EmailStep step, PersonFacts person, Guid member, CancellationToken stop)
    {
        var (whole, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var practice = whole.AsFor(program);
        var now = await PracticeClock.NowAsync(db, stop);
        if (practice.Members.FirstOrDefault(m => m.Id == member) is not { } me)
        {
            return Said("You are no member of the practice any more.");
        }

        if (practice.SenderFor(person, step) is not { } sender)
        {
            return Said("Nobody signs it: the person has no owner, and nobody stands in.");
        }

        // A touch of its own that is none: the links that need one show their shape and lead to no page.
        var none = Guid.NewGuid();
        var letter = writer.Fill(step, program.PurposeOf(step), none, Readers.Find(practice, person, step, null) ?? person, practice, sender, now);
        if (letter.Missing.Count > 0)
        {
            return Say($"It cannot be filled for {person.Name}: {Core.Messages.MergeFields.Say(letter.Missing)}.");
        }

        if (await carried.OfAsync(practice, db.PracticeId!.Value, step, stop) is not { } files)
        {
            return Said("A file it carries is not kept any more.");
        }

        using var message = OutgoingMail.Build(
            letter with { Subject = Mark + letter.Subject },
            Purpose.Transactional,
            none,
            sender,
            me.Name,
            me.Email,
            now,
            practice.Zone,
            links,
            files: files
        );
        MailSigning.Sign(message, secrets.SigningFor(settings, sender.Email));
        var answer = await mail.SendAsync(message, null, secrets.Open(settings.MailOut), stop);
        return answer.Result == ProviderResult.Sent ? null : Say($"The mail server did not take it: {answer.Words}");
    }
}
