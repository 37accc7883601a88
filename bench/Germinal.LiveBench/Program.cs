using System.Buffers;
using System.Diagnostics;
using System.Globalization;
using System.Net;
using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Channels.Mail;
using Germinal.Channels.Texts;
using Germinal.Core.Broadcasts;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Core.Programs;
using Germinal.LiveBench;
using Germinal.Service.Broadcasts;
using Germinal.Service.Engine;
using Germinal.Service.Incoming;
using Germinal.Service.Letters;
using Germinal.Service.MailAccounts;
using Germinal.Service.Mails;
using Germinal.Service.Numbers;
using Germinal.Service.Programs;
using Germinal.Service.Today;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Store.Tests;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.EntityFrameworkCore;
using Microsoft.Extensions.Logging.Abstractions;
using MimeKit;
using NodaTime;
using Npgsql;
using SmtpServer;
using SmtpServer.Protocol;
using SmtpServer.Storage;

// The live engine against the bare tools it stands on: dispatching emails beside MailKit sending as many equal messages over
// the same number of connections, and taking in stage changes that each start a run beside Npgsql writing the same rows.
//   GERMINAL_TEST_DB=… dotnet bench/Germinal.LiveBench/bin/Release/net10.0/Germinal.LiveBench.dll [emails] [stage changes]
// And a program rehearsed over everybody for a year, as its page does:
//   GERMINAL_TEST_DB=… dotnet …/Germinal.LiveBench.dll rehearse [people] [program file]

// And a broadcast to everybody, its page being asked for all the while:
//   GERMINAL_TEST_DB=… dotnet …/Germinal.LiveBench.dll broadcast [people]

const int Connections = 4;
if (args is ["rehearse", ..])
{
    await RehearseAsync(args.Length > 1 ? int.Parse(args[1], CultureInfo.InvariantCulture) : 10_000, args.Length > 2 ? args[2] : "programs/ready/year-round.program.json");
    return;
}

var emails = args.Length > 0 && int.TryParse(args[0], CultureInfo.InvariantCulture, out var first) ? first : 50_000;
var changes = args.Length > 1 ? int.Parse(args[1], CultureInfo.InvariantCulture) : 100_000;
var start = Instant.FromUtc(2027, 3, 1, 15, 0);

var port = 26400 + Random.Shared.Next(400);
using var serving = new CancellationTokenSource();
var options = new SmtpServerOptionsBuilder().ServerName("null").Endpoint(e => e.Endpoint(new IPEndPoint(IPAddress.Loopback, port))).Build();
var services = new SmtpServer.ComponentModel.ServiceProvider();
services.Add(new Nowhere());
var server = new SmtpServer.SmtpServer(options, services).StartAsync(serving.Token);
using var transport = new KeepsOne(
    new SmtpTransport(new MailServer("127.0.0.1", port, Connections, null, "none", Pipelines: false), new HttpClient(), new ServerLine(true))
);

if (args is ["broadcast", ..])
{
    await BroadcastAsync(2000);
    await BroadcastAsync(args.Length > 1 ? int.Parse(args[1], CultureInfo.InvariantCulture) : 100_000);
    await serving.CancelAsync();
    return;
}

// A little of each first, so that neither is measured while it is compiled.
await DispatchAsync(4000);
await BareMailAsync(20000);
var bare = await BareMailAsync(emails);
var sent = await DispatchAsync(emails);
Console.WriteLine(
    $"| dispatch of {emails:n0} emails | {sent.Seconds:0.0} s | {emails / sent.Seconds:n0}/s | bare MailKit {bare:0.0} s and the same rows by COPY {sent.Copied:0.0} s | {sent.Seconds / (bare + sent.Copied):0.0} × | highest working set {sent.Megabytes} MB |"
);
var written = await BareRowsAsync();
var reacted = await ReactAsync();
Console.WriteLine(
    $"| {changes:n0} stage changes, each starting a run | {reacted.Seconds:0.0} s | {changes / reacted.Seconds:n0}/s | the same rows by Npgsql in batches of 500 {written:0.0} s | {reacted.Seconds / written:0.0} × | highest working set {reacted.Megabytes} MB |"
);
await serving.CancelAsync();

