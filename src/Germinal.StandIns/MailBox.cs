using System.Collections.Concurrent;
using System.Text.Json;
using MimeKit;

namespace Germinal.StandIns;

/// <summary>A message the stand-in took, as lists show it.</summary>
/// <param name="Number">From 1, in the order of arrival.</param>
/// <param name="MessageId">Without angle brackets.</param>
/// <param name="Date">The Date header, ISO 8601.</param>
/// <param name="ReturnPath">The envelope sender.</param>
/// <param name="ReplyTo">Where answers go.</param>
public sealed record TakenMessage(
    int Number,
    string MessageId,
    string From,
    string To,
    string Subject,
    string Date,
    string? ReturnPath = null,
    string? ReplyTo = null
);

/// <summary>A message opened: its headers in order, and both parts.</summary>
public sealed record OpenedMessage(TakenMessage Message, IReadOnlyList<string[]> Headers, string Text, string Html);

/// <summary>What a recipient answers to a message.</summary>
internal sealed record Answer(string Text);

/// <summary>Everything that was sent, kept as files so that it outlives a restart: one .eml a message, and an index.</summary>
public sealed class MailBox
{
    private readonly string folder;
    private readonly List<TakenMessage> messages = [];
    private readonly ConcurrentDictionary<string, int> byId = new(StringComparer.OrdinalIgnoreCase);
    private readonly Lock writing = new();

    /// <param name="folder">Where the files are; made if it is not there.</param>
    public MailBox(string folder)
    {
        this.folder = folder;
        Directory.CreateDirectory(folder);
        if (!File.Exists(Index))
        {
            return;
        }

        foreach (var line in File.ReadLines(Index))
        {
            // A line cut short by a crash belongs to a message that was never acknowledged.
            if (line.EndsWith('}') && JsonSerializer.Deserialize<TakenMessage>(line) is { } message)
            {
                messages.Add(message);
                byId.TryAdd(message.MessageId, message.Number);
            }
        }
    }

    private string Index => Path.Combine(folder, "index.jsonl");

    /// <summary>Keeps a message; when this returns it is on disk.</summary>
    /// <param name="raw">As it came.</param>
    /// <param name="returnPath">The envelope sender, to whom reports go.</param>
    public void Keep(byte[] raw, string? returnPath = null)
    {
        using var parsed = MimeMessage.Load(new MemoryStream(raw));
        lock (writing)
        {
            var number = messages.Count + 1;
            var taken = new TakenMessage(
                number,
                parsed.MessageId ?? "",
                parsed.From.ToString(),
                parsed.To.ToString(),
                parsed.Subject ?? "",
                parsed.Date.ToString("o"),
                returnPath,
                parsed.ReplyTo.Mailboxes.FirstOrDefault()?.Address
            );
            File.WriteAllBytes(FileOf(number), raw);
            File.AppendAllText(Index, JsonSerializer.Serialize(taken) + "\n");
            messages.Add(taken);
            byId.TryAdd(taken.MessageId, number);
        }
    }

    /// <summary>Messages before a number, newest first, whose recipient or subject contains a word.</summary>
    public IReadOnlyList<TakenMessage> List(int? before, string? search, int most)
    {
        lock (writing)
        {
            return
            [
                .. Enumerable
                    .Reverse(messages)
                    .SkipWhile(m => before is not null && m.Number >= before)
                    .Where(m => string.IsNullOrWhiteSpace(search) || $"{m.To} {m.From} {m.Subject}".Contains(search, StringComparison.OrdinalIgnoreCase))
                    .Take(most),
            ];
        }
    }

    /// <summary>How many messages there are.</summary>
    public int Count
    {
        get
        {
            lock (writing)
            {
                return messages.Count;
            }
        }
    }

    /// <summary>The number of the message with a Message-ID, or null.</summary>
    public int? Find(string messageId) => byId.TryGetValue(messageId, out var number) ? number : null;

    /// <summary>The raw source, or null.</summary>
    public byte[]? Source(int number) => File.Exists(FileOf(number)) ? File.ReadAllBytes(FileOf(number)) : null;

    /// <summary>A message opened, or null.</summary>
    public OpenedMessage? Open(int number)
    {
        TakenMessage? taken;
        lock (writing)
        {
            taken = number >= 1 && number <= messages.Count ? messages[number - 1] : null;
        }

        if (taken is null || Source(number) is not { } raw)
        {
            return null;
        }

        using var parsed = MimeMessage.Load(new MemoryStream(raw));
        return new OpenedMessage(taken, [.. parsed.Headers.Select(h => new[] { h.Field, h.Value })], parsed.TextBody ?? "", parsed.HtmlBody ?? "");
    }

    private string FileOf(int number) => Path.Combine(folder, $"{number:000000}.eml");
}
