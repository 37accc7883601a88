using System.Globalization;
using System.Net;
using System.Security.Cryptography;
using System.Text;
using System.Text.RegularExpressions;
using MailKit.Net.Smtp;
using MimeKit;

namespace Germinal.StandIns;

/// <summary>How often people do what, of a thousand messages; the rest is their habits.</summary>
public sealed record Rates
{
    /// <summary>Letters whose links a provider's scanner follows the moment they arrive.</summary>
    public int Scanned { get; init; } = 40;

    /// <summary>Addresses of a thousand that do not exist.</summary>
    public int NoSuchAddress { get; init; } = 4;

    /// <summary>Letters that come back for now.</summary>
    public int SoftBounce { get; init; } = 3;

    /// <summary>Letters with a link whose reader follows it.</summary>
    public int Follow { get; init; } = 130;

    /// <summary>Letters that are answered.</summary>
    public int Answer { get; init; } = 9;

    /// <summary>Letters that meet an absence note.</summary>
    public int Away { get; init; } = 7;

    /// <summary>Letters after which somebody unsubscribes.</summary>
    public double Leave { get; init; } = 1.1;

    /// <summary>Letters somebody complains about.</summary>
    public double Complain { get; init; } = 0.15;

    /// <summary>Texts that are answered.</summary>
    public int AnswerText { get; init; } = 40;

    /// <summary>Texts answered with STOP.</summary>
    public int StopText { get; init; } = 4;
}

/// <summary>
/// People who get mail and texts: they open, follow links, answer, are away, complain and leave, each by their own habits and
/// hours, from a fixed seed, and speak to us as real ones do: by HTTP, by SMTP and through the gateway. They live on the
/// practice's clock, which is told to them.
/// </summary>
internal sealed partial class Recipients(MailBox box, TextBox texts, Gateway gateway, HttpClient http, int inboundPort, Rates rates)
{
    private static readonly string[] Answers =
    [
        "Thank you, that is helpful. Could we talk about it next week?",
        "Thursday morning would suit me. Shall I bring the papers?",
        "Not just now, but do keep writing.",
        "We have talked it over at home and would like to go on.",
        "What would that cost us, roughly?",
        "Please call me in the evening, after six.",
    ];

    private static readonly string[] TextAnswers = ["Yes, thank you", "See you then", "Can we make it an hour later?", "Got it"];

    private readonly PriorityQueue<Func<Task>, (DateTimeOffset At, int Number)> doing = new();
    private readonly Dictionary<string, int> did = [];
    private int lastMail;
    private int lastText;
    private int number;

    [GeneratedRegex("""src="([^"]+/o/[^"]+\.gif)""", RegexOptions.None, matchTimeoutMilliseconds: 1000)]
    private static partial Regex Picture();

    [GeneratedRegex("""href="([^"]+/l/[^"]+)""", RegexOptions.None, matchTimeoutMilliseconds: 1000)]
    private static partial Regex Link();

    /// <summary>Does everything people do up to a moment of the practice's clock; what of each kind has been done in all comes back.</summary>
    public async Task<IReadOnlyDictionary<string, int>> LiveAsync(DateTimeOffset until)
    {
        for (; lastMail < box.Count; lastMail++)
        {
            Read(box.Open(lastMail + 1)!, box.Source(lastMail + 1)!);
        }

        foreach (var text in texts.Since(ref lastText))
        {
            if (text.Key is not null)
            {
                ReadText(text, until);
            }
        }

        while (doing.TryPeek(out var act, out var when) && when.At <= until)
        {
            doing.Dequeue();
            await act();
        }

        return did;
    }

    private void Plan(DateTimeOffset at, string what, Func<Task> act) =>
        doing.Enqueue(
            async () =>
            {
                await act();
                did[what] = did.GetValueOrDefault(what) + 1;
            },
            (at, number++)
        );

    /// <summary>A number from 0 to 1 that is the same every time for the same words.</summary>
    private static double Draw(string words)
    {
        Span<byte> hash = stackalloc byte[32];
        SHA256.HashData(Encoding.UTF8.GetBytes(words), hash);
        return BitConverter.ToUInt32(hash) / (uint.MaxValue + 1.0);
    }

    private static bool Happens(string words, double ofThousand) => Draw(words) * 1000 < ofThousand;

