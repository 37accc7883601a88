using System.Collections.Concurrent;
using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Channels.Mail;
using Germinal.Channels.Texts;
using Germinal.Core.Contact;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Service.Broadcasts;
using Germinal.Service.Engine;
using Germinal.Service.Incoming;
using Germinal.Service.Letters;
using Germinal.Service.MailAccounts;
using Germinal.Service.Mails;
using Germinal.Service.Numbers;
using Germinal.Service.People;
using Germinal.Service.Programs;
using Germinal.Service.Today;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Store.Tests;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Logging;
using MimeKit;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Service.Tests;

/// <summary>A mail provider in memory whose answers a test can choose.</summary>
internal sealed class FakeMail : IMailTransport
{
    public ConcurrentQueue<MimeMessage> Sent { get; } = [];

    /// <summary>By which server each went, and with which envelope sender; null for the installation's, and for the From address.</summary>
    public ConcurrentQueue<(MailServer? Server, string? ReturnPath)> By { get; } = [];

    /// <summary>What the provider answers; accepted by default.</summary>
    public Func<MimeMessage, ProviderAnswer> Answers { get; set; } = _ => new ProviderAnswer(ProviderResult.Sent, "250 kept");

    /// <summary>What it says when asked for a message; by default whether it was sent.</summary>
    public Func<string, LookUpResult>? Knows { get; set; }

    public Task<ProviderAnswer> SendAsync(MimeMessage message, string? returnPath, MailServer? own, CancellationToken stop)
    {
        var answer = Answers(message);
        if (answer.Result == ProviderResult.Sent)
        {
            // The dispatcher disposes of its own.
            using var memory = new MemoryStream();
            message.WriteTo(memory, stop);
            memory.Position = 0;
            Sent.Enqueue(MimeMessage.Load(memory, stop));
            By.Enqueue((own, returnPath));
        }

        return Task.FromResult(answer);
    }

    public Task<LookedUp> LookUpAsync(string messageId, MailServer? own, CancellationToken stop)
    {
        var result =
            Knows is { } knows ? knows(messageId)
            : Sent.Any(m => m.MessageId == messageId) ? LookUpResult.Found
            : LookUpResult.NotThere;
        return Task.FromResult(new LookedUp(result, messageId));
    }
}

/// <summary>A text gateway in memory whose answers a test can choose; it takes a key once.</summary>
internal sealed class FakeTexts : ITextGateway
{
    private readonly ConcurrentDictionary<string, string> taken = new();

    public ConcurrentQueue<OutgoingText> Sent { get; } = [];

    public Func<OutgoingText, ProviderAnswer> Answers { get; set; } = t => new ProviderAnswer(ProviderResult.Sent, "202 taken", "gw-" + t.Key);

    public Task<ProviderAnswer> SendAsync(OutgoingText text, CancellationToken stop)
    {
        var answer = Answers(text);
        if (answer.Result == ProviderResult.Sent && taken.TryAdd(text.Key, answer.Id!))
        {
            Sent.Enqueue(text);
        }

        return Task.FromResult(answer);
    }

    public Task<LookedUp> LookUpAsync(string key, CancellationToken stop) =>
        Task.FromResult(taken.TryGetValue(key, out var id) ? new LookedUp(LookUpResult.Found, id) : new LookedUp(LookUpResult.NotThere));
}

/// <summary>A log in memory.</summary>
internal sealed class Noted<T>(ConcurrentQueue<(LogLevel Level, string Text)> lines) : ILogger<T>
{
    public IDisposable? BeginScope<TState>(TState state)
        where TState : notnull => null;

    public bool IsEnabled(LogLevel logLevel) => logLevel >= LogLevel.Information;

    public void Log<TState>(LogLevel logLevel, EventId eventId, TState state, Exception? exception, Func<TState, Exception?, string> formatter) =>
        lines.Enqueue((logLevel, $"{formatter(state, exception)} {exception}"));
}

/// <summary>The live engine on a database of its own, with a provider in memory and a clock that stands.</summary>
internal sealed class World : IAsyncDisposable
{
    public static readonly DateTimeZone Zone = DateTimeZoneProviders.Tzdb["America/New_York"];
    private readonly ShelfReading shelves = new();
    private readonly LiquidLetters liquid = new();

    private World(TestDatabase? database = null)
    {
        Database = database ?? new TestDatabase();
        Accounts = new MailAccountServers(Database, Secrets, new MailIssuer(new ServerLine(true), true));
        Copies = new SentCopies(Database, Accounts, Door, new Noted<SentCopies>(Logs));
        Handing = new Handing(liquid, new LetterWriter(liquid, Links), Links, Replies, Mail, Texts, Secrets, new CarriedFiles(Database), Accounts, Copies);
        Reactor = new Reactor(Database, new Engines(liquid, shelves));
        Dispatcher = NewDispatcher();
        Room = NewRoom();
        Programs = new ProgramDesk(liquid, new Engines(liquid, shelves));
        Letters = new LetterDesk(liquid, new LetterWriter(liquid, Links));
    }

    private Handing Handing { get; }

    private Dispatcher NewDispatcher() => new(Database, new Engines(liquid, shelves), Handing, new Noted<Dispatcher>(Logs));

    /// <summary>Engines that nobody has asked yet.</summary>
    public Engines Engines() => new(liquid, shelves);

    /// <summary>Another worker on the same database and providers.</summary>
    public EngineRoom NewRoom() => new(Database, new Reactor(Database, new Engines(liquid, shelves)), NewDispatcher(), NewOwnMails(), new MorningLetters(Database, new Engines(liquid, shelves), Links), new MonthlyLetters(Database, Links), new BroadcastMoments(Database, new Engines(liquid, shelves)), new Noted<EngineRoom>(Logs));