// As many messages, each as the engine built it, over as many connections.
async Task<double> BareMailAsync(int count)
{
    var watch = Stopwatch.StartNew();
    await Parallel.ForAsync(
        0,
        Connections,
        new ParallelOptions { MaxDegreeOfParallelism = Connections },
        async (lane, stop) =>
        {
            using var message = await MimeMessage.LoadAsync(new MemoryStream(transport.Kept), stop);
            for (var i = lane; i < count; i += Connections)
            {
                await transport.SendAsync(message, transport.ReturnPath, null, stop);
            }
        }
    );
    return watch.Elapsed.TotalSeconds;
}

async Task<(double Seconds, double Copied, long Megabytes)> DispatchAsync(int count)
{
    using var database = new TestDatabase();
    var (room, practice) = await PrepareAsync(
        database,
        count,
        """[{"id":"a","kind":"email","when":{"from":"start","offset":"PT1H"},"subject":"Hello {{ person.first_name }}","body":"<p>Dear {{ person.first_name }},</p><p>a few lines of text as they stand in a letter, with <a href=\"https://example.com/a\">a link</a>.</p>"}]"""
    );
    await using var db = database.For(practice);
    await ChangeAsync(db, practice);
    while (await room.WorkAsync(default)) { }

    // Everybody has started; an hour on, their letters are due.
    await db.Clock.ExecuteUpdateAsync(u => u.SetProperty(c => c.Now, start + Duration.FromHours(1)));
    await db.Database.ExecuteSqlRawAsync("ANALYZE");
    var watch = Stopwatch.StartNew();
    var cpu = Process.GetCurrentProcess().TotalProcessorTime;
    var pauses = GC.GetTotalPauseDuration();
    var bytes = GC.GetTotalAllocatedBytes();
    while (await room.WorkAsync(default)) { }

    var all = watch.Elapsed.TotalSeconds;
    Console.WriteLine(
        $"of it: own processor time {(Process.GetCurrentProcess().TotalProcessorTime - cpu).TotalSeconds:0.0} s, pauses of the garbage collector {(GC.GetTotalPauseDuration() - pauses).TotalSeconds:0.0} s, allocated {(GC.GetTotalAllocatedBytes() - bytes) / 1e9:0.0} GB"
    );
    if (await db.Messages.CountAsync() is var went && went != count)
    {
        throw new InvalidOperationException($"{went} of {count} letters went.");
    }

    return (all, await CopyAgainAsync(db, "messages", "touches", "person_states", "runs"), Process.GetCurrentProcess().PeakWorkingSet64 / 1_000_000);
}

// To everybody at once; how far it is is asked for, as its page does, while it goes.
async Task BroadcastAsync(int count)
{
    using var database = new TestDatabase();
    var (room, practice) = await PrepareAsync(database, count, """[{"id":"a","kind":"call","when":{"from":"start","offset":"P7D"},"script":"x"}]""");
    await using var db = database.For(practice);
    var row = new BroadcastRow
    {
        Id = Guid.NewGuid(),
        PracticeId = practice,
        Name = "To everybody",
        By = "Ada",
        CreatedAt = start,
        Plan = new BroadcastPlan
        {
            To = new BroadcastTo { Kind = "segment", Name = "Everybody" },
            Ways = [new BroadcastWay { Kind = "email", Subject = "Hello {{ person.first_name }}", Body = "<p>Dear {{ person.first_name }},</p><p>a few lines of text as they stand in a letter, with <a href=\"https://example.com/a\">a link</a>.</p>" }],
        },
    };
    db.Segments.Add(new SegmentRow { Id = Guid.NewGuid(), PracticeId = practice, Name = "Everybody", Rule = """{"field":"email","op":"exists"}""", CreatedAt = start, By = "Ada" });
    db.Broadcasts.Add(row);
    await db.SaveChangesAsync();
    await BroadcastDesk.SendAsync(db, row, "Ada", start, default);
    var watch = Stopwatch.StartNew();
    var working = Task.Run(async () =>
    {
        while (await room.WorkAsync(default)) { }
    });
    var asked = new List<double>();
    await using var page = database.For(practice);
    while (!working.IsCompleted)
    {
        var one = Stopwatch.StartNew();
        await BroadcastResults.OfAsync(page, await page.Broadcasts.AsNoTracking().SingleAsync(b => b.Id == row.Id), default);
        asked.Add(one.Elapsed.TotalMilliseconds);
        await Task.WhenAny(working, Task.Delay(500));
    }

    await working;
    var seconds = watch.Elapsed.TotalSeconds;
    asked.Sort();
    var numbers = await BroadcastResults.OfAsync(page, await page.Broadcasts.AsNoTracking().SingleAsync(b => b.Id == row.Id), default);
    if (numbers.Sent != count)
    {
        var standing = await db.Touches.GroupBy(t => new { t.Status, t.Reason }).Select(g => new { g.Key.Status, g.Key.Reason, Count = g.Count() }).ToListAsync();
        throw new InvalidOperationException($"{numbers.Sent} of {count} letters went: {string.Join(", ", standing.Select(g => $"{g.Count} {g.Status} {g.Reason}"))}");
    }

    Console.WriteLine(
        $"| a broadcast to {count:n0} | {seconds:0.0} s | {count / seconds:n0}/s | its numbers asked for {asked.Count} times: median {asked[asked.Count / 2]:0.0} ms, 95 in a hundred under {asked[(int)(asked.Count * 0.95)]:0.0} ms, worst {asked[^1]:0.0} ms | highest working set {Process.GetCurrentProcess().PeakWorkingSet64 / 1_000_000} MB |"
    );
}