    private void Read(OpenedMessage mail, byte[] source)
    {
        var (who, id) = (mail.Message.To, mail.Message.MessageId);
        var sent = DateTimeOffset.Parse(mail.Message.Date, CultureInfo.InvariantCulture);
        var about = $"{who}/{mail.Message.Subject}/{sent:yyyy-MM-dd}";
        if (Happens($"exists/{who}", rates.NoSuchAddress))
        {
            Plan(sent.AddMinutes(1), "bounced for good", () => BounceAsync(mail, source, true));
            return;
        }

        if (Happens($"soft/{about}", rates.SoftBounce))
        {
            Plan(sent.AddMinutes(2), "bounced for now", () => BounceAsync(mail, source, false));
            return;
        }

        var links = Link().Matches(mail.Html).Select(m => WebUtility.HtmlDecode(m.Groups[1].Value)).ToList();
        if (links.Count > 0 && Happens($"scan/{about}", rates.Scanned))
        {
            Plan(sent, "scanned", () => Task.WhenAll(links.Select(l => GetAsync(l, "LinkScanner/1.0 (bot)"))));
        }

        if (Happens($"away/{about}", rates.Away))
        {
            Plan(sent.AddMinutes(1), "was away", () => AnswerAsync(mail, "I am away until Monday and will read your message then.", automatic: true));
        }

        // A habit of opening, and an hour of the day to do it.
        var opens = 0.25 + 0.5 * Draw($"habit/{who}");
        if (mail.Message.Subject.Split(',', ' ') is [{ Length: > 2 } first, ..] && who.TrimStart('"').StartsWith(first, StringComparison.OrdinalIgnoreCase))
        {
            // A subject that begins with one's own name is looked at rather more often.
            opens = Math.Min(0.95, opens * 1.4);
        }

        if (Draw($"open/{about}") > opens || Picture().Match(mail.Html) is not { Success: true } picture)
        {
            return;
        }

        var at = NextReading(sent, who, about);
        Plan(at, "opened", () => GetAsync(picture.Groups[1].Value, "Mozilla/5.0 (X11; Linux x86_64)"));
        if (links.Count > 0 && Happens($"follow/{about}", rates.Follow / opens))
        {
            Plan(at.AddMinutes(1), "followed a link", () => GetAsync(links[0], "Mozilla/5.0 (X11; Linux x86_64)"));
        }

        if (mail.Message.ReplyTo is not null && Happens($"answer/{about}", rates.Answer / opens))
        {
            Plan(at.AddMinutes(7), "answered", () => AnswerAsync(mail, Answers[(int)(Draw($"words/{about}") * Answers.Length)], automatic: false));
        }
        else if (Happens($"leave/{about}", rates.Leave / opens))
        {
            Plan(at.AddMinutes(2), "unsubscribed", () => LeaveAsync(mail));
        }
        else if (Happens($"complain/{about}", rates.Complain / opens))
        {
            Plan(at.AddMinutes(3), "complained", () => ComplainAsync(mail, source));
        }
    }

    /// <summary>Some read at once, most in the evening or next morning, a few days later.</summary>
    private static DateTimeOffset NextReading(DateTimeOffset sent, string who, string about)
    {
        var draw = Draw($"when/{about}");
        var hour = 7 + (int)(14 * Draw($"hour/{who}"));
        if (draw < 0.35)
        {
            return sent.AddMinutes(4 + (200 * draw));
        }

        var day = sent.Date.AddDays(draw < 0.75 ? (sent.Hour < hour ? 0 : 1) : 1 + (int)(8 * (draw - 0.75)));
        return new DateTimeOffset(day.AddHours(hour).AddMinutes(60 * Draw($"minute/{about}")), sent.Offset);
    }

    private void ReadText(TakenText text, DateTimeOffset now)
    {
        if (Happens($"stop/{text.Key}", rates.StopText))
        {
            Plan(now, "texted STOP", () => gateway.WriteAsync(text.To, "STOP", text.From));
        }
        else if (Happens($"text/{text.Key}", rates.AnswerText))
        {
            Plan(now, "texted", () => gateway.WriteAsync(text.To, TextAnswers[(int)(Draw($"words/{text.Key}") * TextAnswers.Length)], text.From));
        }
    }

    private async Task GetAsync(string address, string agent)
    {
        using var request = new HttpRequestMessage(HttpMethod.Get, address);
        request.Headers.UserAgent.TryParseAdd(agent);
        using var response = await http.SendAsync(request, HttpCompletionOption.ResponseHeadersRead);
    }

