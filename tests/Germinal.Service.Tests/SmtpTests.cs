using System.Buffers;
using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;
using Germinal.Channels;
using Germinal.Channels.Mail;
using Germinal.StandIns;
using MimeKit;
using SmtpServer;
using SmtpServer.ComponentModel;
using SmtpServer.Protocol;
using SmtpServer.Storage;

namespace Germinal.Service.Tests;

/// <summary>The transport against a server that speaks real SMTP, and the stand-in's box.</summary>
public sealed class SmtpTests : IAsyncLifetime
{
    private readonly CancellationTokenSource stop = new();
    private readonly AnsweringStore store = new();
    private int port;
    private Task? serving;

    public Task InitializeAsync()
    {
        var listener = new TcpListener(IPAddress.Loopback, 0);
        listener.Start();
        port = ((IPEndPoint)listener.LocalEndpoint).Port;
        listener.Stop();
        var options = new SmtpServerOptionsBuilder().ServerName("test").Endpoint(e => e.Endpoint(new IPEndPoint(IPAddress.Loopback, port))).Build();
        var services = new ServiceProvider();
        services.Add(store);
        serving = new SmtpServer.SmtpServer(options, services).StartAsync(stop.Token);
        return Task.CompletedTask;
    }

    public async Task DisposeAsync()
    {
        await stop.CancelAsync();
        try
        {
            await serving!;
        }
        catch (OperationCanceledException)
        {
            // It was told to stop.
        }

        stop.Dispose();
    }

    /// <summary>A letter of two pieces took 40 milliseconds longer where its second waited until the first was acknowledged.</summary>
    [Fact]
    public async Task No_piece_of_a_letter_waits_for_the_one_before()
    {
        using var own = await ServerLine.ToOwnAsync("127.0.0.1", port, default);
        using var named = await new ServerLine(true).ConnectAsync("127.0.0.1", port, default);

        Assert.True(own.NoDelay && own.Connected);
        Assert.True(named.NoDelay && named.Connected);
    }

    private sealed class AnsweringStore : MessageStore
    {
        public ConcurrentQueue<byte[]> Kept { get; } = [];

        public SmtpResponse Answer { get; set; } = SmtpResponse.Ok;

        public override Task<SmtpResponse> SaveAsync(
            ISessionContext context,
            IMessageTransaction transaction,
            ReadOnlySequence<byte> buffer,
            CancellationToken cancellationToken
        )
        {
            if (Answer.ReplyCode == SmtpReplyCode.Ok)
            {
                Kept.Enqueue(buffer.ToArray());
            }

            return Task.FromResult(Answer);
        }
    }

    private SmtpTransport Transport(int? other = null) => new(new MailServer("127.0.0.1", other ?? port, 2, null), new HttpClient(), new ServerLine(true));

    private static MimeMessage Message(string id = "a@example.com") =>
        new(
            [new MailboxAddress("Ada Quill", "ada@example.com")],
            [new MailboxAddress("Þóra", "thora@example.com")],
            "Hello Þóra",
            new TextPart("plain") { Text = "One.\n.\nTwo." }
        )
        {
            MessageId = id,
        };

    [Fact]
    public async Task A_message_that_is_taken_is_accepted_and_arrives_byte_for_byte_sense()
    {
        using var transport = Transport();
        using var message = Message();
        Assert.Equal(ProviderResult.Sent, (await transport.SendAsync(message, null, null, default)).Result);
        using var arrived = MimeMessage.Load(new MemoryStream(Assert.Single(store.Kept)));
        Assert.Equal(("Hello Þóra", "Þóra", "a@example.com"), (arrived.Subject, arrived.To.Mailboxes.Single().Name, arrived.MessageId));
        // A line of one dot is SMTP's end of data and must come through stuffed.
        Assert.Equal("One.\n.\nTwo.", arrived.TextBody!.ReplaceLineEndings("\n").TrimEnd());
    }