// The rows that dispatching left, written once more by COPY into tables with the same indexes, two hundred at a time as the engine does.
async Task<double> CopyAgainAsync(GerminalDb db, params string[] tables)
{
    await db.Database.OpenConnectionAsync();
    var connection = (NpgsqlConnection)db.Database.GetDbConnection();
    var seconds = 0.0;
    foreach (var table in tables)
    {
        await using (var command = new NpgsqlCommand($"CREATE TABLE again_{table} (LIKE {table} INCLUDING ALL)", connection))
        {
            await command.ExecuteNonQueryAsync();
        }

        var columns = await db
            .Database.SqlQueryRaw<string>(
                "SELECT string_agg(quote_ident(column_name), ',' ORDER BY ordinal_position) AS \"Value\" FROM information_schema.columns WHERE table_name = {0} AND is_generated = 'NEVER'",
                table
            )
            .SingleAsync();
        List<string> rows = [];
        using (var reader = await connection.BeginTextExportAsync($"COPY {table} ({columns}) TO STDOUT"))
        {
            while (await reader.ReadLineAsync() is { } line)
            {
                rows.Add(line);
            }
        }

        var watch = Stopwatch.StartNew();
        foreach (var batch in rows.Chunk(200))
        {
            await using var writer = await connection.BeginTextImportAsync($"COPY again_{table} ({columns}) FROM STDIN");
            foreach (var line in batch)
            {
                await writer.WriteAsync(line);
                await writer.WriteAsync('\n');
            }
        }

        seconds += watch.Elapsed.TotalSeconds;
    }

    return seconds;
}

async Task<(double Seconds, long Megabytes)> ReactAsync()
{
    using var database = new TestDatabase();
    var (room, practice) = await PrepareAsync(database, changes, """[{"id":"a","kind":"call","when":{"from":"start","offset":"P7D"},"script":"x"}]""");
    await using var db = database.For(practice);
    await ChangeAsync(db, practice);
    var watch = Stopwatch.StartNew();
    while (await room.WorkAsync(default)) { }

    return (watch.Elapsed.TotalSeconds, Process.GetCurrentProcess().PeakWorkingSet64 / 1_000_000);
}

async Task RehearseAsync(int people, string file)
{
    using var database = new TestDatabase();
    var (practice, ada, _) = await database.PracticeAsync(Instant.FromUtc(2027, 3, 1, 15, 0));
    await using var db = database.For(practice);
    await AddPeopleAsync(db, practice, ada, people, Instant.FromUtc(2027, 3, 1, 15, 0));
    await db.Database.ExecuteSqlAsync($"UPDATE people SET stage = 'Planning/Inquiry', stage_since = added_at");
    var program = ProgramFile.Read(await File.ReadAllTextAsync(file)).Program!;
    program = program with { StartsWhen = [new StageEntered("Planning/Inquiry")], Questions = [] };
    var liquid = new LiquidLetters();
    var desk = new ProgramDesk(liquid, new Engines(liquid, new ShelfReading()));
    var letters = new LetterDesk(liquid, new LetterWriter(liquid, new PublicLinks(new byte[48], "https://germinal.example.com")));
    var row = new ProgramRow
    {
        Id = Guid.NewGuid(),
        PracticeId = practice,
        Name = program.Name,
        Draft = ProgramFile.Write(program).ToJsonString(),
        CreatedAt = Instant.FromUtc(2027, 3, 1, 15, 0),
    };
    db.Programs.Add(row);
    await db.SaveChangesAsync();
    await db.Database.ExecuteSqlRawAsync("ANALYZE");
    var now = Instant.FromUtc(2027, 3, 1, 15, 0);
    for (var i = 0; i < 2; i++)
    {
        var watch = Stopwatch.StartNew();
        var result = await new ProgramRehearsal(desk, letters).RunAsync(
            db,
            row.Id,
            program,
            now,
            now + Duration.FromDays(365),
            new MessagePrices(0.01m, 0.04m, 1.2m, "USD"),
            (_, _) => { },
            default
        );
        Console.WriteLine(
            $"| a rehearsal of “{program.Name}” over {result.Starting:n0} people for a year | {watch.Elapsed.TotalSeconds:0.0} s | {result.Counts.Values.Sum():n0} touches | highest working set {Process.GetCurrentProcess().PeakWorkingSet64 / 1_000_000} MB |"
        );
    }
}

