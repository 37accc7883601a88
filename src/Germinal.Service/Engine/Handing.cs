using Germinal.Channels.Letters;
using Germinal.Channels.Mail;
using Germinal.Channels.Texts;
using Germinal.Channels;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Service.Letters;
using Germinal.Service.MailAccounts;
using Germinal.Store.Rows;

namespace Germinal.Service.Engine;

/// <summary>A message made ready for its channel.</summary>
/// <param name="Touch">The touch.</param>
/// <param name="To">Whom it is about, and who reads it.</param>
/// <param name="Sender">Who signs; null where nobody does.</param>
/// <param name="Letter">An email's letter; null for a text.</param>
/// <param name="Text">A text's words; null for an email.</param>
/// <param name="Purpose">Its purpose.</param>
/// <param name="Missing">What has no value; a message with any never goes.</param>
public sealed record ReadyMessage(
    TouchRow Touch,
    Addressed To,
    Member? Sender,
    FilledLetter? Letter,
    string? Text,
    Purpose Purpose,
    IReadOnlyList<string> Missing
)
{
    /// <summary>True where the member reads it who looks after the person.</summary>
    public bool ToOwner { get; init; }

    /// <summary>A text's links, whose short addresses stand in it; none for an email.</summary>
    public IReadOnlyList<WrittenLink> TextLinks { get; init; } = [];

    /// <summary>The key by which the provider knows it again.</summary>
    public string Key => Letter is null ? Touch.Id.ToString("N") : OutgoingMail.MessageIdOf(Touch.Id, Sender?.Email ?? "nobody@invalid");
}