    [Theory]
    [
        InlineData(550, ProviderResult.Refused),
        InlineData(554, ProviderResult.Refused),
        InlineData(451, ProviderResult.NotTaken),
        InlineData(421, ProviderResult.NotTaken)
    ]
    public async Task Answers_of_the_server_are_told_apart(int code, ProviderResult expected)
    {
        store.Answer = new SmtpResponse((SmtpReplyCode)code, "words of the server");
        using var transport = Transport();
        using var message = Message();
        var answer = await transport.SendAsync(message, null, null, default);
        Assert.Equal(expected, answer.Result);
        Assert.Contains("words of the server", answer.Words, StringComparison.Ordinal);

        // And the transport goes on after it.
        store.Answer = SmtpResponse.Ok;
        Assert.Equal(ProviderResult.Sent, (await transport.SendAsync(message, null, null, default)).Result);
    }

    [Fact]
    public async Task A_server_that_is_away_is_later_with_its_name()
    {
        using var transport = Transport(other: 1);
        using var message = Message();
        var answer = await transport.SendAsync(message, null, null, default);
        Assert.True(answer is { Result: ProviderResult.NotTaken, IsAway: true });
        Assert.Contains("127.0.0.1:1 does not answer", answer.Words, StringComparison.Ordinal);
        Assert.Equal(LookUpResult.CannotSay, (await transport.LookUpAsync("a@example.com", null, default)).Result);
    }

    /// <summary>Whoever does not answer may have it: it is asked again; and a practice's own server is never asked by way of another.</summary>
    [Fact]
    public async Task A_look_up_asks_the_server_that_was_handed_the_message()
    {
        using var http = new HttpClient();
        using var transport = new SmtpTransport(new MailServer("127.0.0.1", port, 2, "http://127.0.0.1:1/by-id/{id}"), http, new ServerLine(true));
        Assert.Equal(LookUpResult.NotNow, (await transport.LookUpAsync("a@example.com", null, default)).Result);
        Assert.Equal(LookUpResult.CannotSay, (await transport.LookUpAsync("a@example.com", new MailServer("127.0.0.1", port, 2, null), default)).Result);
    }

    [Fact]
    public async Task Many_go_over_a_few_connections_each_once()
    {
        using var transport = Transport();
        await Task.WhenAll(
            Enumerable
                .Range(0, 40)
                .Select(async i =>
                {
                    using var message = Message($"m{i}@example.com");
                    Assert.Equal(ProviderResult.Sent, (await transport.SendAsync(message, null, null, default)).Result);
                })
        );
        var ids = store.Kept.Select(raw => MimeMessage.Load(new MemoryStream(raw)).MessageId).ToList();
        Assert.Equal(40, ids.Count);
        Assert.Equal(40, ids.Distinct().Count());
    }

    private static byte[] Raw(string id, string subject)
    {
        using var message = Message(id);
        message.Subject = subject;
        using var memory = new MemoryStream();
        message.WriteTo(memory);
        return memory.ToArray();
    }

    [Fact]
    public void The_box_keeps_finds_lists_and_opens()
    {
        var folder = Directory.CreateTempSubdirectory("germinal-box").FullName;
        try
        {
            var box = new MailBox(folder);
            for (var i = 1; i <= 5; i++)
            {
                box.Keep(Raw($"m{i}@example.com", $"Letter {i}"));
            }

            Assert.Equal(3, box.Find("M3@example.com"));
            Assert.Null(box.Find("other@example.com"));
            Assert.Equal([5, 4], box.List(null, null, 2).Select(m => m.Number));
            Assert.Equal([3, 2], box.List(4, null, 2).Select(m => m.Number));
            Assert.Equal([2], box.List(null, "letter 2", 10).Select(m => m.Number));
            Assert.Equal("Letter 1", box.Open(1)!.Message.Subject);
            Assert.Contains("Two.", box.Open(1)!.Text, StringComparison.Ordinal);
            Assert.Null(box.Open(6));
            Assert.Null(box.Source(0));
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }

    [Fact]
    public void The_box_outlives_a_restart_and_a_line_cut_short()
    {
        var folder = Directory.CreateTempSubdirectory("germinal-box").FullName;
        try
        {
            new MailBox(folder).Keep(Raw("m1@example.com", "One"));
            File.AppendAllText(Path.Combine(folder, "index.jsonl"), "{\"Number\":2,\"Messa");
            var again = new MailBox(folder);
            Assert.Equal(1, again.Count);
            Assert.Equal(1, again.Find("m1@example.com"));
        }
        finally
        {
            Directory.Delete(folder, true);
        }
    }
}
