using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;
using System.Text;
using Germinal.Channels;
using Germinal.Channels.Mail;
using Germinal.Channels.Texts;
using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Logging;
using MimeKit;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>A mail server that breaks off where a test wants it to (RFC 5321).</summary>
internal sealed class BreakingServer : IDisposable
{
    private readonly TcpListener listener = new(IPAddress.Loopback, 0);
    private readonly ConcurrentBag<TcpClient> lines = [];

    public BreakingServer()
    {
        listener.Start();
        _ = ServeAsync();
    }

    public int Port => ((IPEndPoint)listener.LocalEndpoint).Port;

    /// <summary>The command at which the line is cut: MAIL, RCPT, DATA, or "." after the whole message has come; "" never.</summary>
    public string CutAt { get; set; } = "";

    /// <summary>True: each line is closed as soon as its message has been taken, without a word.</summary>
    public bool ClosesAfterEach { get; set; }

    public int Connections { get; private set; }

    public ConcurrentQueue<string> Taken { get; } = [];

    private async Task ServeAsync()
    {
        while (true)
        {
            TcpClient line;
            try
            {
                line = await listener.AcceptTcpClientAsync();
            }
            catch (Exception e) when (e is ObjectDisposedException or SocketException)
            {
                return;
            }

            lines.Add(line);
            Connections++;
            _ = TalkAsync(line);
        }
    }

    private async Task TalkAsync(TcpClient line)
    {
        using var reader = new StreamReader(line.GetStream(), Encoding.Latin1);
        await using var writer = new StreamWriter(line.GetStream(), Encoding.Latin1) { NewLine = "\r\n", AutoFlush = true };
        try
        {
            await writer.WriteLineAsync("220 test");
            while (await reader.ReadLineAsync() is { } said)
            {
                var word = said.Split(' ', ':')[0].ToUpperInvariant();
                if (CutAt == word)
                {
                    line.Close();
                    return;
                }

                if (word != "DATA")
                {
                    await writer.WriteLineAsync(word == "QUIT" ? "221 bye" : "250 test");
                    continue;
                }

                await writer.WriteLineAsync("354 go on");
                var message = new StringBuilder();
                while (await reader.ReadLineAsync() is { } text && text != ".")
                {
                    message.AppendLine(text);
                }

                Taken.Enqueue(message.ToString());
                if (CutAt == ".")
                {
                    line.Close();
                    return;
                }

                await writer.WriteLineAsync("250 taken");
                if (ClosesAfterEach)
                {
                    line.Close();
                    return;
                }
            }
        }
        catch (Exception e) when (e is IOException or ObjectDisposedException or SocketException)
        {
            // The other side has gone.
        }
    }

    public void Dispose()
    {
        listener.Dispose();
        foreach (var line in lines)
        {
            line.Dispose();
        }
    }
}

/// <summary>Channels say what they know: sent, refused, not taken, or unknown.</summary>
public sealed class ChannelAnswersTests
{
    private const string OnWarm = "\"startsWhen\":[{\"kind\":\"tag-added\",\"tag\":\"warm\"}]";
    private const string Hello = """{"id":"hello","kind":"email","when":{"from":"start","offset":"P0D"},"subject":"Hello","body":"b"}""";