/// <summary>Fills messages in and hands them to their channel: emails to the mail server, texts to the gateway.</summary>
public sealed class Handing(
    LiquidLetters liquid,
    LetterWriter writer,
    PublicLinks links,
    ReplyAddresses replies,
    IMailTransport mail,
    ITextGateway texts,
    Secrets secrets,
    CarriedFiles carried,
    MailAccountServers accounts,
    SentCopies copies
)
{
    /// <summary>Fills a touch's message in, as it would go now.</summary>
    public ReadyMessage Prepare(EngineBatch batch, TouchRow touch)
    {
        var person = batch.Facts[touch.PersonId];
        var definition = batch.Engine.Shelf.Find(touch.ProgramId, touch.Version).Definition;
        var practice = batch.Engine.Practice.AsFor(definition);
        var step = person.Worded(touch.Id, definition.StepOf(touch.StepId)!);
        var sender = practice.SenderFor(person, step);
        var found = Readers.Find(practice, person, step, touch.ReaderId);
        var to = found ?? person;

        // A member of the practice is told, not advertised to: nothing to be unsubscribed from, and nothing watched.
        var purpose = step.To is ToOwner ? Purpose.Transactional : definition.PurposeOf(step);
        var gone = found is null ? new[] { "to.name" } : [];
        if (step is TextStep text)
        {
            var missing = new List<string>(gone);
            var words = liquid.FillText(text.Body, to, practice, sender, touch.Due, missing);
            if (step.To is ToOwner)
            {
                return new ReadyMessage(touch, to, sender, null, words, purpose, missing);
            }

            var (shortened, leading) = TextLinks.Shorten(words, place => links.Short(links.ShortCode(touch.Id, place)));
            return new ReadyMessage(touch, to, sender, null, shortened, purpose, missing) { TextLinks = leading };
        }

        var tracking = step.To is ToOwner ? LetterTracking.None : TrackingOf(batch.Settings, definition, step);
        var letter = writer.Fill((EmailStep)step, purpose, touch.Id, to, practice, sender, touch.Due, tracking);
        return new ReadyMessage(touch, to, sender, letter, null, purpose, [.. gone, .. letter.Missing]) { ToOwner = step.To is ToOwner };
    }

    private static LetterTracking TrackingOf(PracticeSettings settings, ProgramDefinition program, Step step) =>
        new(
            true,
            settings.SeeOpens,
            settings.LinkParameters.Where(p => !program.LinkParameters.ContainsKey(p.Key)).Concat(program.LinkParameters).ToDictionary(
                p => p.Key,
                p => p.Value.Replace("{program}", program.Name, StringComparison.Ordinal).Replace("{step}", step.Id, StringComparison.Ordinal)
            )
        );

    /// <summary>Whose own account a message goes out by, by their name; null where it goes by the practice's server, or is a text.</summary>
    public async Task<string?> AccountOfAsync(ReadyMessage ready, CancellationToken stop) =>
        ready is { Letter: not null, Sender: { } sender } && await accounts.OfAsync(ready.Touch.PracticeId, sender.Id, stop) is not null ? sender.Name : null;

    /// <summary>Hands one message over.</summary>
    public async Task<ProviderAnswer> SendAsync(EngineBatch batch, ReadyMessage ready, CancellationToken stop)
    {
        if (ready.Missing.Count > 0 || ready.Sender is null)
        {
            // Facts changed between the decision and the handing over; a message with a gap never goes.
            return new ProviderAnswer(ProviderResult.Refused, "cannot-fill");
        }

        if (ready.Letter is not { } letter)
        {
            return await texts.SendAsync(
                new OutgoingText(ready.Key, ready.To.Reader.Mobile!, ready.Text!, batch.Settings.TextNumber is { Length: > 0 } number ? number : null),
                stop
            );
        }

        var touch = ready.Touch;
        var step = (EmailStep)batch.Engine.Shelf.Find(touch.ProgramId, touch.Version).Definition.StepOf(touch.StepId)!;
        if (await carried.OfAsync(batch.Engine.Practice, touch.PracticeId, step, stop) is not { } files)
        {
            return new ProviderAnswer(ProviderResult.Refused, "cannot-fill");
        }

        var own = await accounts.OfAsync(touch.PracticeId, ready.Sender.Id, stop);

        // What is answered comes to the member's own mailbox where that is read, else to the installation.
        var answeredThere = own is { In: not null, TakesIn: true };
        using var message = OutgoingMail.Build(
            letter,
            ready.Purpose,
            touch.Id,
            ready.Sender,
            ready.To.Reader.Name,
            ready.To.Reader.Email!,
            touch.Due,
            batch.Engine.Practice.Zone,
            links,
            ready.ToOwner ? null : (answeredThere ? null : replies.Of(ReplyUse.Answer, touch.Id)) ?? (step.ReplyTo is { } named ? batch.Engine.Practice.Named(named)?.Email : null),
            files
        );
        if (own is not null)
        {
            return await copies.SendAsync(mail, own, touch.PracticeId, message, stop) with { Of = ready.Sender.Name };
        }

        MailSigning.Sign(message, secrets.SigningFor(batch.Settings, ready.Sender.Email));
        return await mail.SendAsync(message, replies.Of(ReplyUse.Report, touch.Id), secrets.Open(batch.Settings.MailOut), stop);
    }

    /// <summary>Whether the provider took a message before.</summary>
    public Task<LookedUp> LookUpAsync(EngineBatch batch, ReadyMessage ready, CancellationToken stop) =>
        ready.Letter is null ? texts.LookUpAsync(ready.Key, stop) : LookUpMailAsync(batch, ready, stop);

    private async Task<LookedUp> LookUpMailAsync(EngineBatch batch, ReadyMessage ready, CancellationToken stop)
    {
        var own = ready.Sender is { } sender ? await accounts.OfAsync(ready.Touch.PracticeId, sender.Id, stop) : null;
        return await mail.LookUpAsync(ready.Key, own is null ? secrets.Open(batch.Settings.MailOut) : own.Out ?? OpenAccount.Unreachable, stop);
    }

    /// <summary>The short addresses of a text that went.</summary>
    public IEnumerable<ShortLinkRow> ShortLinks(ReadyMessage ready) =>
        ready.TextLinks.Select(
            (_, place) =>
                new ShortLinkRow
                {
                    Code = links.ShortCode(ready.Touch.Id, place),
                    PracticeId = ready.Touch.PracticeId,
                    TouchId = ready.Touch.Id,
                    Place = place,
                }
        );

    /// <summary>The row of a message that went.</summary>
    public static MessageRow Row(ReadyMessage ready, ProviderAnswer answer) =>
        new()
        {
            TouchId = ready.Touch.Id,
            PracticeId = ready.Touch.PracticeId,
            ProgramId = ready.Touch.ProgramId,
            StepId = ready.Touch.StepId,
            PersonId = ready.ToOwner ? ready.To.Person.Id : ready.To.Reader.Id,
            AboutId = ready.ToOwner || ready.To.Reader.Id == ready.To.Person.Id ? null : ready.To.Person.Id,
            MemberId = ready.ToOwner ? ready.To.Reader.Id : null,
            Channel = ready.Letter is null ? "text" : "email",
            MessageId = ready.Letter is null ? answer.Id ?? ready.Key : ready.Key,
            ToAddress = (ready.Letter is null ? ready.To.Reader.Mobile : ready.To.Reader.Email) ?? "",
            FromName = ready.Sender?.Name ?? "",
            FromAddress = ready.Letter is null ? "" : ready.Sender?.Email ?? "",
            Subject = ready.Letter?.Subject ?? "",
            Html = ready.Letter?.BodyHtml ?? "",
            Text = ready.Letter?.Text ?? ready.Text!,
            Parts = ready.Text is { } text ? TextLength.Of(text).Parts : 0,
            SentAt = ready.Touch.Due,
            Answer = answer.Words,
            Links = [.. (ready.Letter?.Links ?? ready.TextLinks).Select(l => new LetterLink(l.Address, l.Name, l.Effects.ToDictionary()))],
        };
}
