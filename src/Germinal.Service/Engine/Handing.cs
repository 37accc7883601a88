using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Channels.Mail;
using Germinal.Channels.Texts;
using Germinal.Core.Contact;
using Germinal.Core.Messages;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.Store.Rows;

namespace Germinal.Service.Engine;

/// <summary>A message made ready for its channel.</summary>
/// <param name="Touch">The touch.</param>
/// <param name="Person">The recipient.</param>
/// <param name="Sender">Who signs; null where nobody does.</param>
/// <param name="Letter">An email's letter; null for a text.</param>
/// <param name="Text">A text's words; null for an email.</param>
/// <param name="Purpose">Its purpose.</param>
/// <param name="Missing">What has no value; a message with any never goes.</param>
public sealed record ReadyMessage(
    TouchRow Touch,
    PersonFacts Person,
    Member? Sender,
    FilledLetter? Letter,
    string? Text,
    Purpose Purpose,
    IReadOnlyList<string> Missing
)
{
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
    Secrets secrets
)
{
    /// <summary>Fills a touch's message in, as it would go now.</summary>
    public ReadyMessage Prepare(EngineBatch batch, TouchRow touch)
    {
        var person = batch.Facts[touch.PersonId];
        var definition = batch.Engine.Shelf.Find(touch.ProgramId, touch.Version).Definition;
        var practice = batch.Engine.Practice.AsFor(definition);
        var step = definition.StepOf(touch.StepId)!;
        var sender = practice.SenderFor(person, step);
        var purpose = definition.PurposeOf(step);
        if (step is TextStep text)
        {
            var missing = new List<string>();
            var words = liquid.FillText(text.Body, person, practice, sender, touch.Due, missing);
            return new ReadyMessage(touch, person, sender, null, words, purpose, missing);
        }

        var letter = writer.Fill((EmailStep)step, purpose, touch.Id, person, practice, sender, touch.Due, TrackingOf(batch.Settings, definition, step));
        return new ReadyMessage(touch, person, sender, letter, null, purpose, letter.Missing);
    }

    private static LetterTracking TrackingOf(PracticeSettings settings, ProgramDefinition program, Step step) =>
        new(
            true,
            settings.SeeOpens,
            settings.LinkParameters.ToDictionary(
                p => p.Key,
                p => p.Value.Replace("{program}", program.Name, StringComparison.Ordinal).Replace("{step}", step.Id, StringComparison.Ordinal)
            )
        );

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
                new OutgoingText(ready.Key, ready.Person.Mobile!, ready.Text!, batch.Settings.TextNumber is { Length: > 0 } number ? number : null),
                stop
            );
        }

        var touch = ready.Touch;
        using var message = OutgoingMail.Build(
            letter,
            ready.Purpose,
            touch.Id,
            ready.Sender,
            ready.Person.Name,
            ready.Person.Email!,
            touch.Due,
            batch.Engine.Practice.Zone,
            links,
            replies.Of(ReplyUse.Answer, touch.Id)
        );
        return await mail.SendAsync(message, replies.Of(ReplyUse.Report, touch.Id), secrets.Open(batch.Settings.MailOut), stop);
    }

    /// <summary>Whether the provider took a message before.</summary>
    public Task<LookedUp> LookUpAsync(EngineBatch batch, ReadyMessage ready, CancellationToken stop) =>
        ready.Letter is null ? texts.LookUpAsync(ready.Key, stop) : mail.LookUpAsync(ready.Key, secrets.Open(batch.Settings.MailOut), stop);

    /// <summary>The row of a message that went.</summary>
    public static MessageRow Row(ReadyMessage ready, ProviderAnswer answer) =>
        new()
        {
            TouchId = ready.Touch.Id,
            PracticeId = ready.Touch.PracticeId,
            PersonId = ready.Touch.PersonId,
            Channel = ready.Letter is null ? "text" : "email",
            MessageId = ready.Letter is null ? answer.Id ?? ready.Key : ready.Key,
            ToAddress = (ready.Letter is null ? ready.Person.Mobile : ready.Person.Email) ?? "",
            FromName = ready.Sender?.Name ?? "",
            FromAddress = ready.Letter is null ? "" : ready.Sender?.Email ?? "",
            Subject = ready.Letter?.Subject ?? "",
            Html = ready.Letter?.BodyHtml ?? "",
            Text = ready.Letter?.Text ?? ready.Text!,
            Parts = ready.Text is { } text ? TextLength.Of(text).Parts : 0,
            SentAt = ready.Touch.Due,
            Answer = answer.Words,
            Links = [.. (ready.Letter?.Links ?? []).Select(l => new LetterLink(l.Address, l.Name, l.Effects.ToDictionary()))],
        };
}