    [Fact]
    public async Task What_is_due_with_a_letter_that_is_not_taken_is_not_looked_at_over_and_over()
    {
        await using var world = await World.AtAsync("2027-03-01T10:00");
        await world.ProgramAsync("First", OnWarm, Hello);
        await world.ProgramAsync("Second", OnWarm, Hello);
        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.NotTaken, "451 later");
        var ida = await world.PersonAsync("Ida");
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));

        // Once, and the moment is over: the one letter waits for its provider, and the other stands behind it.
        var now = World.At("2027-03-01T10:00");
        await world.Reactor.ReactAsync(world.Practice, now, null, default);
        Assert.Equal(1, await world.Dispatcher.DispatchAsync(world.Practice, now, null, default));
        Assert.Equal([TouchStatus.Planned, TouchStatus.Handing], (await world.TouchesAsync()).Select(t => t.Status).Order());
    }

    private static MimeMessage Message(string id = "a@example.com") =>
        new([new MailboxAddress("Ada", "ada@example.com")], [new MailboxAddress("Ida", "ida@example.com")], "Hello", new TextPart("plain") { Text = "One." })
        {
            MessageId = id,
        };

    private static SmtpTransport Transport(BreakingServer server, TimeSpan? idleFor = null) =>
        new(new MailServer("127.0.0.1", server.Port, 1, null, "none"), new HttpClient(), new ServerLine(true), idleFor);

    [Theory]
    [
        InlineData("MAIL", ProviderResult.NotTaken),
        InlineData("RCPT", ProviderResult.NotTaken),
        InlineData("DATA", ProviderResult.NotTaken),
        InlineData(".", ProviderResult.Unknown)
    ]
    public async Task A_line_that_drops_says_whether_the_message_can_have_been_taken(string cutAt, ProviderResult expected)
    {
        using var server = new BreakingServer { CutAt = cutAt };
        using var transport = Transport(server);
        using var message = Message();
        var answer = await transport.SendAsync(message, null, null, default);
        Assert.Equal(expected, answer.Result);
        Assert.Equal(expected == ProviderResult.Unknown ? 1 : 0, server.Taken.Count);
    }

    [Fact]
    public async Task A_line_the_server_closed_while_it_was_idle_is_replaced_once_and_everything_goes_once()
    {
        using var server = new BreakingServer { ClosesAfterEach = true };
        using var transport = Transport(server);
        for (var i = 0; i < 5; i++)
        {
            using var message = Message($"m{i}@example.com");
            Assert.Equal(ProviderResult.Sent, (await transport.SendAsync(message, null, null, default)).Result);
        }

        Assert.Equal((5, 5), (server.Connections, server.Taken.Count));

        // A server that is really away is not tried for ever.
        server.CutAt = "MAIL";
        using var last = Message("last@example.com");
        Assert.True((await transport.SendAsync(last, null, null, default)).IsAway);
        Assert.Equal(6, server.Connections);
    }

    [Fact]
    public async Task Lines_that_have_nothing_to_do_are_closed()
    {
        using var server = new BreakingServer();
        using var transport = Transport(server, TimeSpan.FromMilliseconds(20));
        using var message = Message();
        await transport.SendAsync(message, null, null, default);
        for (var i = 0; i < 200 && transport.Idle > 0; i++)
        {
            await Task.Delay(10);
        }

        Assert.Equal(0, transport.Idle);
        Assert.Equal(ProviderResult.Sent, (await transport.SendAsync(message, null, null, default)).Result);
        Assert.Equal(2, server.Connections);
    }

    private sealed class Answering(Func<HttpResponseMessage> answer) : HttpMessageHandler
    {
        protected override Task<HttpResponseMessage> SendAsync(HttpRequestMessage request, CancellationToken cancellationToken) => Task.FromResult(answer());
    }

    private static HttpResponseMessage Http(HttpStatusCode status, string body = "{}") =>
        new(status) { Content = new StringContent(body, Encoding.UTF8, "application/json") };

    public static TheoryData<string, ProviderResult, bool> GatewayCases =>
        new()
        {
            { "taken", ProviderResult.Sent, false },
            { "taken without an id", ProviderResult.Unknown, false },
            { "422", ProviderResult.Refused, false },
            { "503", ProviderResult.NotTaken, false },
            { "401", ProviderResult.NotTaken, true },
            { "500", ProviderResult.Unknown, false },
            { "502", ProviderResult.Unknown, false },
            { "nobody there", ProviderResult.NotTaken, true },
            { "no answer in time", ProviderResult.Unknown, false },
            { "line lost", ProviderResult.Unknown, false },
        };

    [Theory]
    [MemberData(nameof(GatewayCases))]
    public async Task The_gateways_answers_are_told_apart(string what, ProviderResult expected, bool away)
    {
        using var http = new HttpClient(
            new Answering(() =>
                what switch
                {
                    "taken" => Http(HttpStatusCode.Accepted, """{"id":"7"}"""),
                    "taken without an id" => Http(HttpStatusCode.Accepted, "not JSON"),
                    "nobody there" => throw new HttpRequestException(HttpRequestError.ConnectionError, "refused"),
                    "no answer in time" => throw new TaskCanceledException("timeout"),
                    "line lost" => throw new HttpRequestException(HttpRequestError.ResponseEnded, "ended"),
                    _ => Http((HttpStatusCode)int.Parse(what, System.Globalization.CultureInfo.InvariantCulture)),
                }
            )
        )
        {
            BaseAddress = new Uri("http://gateway.example.com/"),
        };
        var answer = await new HttpTextGateway(http).SendAsync(new OutgoingText("key", "+12075550101", "Hello"), default);
        Assert.Equal((expected, away), (answer.Result, answer.IsAway));
    }

    private static async Task<World> WithOneDueAsync()
    {
        var world = await World.AtAsync("2027-03-01T10:00");
        var ida = await world.PersonAsync("Ida");
        await world.ProgramAsync("P", OnWarm, Hello);
        await world.DoAsync(d => d.PutTagAsync([ida.Id], "warm", default));
        return world;
    }

    private static async Task LeasesRunOutAsync(World world)
    {
        await using var db = world.Db();
        await db.Touches.Where(t => t.Status == TouchStatus.Handing).ExecuteUpdateAsync(u => u.SetProperty(t => t.LeasedUntil, (Instant?)Instant.MinValue));
    }

    /// <summary>The server had taken the letter when the line dropped: it used to be taken as not there, and was sent again.</summary>
    [Theory]
    [
        InlineData(LookUpResult.Found, "sent", 1),
        InlineData(LookUpResult.NotThere, "sent", 2),
        InlineData(LookUpResult.CannotSay, "uncertain", 1),
        InlineData(LookUpResult.NotNow, "handing", 1)
    ]
    public async Task What_nobody_knows_of_is_looked_up_before_anything_else(LookUpResult known, string status, int handedOver)
    {
        await using var world = await WithOneDueAsync();
        var handed = 0;
        world.Mail.Answers = _ =>
            ++handed == 1 ? new ProviderAnswer(ProviderResult.Unknown, "the line was lost") : new ProviderAnswer(ProviderResult.Sent, "250 ok");
        world.Mail.Knows = _ => known;
        await world.WorkAsync();
        Assert.Equal("unknown", (await world.TouchesAsync()).Single().Reason);
        await LeasesRunOutAsync(world);
        await world.WorkAsync();
        Assert.Equal((TouchStatuses.Read(status), handedOver), ((await world.TouchesAsync()).Single().Status, handed));
    }

    /// <summary>A provider that takes long to be asked: the one worker keeps what it has, the other finds nothing to take up.</summary>
    [Fact]
    public async Task Two_workers_that_ask_a_slow_provider_send_once()
    {
        await using var world = await WithOneDueAsync();
        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.Unknown, "the line was lost");
        await world.WorkAsync();
        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.Sent, "250 ok");
        using var asked = new ManualResetEventSlim();
        using var goOn = new ManualResetEventSlim();
        world.Mail.Knows = _ =>
        {
            asked.Set();
            goOn.Wait(TimeSpan.FromSeconds(30));
            return LookUpResult.NotThere;
        };
        await LeasesRunOutAsync(world);
        var first = Task.Run(() => world.Room.WorkAsync(default));
        asked.Wait(TimeSpan.FromSeconds(30));

        // The first one's lease runs out all the same, and another worker takes the touch up meanwhile.
        await LeasesRunOutAsync(world);
        var second = Task.Run(() => world.NewRoom().WorkAsync(default));
        await using (var db = world.Db())
        {
            var attempt = await db.Touches.Select(t => t.AttemptId).SingleAsync();
            for (var i = 0; i < 500 && await db.Touches.Select(t => t.AttemptId).SingleAsync() == attempt && !second.IsCompleted; i++)
            {
                await Task.Delay(10);
            }
        }

        goOn.Set();
        await Task.WhenAll(first, second);
        await world.WorkAsync();
        Assert.Single(world.Mail.Sent);
        Assert.Equal(TouchStatus.Sent, (await world.TouchesAsync()).Single().Status);
    }

    /// <summary>A letter that cannot be made when it is taken up again is one person's trouble; the clock does not wait for it.</summary>
    [Fact]
    public async Task Whoever_stops_what_is_taken_up_again_is_set_aside_and_time_goes_on()
    {
        await using var world = await WithOneDueAsync();
        var bo = await world.PersonAsync("Bo");
        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.NotTaken, "451 busy");
        await world.DoAsync(d => d.PutTagAsync([bo.Id], "warm", default));
        await world.WorkAsync();
        await using (var db = world.Db())
        {
            await db.Touches.Where(t => t.PersonId == bo.Id).ExecuteUpdateAsync(u => u.SetProperty(t => t.StepId, "gone"));
        }

        world.Mail.Answers = _ => new ProviderAnswer(ProviderResult.Sent, "250 ok");
        await LeasesRunOutAsync(world);
        await world.MoveToAsync("2027-03-03T10:00");
        Assert.Equal(World.At("2027-03-03T10:00"), await world.NowAsync());
        Assert.Single(world.Mail.Sent);
        await using var after = world.Db();
        Assert.Equal(bo.Id, (await after.States.SingleAsync(s => s.SetAside != null)).PersonId);
    }

    /// <summary>Fails to connect so many times, then answers with one status.</summary>
    private sealed class Failing(int failures, HttpStatusCode then) : HttpMessageHandler
    {
        public int Asked { get; private set; }

        protected override Task<HttpResponseMessage> SendAsync(HttpRequestMessage request, CancellationToken cancellationToken) =>
            ++Asked <= failures
                ? throw new HttpRequestException(HttpRequestError.ConnectionError, "refused")
                : Task.FromResult(new HttpResponseMessage(then) { Content = new StringContent("""{"id":"t1"}""", Encoding.UTF8, "application/json") });
    }

    /// <summary>
    /// A text whose connection could not be made never left, and is tried once more at once; what the gateway has heard of is
    /// never sent a second time without being judged anew.
    /// </summary>
    [Theory]
    [InlineData(1, HttpStatusCode.Accepted, ProviderResult.Sent, 2)]
    [InlineData(2, HttpStatusCode.Accepted, ProviderResult.NotTaken, 2)]
    [InlineData(0, HttpStatusCode.InternalServerError, ProviderResult.Unknown, 1)]
    [InlineData(0, HttpStatusCode.ServiceUnavailable, ProviderResult.NotTaken, 1)]
    public async Task A_text_is_tried_again_at_once_only_where_it_never_left(int failures, HttpStatusCode then, ProviderResult expected, int asked)
    {
        using var gateway = new Failing(failures, then);
        var services = new ServiceCollection();
        services.AddTextGateway(new Uri("http://gateway.example.com/")).ConfigurePrimaryHttpMessageHandler(() => gateway);
        await using var provider = services.BuildServiceProvider();
        var answer = await provider.GetRequiredService<ITextGateway>().SendAsync(new OutgoingText("key", "+12075550101", "Hello"), default);
        Assert.Equal((expected, asked), (answer.Result, gateway.Asked));
    }
}