    /// <summary>Another worker for mails that no program planned.</summary>
    public Secrets Secrets { get; } = new(new EphemeralDataProtectionProvider());

    public OwnMails NewOwnMails() => new(Database, Mail, Replies, Secrets, Accounts, Copies);

    /// <summary>Opens mailboxes, on this machine too.</summary>
    public ImapDoor Door { get; } = new(new ServerLine(true));

    public MailAccountServers Accounts { get; }

    public SentCopies Copies { get; }

    public TestDatabase Database { get; }

    public FakeMail Mail { get; } = new();

    /// <summary>Everything the engine wrote to its log, at information level and above.</summary>
    public ConcurrentQueue<(LogLevel Level, string Text)> Logs { get; } = [];

    public Reactor Reactor { get; }

    public Dispatcher Dispatcher { get; }

    public FakeTexts Texts { get; } = new();

    public PublicLinks Links { get; } = new(new byte[48], "https://germinal.example.com");

    public ReplyAddresses Replies { get; } = new(new byte[48], "answers.example.com");

    public EngineRoom Room { get; }

    public ProgramDesk Programs { get; }

    public LetterDesk Letters { get; }

    public Guid Practice { get; private set; }

    public Guid Ada { get; private set; }

    public Guid Tomas { get; private set; }

    public static Instant At(string local) => LocalClock.At(LocalDateTimePattern.CreateWithInvariantCulture("uuuu-MM-dd'T'HH:mm").Parse(local).Value, Zone);

    public static async Task<World> AtAsync(string now)
    {
        var world = new World();
        (world.Practice, world.Ada, world.Tomas) = await world.Database.PracticeAsync(At(now));
        return world;
    }

    /// <summary>The same on a database that is there already; it goes with the world.</summary>
    public static async Task<World> OnAsync(TestDatabase database)
    {
        var world = new World(database);
        await using var db = database.CreateDbContext();
        world.Practice = await db.Practices.Select(p => p.Id).FirstAsync();
        return world;
    }

    public GerminalDb Db() => Database.For(Practice);

    public async Task<Instant> NowAsync()
    {
        await using var db = Db();
        return (await db.Clock.SingleAsync()).Now;
    }

    public async Task<PersonRow> PersonAsync(string first, Action<PersonRow>? more = null, string? birthday = null, bool consent = true)
    {
        await using var db = Db();
        var person = new PersonRow
        {
            Id = Guid.NewGuid(),
            PracticeId = Practice,
            FirstName = first,
            LastName = "Rowan",
            Email = $"{first.ToLowerInvariant()}@example.com",
            Mobile = "+12075550101",
            OwnerId = Ada,
            AddedAt = At("2026-01-01T09:00"),
        };
        more?.Invoke(person);
        PersonNames.Refresh(person);
        db.People.Add(person);
        await TagNames.EnsureAsync(db, person.Tags, default);
        if (birthday is not null)
        {
            var date = YearlyDate.TryParse(birthday)!.Value;
            db.KeyDates.Add(
                new KeyDateRow
                {
                    PersonId = person.Id,
                    PracticeId = Practice,
                    Name = "birthday",
                    Month = date.Month,
                    Day = date.Day,
                    Year = date.Year,
                    Yearly = true,
                }
            );
        }

        if (consent)
        {
            db.Consent.Add(
                new ConsentRow
                {
                    PracticeId = Practice,
                    PersonId = person.Id,
                    Channel = "email",
                    Purpose = "commercial",
                    IsIn = true,
                    At = At("2026-01-01T09:00"),
                    Source = "said so",
                }
            );
        }

        await db.SaveChangesAsync();
        return person;
    }

    public async Task<Guid> ProgramAsync(string name, string more, string steps)
    {
        var reading = ProgramFile.Read($$"""{"format":"germinal.program/1","name":"{{name}}",{{more}}{{(more.Length > 0 ? "," : "")}}"steps":[{{steps}}]}""");
        Assert.Empty(reading.Errors);
        await using var db = Db();
        var row = new ProgramRow
        {
            Id = Guid.NewGuid(),
            PracticeId = Practice,
            Name = name,
            Draft = ProgramFile.Write(reading.Program!).ToJsonString(),
            CreatedAt = await NowAsync(),
        };
        db.Programs.Add(row);
        await db.SaveChangesAsync();
        await ProgramDesk.PublishAsync(db, row, "Ada", await NowAsync(), default);
        return row.Id;
    }

    public async Task DoAsync(Func<PeopleDesk, Task> act)
    {
        await using var db = Db();
        await act(new PeopleDesk(db, "Ada Quill", await NowAsync()));
    }

    /// <summary>Everything that is due now.</summary>
    public async Task WorkAsync()
    {
        while (await Room.WorkAsync(default)) { }
    }

    /// <summary>Moves the clock on through every moment in between.</summary>
    public async Task MoveToAsync(string local)
    {
        await using (var db = Db())
        {
            var to = At(local);
            await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.MoveFrom, c => c.Now).SetProperty(c => c.MoveTo, to));
        }

        await Room.WorkAsync(default);
    }

    public async Task<List<TouchRow>> TouchesAsync()
    {
        await using var db = Db();
        return await db.Touches.AsNoTracking().OrderBy(t => t.Due).ThenBy(t => t.StepId).ToListAsync();
    }

    public ValueTask DisposeAsync()
    {
        Database.Dispose();
        return ValueTask.CompletedTask;
    }
}
