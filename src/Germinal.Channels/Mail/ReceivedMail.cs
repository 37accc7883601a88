using Germinal.Channels.Letters;
using MimeKit;

namespace Germinal.Channels.Mail;

/// <summary>What kind of message came in.</summary>
public enum ReceivedKind
{
    /// <summary>A person wrote.</summary>
    Reply,

    /// <summary>A machine answered for them (RFC 3834).</summary>
    Automatic,

    /// <summary>A message of ours could not be delivered, or not yet (RFC 3464).</summary>
    Bounce,

    /// <summary>A recipient told their provider that they do not want it (RFC 5965).</summary>
    Complaint,
}

/// <summary>A message that came in, read.</summary>
/// <param name="Kind">What it is.</param>
/// <param name="From">Who wrote, in lower case; empty for none.</param>
/// <param name="FromName">Their name as they give it.</param>
/// <param name="Subject">One line.</param>
/// <param name="MessageId">Its own id, without angle brackets.</param>
/// <param name="About">Message-IDs of ours it answers or reports on, the nearest first.</param>
/// <param name="Text">What is new in it.</param>
/// <param name="Quoted">What it quotes of the thread.</param>
/// <param name="Hard">Of a bounce: true where the address will never work (enhanced status class 5, RFC 3463).</param>
/// <param name="Status">Of a bounce: the enhanced status code.</param>
/// <param name="FailedAddress">Of a bounce: whose it was, as the report says.</param>
/// <param name="IsCut">True where there was more of it than is kept as text.</param>
public sealed record ReceivedMail(
    ReceivedKind Kind,
    string From,
    string FromName,
    string Subject,
    string MessageId,
    IReadOnlyList<string> About,
    string Text,
    string Quoted,
    bool Hard = false,
    string? Status = null,
    string? FailedAddress = null,
    bool IsCut = false,
    bool IsToMany = false
)
{
    // HTML is several times as long as its words.
    private const int MostHtml = 10 * IncomingText.Most;
    private const int MostAbout = 50;

    /// <summary>Reads a message, as much of it as is kept as text.</summary>
    public static ReceivedMail Read(MimeMessage message)
    {
        var from = message.From.Mailboxes.FirstOrDefault();
        var (body, isCut) = BodyOf(message);
        var (text, quoted) = QuotedText.Split(body);
        var plain = new ReceivedMail(
            ReceivedKind.Reply,
            IncomingText.KeepLine(from?.Address).ToLowerInvariant(),
            IncomingText.KeepLine(from?.Name),
            IncomingText.KeepLine(message.Subject),
            IncomingText.KeepLine(message.MessageId),
            Threads(message),
            text,
            quoted,
            IsCut: isCut,
            IsToMany: IsToManyOf(message)
        );
        if (message.Body is MultipartReport report)
        {
            if (report.OfType<MessageFeedbackReport>().FirstOrDefault() is { } feedback)
            {
                // “not-spam” takes a complaint back; the rest say that it was unwanted (RFC 5965 section 7.3).
                var kind = string.Equals(feedback.Fields["Feedback-Type"]?.Trim(), "not-spam", StringComparison.OrdinalIgnoreCase)
                    ? ReceivedKind.Automatic
                    : ReceivedKind.Complaint;
                return plain with
                {
                    Kind = kind,
                    About = [.. Originals(report), .. plain.About],
                    FailedAddress = feedback.Fields["Original-Rcpt-To"]?.Trim('<', '>', ' '),
                };
            }

            if (report.OfType<MessageDeliveryStatus>().FirstOrDefault() is { } delivery)
            {
                return Bounce(plain with { About = [.. Originals(report), .. plain.About] }, delivery);
            }
        }

        return IsAutomatic(message) ? plain with { Kind = ReceivedKind.Automatic } : plain;
    }

    private static (string Text, bool IsCut) BodyOf(MimeMessage message)
    {
        if (message.TextBody is { } text)
        {
            return (IncomingText.Keep(text), text.Length > IncomingText.Most);
        }

        if (message.HtmlBody is not { } html)
        {
            return ("", false);
        }

        var words = LetterHtml.ToText(IncomingText.Keep(html, MostHtml));
        return (IncomingText.Keep(words), html.Length > MostHtml || words.Length > IncomingText.Most);
    }

    private static ReceivedMail Bounce(ReceivedMail plain, MessageDeliveryStatus delivery)
    {
        // The first group is about the message, each other one about a recipient. The worst of them counts.
        var recipients = delivery.StatusGroups.Skip(1).Where(g => g.Contains("Action")).ToList();
        var failed = recipients.Find(g => Is(g, "failed")) ?? recipients.Find(g => Is(g, "delayed"));
        if (failed is null)
        {
            // Delivered, relayed, expanded: news, not a bounce.
            return plain with { Kind = ReceivedKind.Automatic };
        }

        var status = failed["Status"] is { } said ? IncomingText.KeepLine(said.Split(' ', '(')[0], 20) : null;
        var address = (failed["Original-Recipient"] ?? failed["Final-Recipient"]) is { } named
            ? IncomingText.KeepLine(named.Split(';')[^1].Trim().Trim('<', '>'))
            : null;
        return plain with
        {
            Kind = ReceivedKind.Bounce,
            Hard = Is(failed, "failed") && status?.StartsWith("5.", StringComparison.Ordinal) == true,
            Status = status,
            FailedAddress = address,
        };
    }

    private static bool Is(HeaderList group, string action) =>
        string.Equals(group["Action"]?.Split(' ', '(')[0].Trim(), action, StringComparison.OrdinalIgnoreCase);

    /// <summary>The Message-ID of the message a report carries, whole or as headers only.</summary>
    private static IEnumerable<string> Originals(MultipartReport report)
    {
        foreach (var part in report)
        {
            if (part is MessagePart { Message.MessageId: { } whole })
            {
                yield return whole;
            }
            else if (part is TextPart { ContentType.MediaSubtype: "rfc822-headers" } headers)
            {
                using var stream = new MemoryStream();
                headers.Content!.DecodeTo(stream, CancellationToken.None);
                stream.Position = 0;
                if (HeaderList.Load(stream, CancellationToken.None)[HeaderId.MessageId] is { } id)
                {
                    yield return id.Trim().Trim('<', '>');
                }
            }
        }
    }

    private static List<string> Threads(MimeMessage message)
    {
        var ids = new List<string>();
        if (message.InReplyTo is { } answered)
        {
            ids.Add(answered);
        }

        ids.AddRange(message.References.Reverse().Where(r => !ids.Contains(r)).Take(MostAbout));
        return [.. ids.Select(id => IncomingText.KeepLine(id)).Where(id => id.Length > 0)];
    }

    /// <summary>A newsletter or a list's mail (RFC 2369, RFC 2919; Precedence by common practice, no source).</summary>
    private static bool IsToManyOf(MimeMessage message) =>
        message.Headers.Contains(HeaderId.ListUnsubscribe) || message.Headers.Contains(HeaderId.ListId) || PrecedenceOf(message) is "bulk" or "list" or "junk";

    private static string? PrecedenceOf(MimeMessage message) => message.Headers[HeaderId.Precedence]?.Trim().ToLowerInvariant();

    /// <summary>RFC 3834 section 5: Auto-Submitted other than “no”. The rest is common practice, no source.</summary>
    private static bool IsAutomatic(MimeMessage message)
    {
        if (message.Headers[HeaderId.AutoSubmitted] is { } submitted)
        {
            return !submitted.TrimStart().StartsWith("no", StringComparison.OrdinalIgnoreCase);
        }

        return PrecedenceOf(message) is "bulk" or "junk" or "auto_reply"
            || message.Headers.Contains("X-Autoreply")
            || message.Headers.Contains("X-Autorespond")
            || string.Equals(message.Headers[HeaderId.ReturnPath]?.Trim(), "<>", StringComparison.Ordinal);
    }
}
