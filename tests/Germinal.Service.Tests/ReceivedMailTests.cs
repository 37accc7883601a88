using Germinal.Channels.Mail;
using MimeKit;

namespace Germinal.Service.Tests;

/// <summary>Mail that comes in, told apart. The reports are the examples of the RFCs (quoted from memory), with our own Message-ID in them.</summary>
public sealed class ReceivedMailTests
{
    public static ReceivedMail Read(string file) => ReceivedMail.Read(Load(file));

    public static MimeMessage Load(string file) => MimeMessage.Load(Path.Combine(AppContext.BaseDirectory, "Mail", file));

    [Theory]
    [InlineData("dsn-rfc3464-e1.eml", false, "4.0.0", "louisl@larry.slip.umd.edu")] // RFC 3464 appendix E.1: failed, but with a persistent transient status.
    [InlineData("dsn-rfc3464-delayed.eml", false, "4.4.1", "thomas@example.net")] // After RFC 3464 appendix E.3: delayed.
    [InlineData("dsn-hard.eml", true, "5.1.1", "ida@example.com")] // RFC 3463 section 3.2: X.1.1 bad destination mailbox address.
    public void A_delivery_status_notification_says_whose_it_was_and_whether_it_is_for_good(string file, bool hard, string status, string address)
    {
        var mail = Read(file);
        Assert.Equal((ReceivedKind.Bounce, hard, status, address), (mail.Kind, mail.Hard, mail.Status, mail.FailedAddress));
        Assert.Equal("ORIGINAL@example.com", mail.About[0]);
    }

    [Fact]
    public void A_feedback_report_is_a_complaint_and_not_spam_is_none()
    {
        // RFC 5965 appendix B.1.
        var mail = Read("arf-rfc5965-b1.eml");
        Assert.Equal((ReceivedKind.Complaint, "ORIGINAL@example.com"), (mail.Kind, mail.About[0]));
        var text = File.ReadAllText(Path.Combine(AppContext.BaseDirectory, "Mail", "arf-rfc5965-b1.eml"))
            .Replace("Feedback-Type: abuse", "Feedback-Type: not-spam", StringComparison.Ordinal);
        using var taken = MimeMessage.Load(new MemoryStream(System.Text.Encoding.UTF8.GetBytes(text)));
        Assert.Equal(ReceivedKind.Automatic, ReceivedMail.Read(taken).Kind);
    }

    [Theory]
    [InlineData("Auto-Submitted", "auto-replied", ReceivedKind.Automatic)] // RFC 3834 section 5.
    [InlineData("Auto-Submitted", "auto-generated (vacation)", ReceivedKind.Automatic)]
    [InlineData("Auto-Submitted", "no", ReceivedKind.Reply)]
    [InlineData("Precedence", "bulk", ReceivedKind.Automatic)] // Common practice, no source.
    [InlineData("X-Anything", "else", ReceivedKind.Reply)]
    public void Rfc_3834_automatic_answers_are_told_apart(string header, string value, ReceivedKind expected)
    {
        using var message = new MimeMessage
        {
            Subject = "Re: Hello",
            Body = new TextPart("plain") { Text = "Hello" },
        };
        message.From.Add(new MailboxAddress("Ida", "ida@example.com"));
        message.Headers.Add(header, value);
        Assert.Equal(expected, ReceivedMail.Read(message).Kind);
    }

    [Fact]
    public void An_answer_shows_only_what_is_new_and_keeps_the_rest_apart()
    {
        var mail = Read("reply-quoted.eml");
        Assert.Equal(ReceivedKind.Reply, mail.Kind);
        Assert.Equal("Thursday at ten would suit me.\n\nIda", mail.Text);
        Assert.StartsWith("On Mon, Mar 1, 2027", mail.Quoted, StringComparison.Ordinal);
        Assert.Contains("> shall we meet this week?", mail.Quoted, StringComparison.Ordinal);
        Assert.Equal(["ORIGINAL@example.com"], mail.About);
    }

    [Theory]
    [InlineData("Yes please.", "Yes please.", "")]
    [InlineData("Yes.\n\n-----Original Message-----\nFrom: Ada\nHello", "Yes.", "-----Original Message-----\nFrom: Ada\nHello")]
    [InlineData("> Shall we?\n\nYes.", "Yes.", "> Shall we?")]
    [InlineData("Yes.\n\nAm 1. März 2027 um 09:30 schrieb Ada Quill:\n> Hallo", "Yes.", "Am 1. März 2027 um 09:30 schrieb Ada Quill:\n> Hallo")]
    [InlineData(
        "Yes.\n\n________________________________\nFrom: Ada Quill\nSent: Monday\nTo: Ida\nSubject: Hello\n\nText",
        "Yes.",
        "________________________________\nFrom: Ada Quill\nSent: Monday\nTo: Ida\nSubject: Hello\n\nText"
    )]
    [InlineData("On Monday I wrote to you: nothing came.\nIda", "On Monday I wrote to you: nothing came.\nIda", "")]
    [InlineData("", "", "")]
    public void What_is_quoted_is_found_in_the_ways_mail_programs_quote(string text, string fresh, string quoted) =>
        Assert.Equal((fresh, quoted), QuotedText.Split(text));

    [Fact]
    public void An_answer_in_html_alone_is_read_as_text()
    {
        using var message = new MimeMessage
        {
            Subject = "Re",
            Body = new TextPart("html") { Text = "<p>Yes, <b>Thursday</b>.</p><p>Ida</p>" },
        };
        message.From.Add(new MailboxAddress("Ida", "Ida@Example.com"));
        var mail = ReceivedMail.Read(message);
        Assert.Equal(("ida@example.com", "Yes, Thursday.\n\nIda"), (mail.From, mail.Text));
    }
}