async Task AddPeopleAsync(GerminalDb db, Guid practice, Guid ada, int people, Instant at)
{
    await db.Database.ExecuteSqlAsync(
        $"""
        INSERT INTO people (id, practice_id, first_name, last_name, sort_name, search_text, email, owner_id, tags, lists, custom, added_at, do_not_contact, do_not_contact_to_confirm, died, archived, edition)
        SELECT gen_random_uuid(), {practice}, 'Person' || n, 'Rowan', 'rowan person' || n, 'person' || n, 'person' || n || '@example.com', {ada}, ARRAY[]::text[], ARRAY[]::text[], jsonb_build_object(), {at}, false, false, false, false, 1
        FROM generate_series(1, {people}) n
        """
    );
    await db.Database.ExecuteSqlAsync(
        $"INSERT INTO consent (practice_id, person_id, channel, purpose, is_in, basis, at, source) SELECT practice_id, id, 'email', 'commercial', true, 'express', {at}, 'x' FROM people"
    );
}

async Task ChangeAsync(GerminalDb db, Guid practice)
{
    var data = "{\"stage\": \"Planning/Inquiry\"}";
    await db.Database.ExecuteSqlAsync(
        $"""
        WITH moved AS (UPDATE people SET stage = 'Planning/Inquiry', stage_since = {start} WHERE practice_id = {practice} RETURNING id)
        INSERT INTO events (practice_id, person_id, at, kind, data) SELECT {practice}, id, {start}::timestamptz, 'stage-entered', {data}::jsonb FROM moved
        """
    );
}

async Task<(EngineRoom Room, Guid Practice)> PrepareAsync(TestDatabase database, int people, string steps)
{
    var (practice, ada, _) = await database.PracticeAsync(start);
    await using var db = database.For(practice);
    await AddPeopleAsync(db, practice, ada, people, start);
    var liquid = new LiquidLetters();
    var shelves = new ShelfReading();
    var engines = new Engines(liquid, shelves);
    var links = new PublicLinks(new byte[48], "https://germinal.example.com");
    var (replies, secrets) = (new ReplyAddresses(new byte[48], "answers.example.com"), new Secrets(new EphemeralDataProtectionProvider()));
    var accounts = new MailAccountServers(database, secrets, new MailIssuer(new ServerLine(true), true));
    var copies = new SentCopies(database, accounts, new ImapDoor(new ServerLine(true)), NullLogger<SentCopies>.Instance);
    var handing = new Handing(
        liquid,
        new LetterWriter(liquid, links),
        links,
        replies,
        transport,
        new HttpTextGateway(new HttpClient()),
        secrets,
        new CarriedFiles(database),
        accounts,
        copies
    );
    var room = new EngineRoom(
        database,
        new Reactor(database, engines),
        new Dispatcher(database, engines, handing, NullLogger<Dispatcher>.Instance),
        new OwnMails(database, transport, replies, secrets, accounts, copies),
        new MorningLetters(database, engines, links),
        new MonthlyLetters(database, links),
        new BroadcastMoments(database, engines),
        NullLogger<EngineRoom>.Instance
    );

    // Everybody has been looked at before the watch starts.
    while (await room.WorkAsync(default)) { }

    var reading = ProgramFile.Read(
        "{\"format\":\"germinal.program/1\",\"name\":\"P\",\"startsWhen\":[{\"kind\":\"stage-entered\",\"stage\":\"Planning/Inquiry\"}],\"steps\":"
            + steps
            + "}"
    );
    var row = new ProgramRow
    {
        Id = Guid.NewGuid(),
        PracticeId = practice,
        Name = "P",
        Draft = ProgramFile.Write(reading.Program!).ToJsonString(),
        CreatedAt = start,
    };
    db.Programs.Add(row);
    await db.SaveChangesAsync();
    await ProgramDesk.PublishAsync(db, row, "Ada", start, default);
    while (await room.WorkAsync(default)) { }

    await db.Database.ExecuteSqlRawAsync("ANALYZE");
    return (room, practice);
}