    private async Task LeaveAsync(OpenedMessage mail)
    {
        var address = mail.Headers.FirstOrDefault(h => h[0] == "List-Unsubscribe")?[1].Trim('<', '>', ' ');
        if (address is not null)
        {
            using var form = new FormUrlEncodedContent([new("List-Unsubscribe", "One-Click")]);
            using var response = await http.PostAsync(address, form);
        }
    }

    /// <summary>Somebody answers a message by hand, as its recipient would.</summary>
    /// <param name="mail">What they answer.</param>
    /// <param name="words">What they say.</param>
    /// <returns>False where nobody takes answers in.</returns>
    public async Task<bool> WriteAsync(OpenedMessage mail, string words)
    {
        if (mail.Message.ReplyTo is null || inboundPort == 0)
        {
            return false;
        }

        await AnswerAsync(mail, words, automatic: false);
        return true;
    }

    private Task AnswerAsync(OpenedMessage mail, string words, bool automatic)
    {
        var quote = string.Join('\n', mail.Text.Split('\n').Take(12).Select(l => $"> {l}"));
        var message = new MimeMessage
        {
            Subject = $"{(automatic ? "Automatic answer: " : "Re: ")}{mail.Message.Subject}",
            MessageId = $"a{number}.{Guid.NewGuid():N}@example.com",
            InReplyTo = mail.Message.MessageId,
        };
        message.Body = new TextPart("plain") { Text = automatic ? words : $"{words}\n\nOn {mail.Message.Date[..10]} {mail.Message.From} wrote:\n{quote}\n" };
        message.From.AddRange(InternetAddressList.Parse(mail.Message.To));
        message.To.Add(MailboxAddress.Parse(mail.Message.ReplyTo!));
        if (automatic)
        {
            message.Headers.Add(HeaderId.AutoSubmitted, "auto-replied");
        }

        return SendAsync(message, mail.Message.ReplyTo!);
    }

    private Task BounceAsync(OpenedMessage mail, byte[] source, bool hard)
    {
        var status = new MessageDeliveryStatus();
        status.StatusGroups.Add(new HeaderList { { "Reporting-MTA", "dns; mail.example.com" } });
        status.StatusGroups.Add(
            new HeaderList
            {
                { "Final-Recipient", $"rfc822; {Address(mail.Message.To)}" },
                { "Action", hard ? "failed" : "delayed" },
                { "Status", hard ? "5.1.1" : "4.2.2" },
                { "Diagnostic-Code", hard ? "smtp; 550 5.1.1 no such user" : "smtp; 452 4.2.2 mailbox full" },
            }
        );
        return ReportAsync(mail, source, "delivery-status", status, hard ? "Undelivered mail returned to sender" : "Message delayed");
    }

    private Task ComplainAsync(OpenedMessage mail, byte[] source)
    {
        var feedback = new MessageFeedbackReport();
        feedback.Fields.Add("Feedback-Type", "abuse");
        feedback.Fields.Add("User-Agent", "StandIn/1.0");
        feedback.Fields.Add("Version", "1");
        return ReportAsync(mail, source, "feedback-report", feedback, "Complaint");
    }

    private Task ReportAsync(OpenedMessage mail, byte[] source, string type, MimeEntity part, string subject)
    {
        if (mail.Message.ReturnPath is not { } to)
        {
            return Task.CompletedTask;
        }

        var report = new MultipartReport(type)
        {
            new TextPart("plain") { Text = subject },
            part,
            new MessagePart { Message = MimeMessage.Load(new MemoryStream(source)) },
        };
        var message = new MimeMessage
        {
            Subject = subject,
            MessageId = $"r{number}.{Guid.NewGuid():N}@example.com",
            Body = report,
        };
        message.From.Add(new MailboxAddress("Mail system", "mailer-daemon@example.com"));
        message.To.Add(MailboxAddress.Parse(to));
        message.Headers.Add(HeaderId.AutoSubmitted, "auto-generated");
        return SendAsync(message, to);
    }

    private async Task SendAsync(MimeMessage message, string to)
    {
        using (message)
        using (var client = new SmtpClient())
        {
            await client.ConnectAsync("127.0.0.1", inboundPort, MailKit.Security.SecureSocketOptions.None);
            await client.SendAsync(message, message.From.Mailboxes.First(), [MailboxAddress.Parse(to)]);
            await client.DisconnectAsync(true);
        }
    }

    private static string Address(string mailbox) => MailboxAddress.Parse(mailbox).Address;
}
