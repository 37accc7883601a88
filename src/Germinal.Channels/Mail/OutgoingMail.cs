using Germinal.Channels.Letters;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using MimeKit;
using NodaTime;

namespace Germinal.Channels.Mail;

/// <summary>A file that a letter carries.</summary>
public sealed record CarriedFile(string Name, string Type, byte[] Content);

/// <summary>Letters as MIME messages (RFC 5322, 2045 to 2049).</summary>
public static class OutgoingMail
{
    /// <summary>
    /// The Message-ID of a touch, the same however often it is handed over: the key by which a server knows it again.
    /// </summary>
    public static string MessageIdOf(Guid touchId, string senderAddress) =>
        $"{touchId:N}@{senderAddress[(senderAddress.IndexOf('@', StringComparison.Ordinal) + 1)..]}";

    /// <summary>The message of a filled letter.</summary>
    /// <param name="letter">The letter.</param>
    /// <param name="purpose">Commercial messages carry List-Unsubscribe (RFC 2369) and List-Unsubscribe-Post (RFC 8058).</param>
    /// <param name="touchId">The touch.</param>
    /// <param name="from">The sender.</param>
    /// <param name="toName">The recipient's name.</param>
    /// <param name="toAddress">The recipient's address.</param>
    /// <param name="at">The Date header, on the clock of <paramref name="zone"/>.</param>
    /// <param name="zone">The sender's zone.</param>
    /// <param name="links">For the unsubscribe address.</param>
    /// <param name="replyTo">Where answers go; null: to the sender.</param>
    /// <param name="files">Files it carries; null for none.</param>
    public static MimeMessage Build(
        FilledLetter letter,
        Purpose purpose,
        Guid touchId,
        Member from,
        string toName,
        string toAddress,
        Instant at,
        DateTimeZone zone,
        PublicLinks links,
        string? replyTo = null,
        IReadOnlyList<CarriedFile>? files = null
    )
    {
        var message = Head(touchId, letter.Subject, from, toName, toAddress, at, zone, replyTo);
        if (purpose == Purpose.Commercial)
        {
            message.Headers.Add("List-Unsubscribe", $"<{links.Unsubscribe(touchId)}>");
            message.Headers.Add("List-Unsubscribe-Post", "List-Unsubscribe=One-Click");
        }

        var body = new BodyBuilder { TextBody = letter.Text, HtmlBody = letter.Html };
        foreach (var file in files ?? [])
        {
            body.Attachments.Add(file.Name, file.Content, ContentType.Parse(file.Type));
        }

        message.Body = body.ToMessageBody();
        return message;
    }

    /// <summary>A message without a body: who writes to whom, when, about what, and the id by which a server knows it again.</summary>
    /// <param name="id">The touch or mail it is of.</param>
    /// <param name="subject">Its subject.</param>
    /// <param name="from">The sender.</param>
    /// <param name="toName">The recipient's name.</param>
    /// <param name="toAddress">The recipient's address.</param>
    /// <param name="at">The Date header, on the clock of <paramref name="zone"/>.</param>
    /// <param name="zone">The sender's zone.</param>
    /// <param name="replyTo">Where answers go; null: to the sender.</param>
    public static MimeMessage Head(Guid id, string subject, Member from, string toName, string toAddress, Instant at, DateTimeZone zone, string? replyTo)
    {
        var message = new MimeMessage
        {
            Subject = subject,
            Date = at.InZone(zone).ToDateTimeOffset(),
            MessageId = MessageIdOf(id, from.Email),
        };
        message.From.Add(new MailboxAddress(from.Name, from.Email));
        message.To.Add(new MailboxAddress(toName, toAddress));
        if (replyTo is not null)
        {
            message.ReplyTo.Add(new MailboxAddress(from.Name, replyTo));
        }

        return message;
    }
}