// The rows that a stage change leaves: the event handled, the state, a run, a touch.
async Task<double> BareRowsAsync()
{
    using var database = new TestDatabase();
    var (practice, ada, _) = await database.PracticeAsync(start);
    await using (var db = database.For(practice))
    {
        await db.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO people (id, practice_id, first_name, last_name, sort_name, search_text, email, owner_id, tags, lists, custom, added_at, do_not_contact, do_not_contact_to_confirm, died, archived, edition)
            SELECT gen_random_uuid(), {practice}, 'Person' || n, 'Rowan', 'rowan person' || n, 'person' || n, 'person' || n || '@example.com', {ada}, ARRAY[]::text[], ARRAY[]::text[], jsonb_build_object(), {start}, false, false, false, false, 1
            FROM generate_series(1, {changes}) n
            """
        );
    }

    await using var connection = new NpgsqlConnection(database.ConnectionString);
    await connection.OpenAsync();
    var ids = new List<Guid>();
    await using (var read = new NpgsqlCommand("SELECT id FROM people", connection))
    await using (var rows = await read.ExecuteReaderAsync())
    {
        while (await rows.ReadAsync())
        {
            ids.Add(rows.GetGuid(0));
        }
    }

    var watch = Stopwatch.StartNew();
    foreach (var chunk in ids.Chunk(500))
    {
        await using var transaction = await connection.BeginTransactionAsync();
        await using var batch = new NpgsqlBatch(connection, transaction);
        void Add(string sql, params object[] values)
        {
            var command = new NpgsqlBatchCommand(sql);
            foreach (var value in values)
            {
                command.Parameters.Add(new NpgsqlParameter { Value = value });
            }

            batch.BatchCommands.Add(command);
        }

        foreach (var id in chunk)
        {
            var run = Guid.NewGuid();
            Add(
                "INSERT INTO events (practice_id, person_id, at, kind, data, handled_at) VALUES ($1, $2, now(), 'stage-entered', '{\"stage\": \"Planning/Inquiry\"}', now())",
                practice,
                id
            );
            Add(
                "UPDATE person_states SET state = $2::jsonb, next_due = now() WHERE person_id = $1",
                id,
                $"{{\"runs\":[{{\"id\":\"{run}\",\"programId\":\"{practice}\",\"version\":1,\"number\":1,\"startedAt\":\"2027-03-01T15:00:00Z\",\"stepIndex\":0,\"previousAt\":\"2027-03-01T15:00:00Z\",\"touch\":{{\"stepId\":\"a\",\"firstDue\":\"2027-03-08T15:00:00Z\",\"due\":\"2027-03-08T15:00:00Z\",\"phase\":\"planned\"}},\"seen\":[]}}]}}"
            );
            Add(
                "INSERT INTO runs (id, practice_id, person_id, program_id, version, number, started_at, cause) VALUES ($1, $2, $3, $2, 1, 1, now(), '{\"kind\":\"stage\",\"detail\":\"Planning/Inquiry\"}')",
                run,
                practice,
                id
            );
            Add(
                "INSERT INTO touches (id, practice_id, person_id, run_id, program_id, version, step_id, kind, status, held, first_due, due, plan, checks, priority, attempts) VALUES ($1, $2, $3, $4, $2, 1, 'a', 'call', 'planned', false, now(), now(), '{\"place\":\"start\",\"offset\":\"P7D\"}', '[]', 50, 0)",
                Guid.NewGuid(),
                practice,
                id,
                run
            );
        }

        await batch.ExecuteNonQueryAsync();
        await transaction.CommitAsync();
    }

    return watch.Elapsed.TotalSeconds;
}
