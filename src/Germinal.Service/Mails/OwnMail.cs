using Germinal.Channels.Calendars;
using Germinal.Channels.Mail;
using Germinal.Core.Practices;
using Germinal.Store.Rows;
using MimeKit;
using NodaTime;

namespace Germinal.Service.Mails;

/// <summary>What mails of the practice's own are for, as they are stored. Closed.</summary>
public static class OwnMailKinds
{
    /// <summary>A member wrote it.</summary>
    public const string Written = "written";

    /// <summary>A form's letter that answers an inquiry by itself (rule 17.5).</summary>
    public const string ByItself = "by-itself";

    /// <summary>It asks whether it was really them (rule 17.3).</summary>
    public const string Confirmation = "confirmation";

    /// <summary>It tells of an appointment that was chosen, moved or cancelled, and carries it for their calendar.</summary>
    public const string Appointment = "appointment";

    /// <summary>A member's own day sheet.</summary>
    public const string Morning = "morning";

    /// <summary>The practice's numbers of a month.</summary>
    public const string Monthly = "monthly";

    /// <summary>To a member, about their own sign-in.</summary>
    public const string Member = "member";

    /// <summary>It leads to a page that shows its reader all that is known of them.</summary>
    public const string OwnLink = "own-link";
}

/// <summary>How far a mail of the practice's own is, as it is stored. Closed.</summary>
public static class OwnMailStatus
{
    public const string Waiting = "waiting";

    /// <summary>A worker has it; where it does not come back the server is asked what became of it.</summary>
    public const string Handing = "handing";

    public const string Sent = "sent";

    /// <summary>The server does not want it, or it came back.</summary>
    public const string Refused = "refused";

    /// <summary>Nobody can say whether it went; it is not sent again by itself.</summary>
    public const string Uncertain = "uncertain";
}

/// <summary>A mail of the practice's own as a MIME message: a real answer in its thread (RFC 5322, 3.6.4).</summary>
public static class OwnMail
{
    /// <summary>The Message-ID of a mail, the same however often it is handed over.</summary>
    public static string MessageIdOf(OwnMailRow row, Member from) => OutgoingMail.MessageIdOf(row.Id, from.Email);

    /// <summary>The message.</summary>
    /// <param name="row">The mail.</param>
    /// <param name="from">In whose name.</param>
    /// <param name="zone">The practice's.</param>
    /// <param name="replyTo">Where answers go; null: to the sender.</param>
    public static MimeMessage Build(OwnMailRow row, Member from, DateTimeZone zone, string? replyTo)
    {
        var message = OutgoingMail.Head(row.Id, row.Subject, from, row.ToName, row.ToAddress, row.CreatedAt, zone, replyTo);
        if (row.InReplyTo is { } answered)
        {
            message.InReplyTo = answered;
            message.References.AddRange(row.References);
        }

        if (row.Kind != OwnMailKinds.Written)
        {
            // A machine wrote it: no machine is to answer (RFC 3834, 5).
            message.Headers.Add("Auto-Submitted", row.Kind == OwnMailKinds.ByItself ? "auto-replied" : "auto-generated");
        }

        var body = new BodyBuilder { TextBody = row.Text };
        if (row.Html.Length > 0)
        {
            body.HtmlBody = row.Html;
        }

        message.Body = row.Calendar.Length == 0 ? body.ToMessageBody() : WithCalendar(row);
        return message;
    }

    /// <summary>The words, and the appointment as calendars read it, whose method the part's type says as well (RFC 6047, 2.4).</summary>
    private static MultipartAlternative WithCalendar(OwnMailRow row)
    {
        var method = row.Calendar.Contains($"METHOD:{AppointmentCalendar.Cancel}\r\n", StringComparison.Ordinal) ? AppointmentCalendar.Cancel : AppointmentCalendar.Request;
        var calendar = new TextPart("calendar") { Text = row.Calendar };
        calendar.ContentType.Parameters.Add("method", method);
        return new MultipartAlternative { new TextPart("plain") { Text = row.Text }, calendar };
    }
}
