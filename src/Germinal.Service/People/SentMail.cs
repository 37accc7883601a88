using Germinal.Store.Rows;
using MimeKit;

namespace Germinal.Service.People;

/// <summary>What was sent, as a mail file (RFC 5322); a text as one without addresses.</summary>
public static class SentMail
{
    /// <summary>The message as mail.</summary>
    public static MimeMessage Of(MessageRow row)
    {
        var mail = new MimeMessage
        {
            Subject = row.Channel == "text" ? Said("(text message)") : row.Subject,
            Date = row.SentAt.ToDateTimeOffset(),
            Body = new BodyBuilder { TextBody = row.Text, HtmlBody = row.Html.Length > 0 ? row.Html : null }.ToMessageBody(),
        };
        if (row.Channel == "email")
        {
            mail.MessageId = row.MessageId;
            mail.From.Add(new MailboxAddress(row.FromName, row.FromAddress));
            mail.To.Add(MailboxAddress.Parse(row.ToAddress));
        }

        return mail;
    }
}
