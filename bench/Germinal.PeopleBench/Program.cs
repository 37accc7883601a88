using System.Diagnostics;
using System.Globalization;
using System.Text;
using Germinal.Channels.Tables;
using Germinal.Core.Files;
using Germinal.Core.Rules;
using Germinal.Service.Engine;
using Germinal.Service.Import;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Germinal.Store.Tests;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using Npgsql;

// What is asked of many people, beside the bare tools it stands on. One subject a run:
//   workbook 50000     reading a workbook of so many rows: seconds and the highest working set
//   segments 1000000   counting segments over so many people, beside hand-written SQL that asks regardless of case too, with both plans
//   import 100000      bringing a CSV of so many people in, beside COPY of the same rows into a table with the same indexes
//   consent 100000     consent at a glance over so many people
//   GERMINAL_TEST_DB=… dotnet bench/Germinal.PeopleBench/bin/Release/net10.0/Germinal.PeopleBench.dll SUBJECT ROWS

var start = Instant.FromUtc(2027, 3, 1, 15, 0);
var rows = int.Parse(args[1], CultureInfo.InvariantCulture);
switch (args[0])
{
    case "workbook":
        await WorkbookAsync();
        break;
    case "segments":
        await SegmentsAsync();
        break;
    case "import":
        await ImportAsync();
        break;
    case "consent":
        await ConsentAsync();
        break;
    default:
        throw new ArgumentException("workbook, segments, import or consent");
}

static long Megabytes() => Process.GetCurrentProcess().PeakWorkingSet64 / 1_000_000;

static string[] Header() => ["First name", "Last name", "Email", "Mobile", "Street", "City", "State", "ZIP", "Birthday", "Tags", "Email OK", "Notes"];

static string Syllables(int i) =>
    string.Concat(new[] { i % 20, i / 20 % 20, i / 400 % 20 }.Select(s => "babecodefugohijukelamonepiqurosatevi".Substring(s * 2 % 34, 2)));

static string[] Row(int i) =>
[
    $"{Syllables(i)}ra",
    $"{Syllables(i * 7)}son",
    $"person{i}@example.com",
    "",
    $"{i} Quay Lane",
    "Port Averil",
    "ME",
    "04999",
    $"{1940 + (i % 60)}-{1 + (i % 12):00}-{1 + (i % 28):00}",
    i % 3 == 0 ? "warm;client" : "",
    i % 2 == 0 ? "yes" : "",
    i % 7 == 0 ? "met at the harbour fair, likes tea" : "",
];

async Task WorkbookAsync()
{
    // Written by another process, so that the working set is the reading's own.
    var path = Path.Combine(Path.GetTempPath(), $"people-{rows}.xlsx");
    if (!File.Exists(path))
    {
        await using var file = File.Create(path);
        await Workbook.WriteAsync(file, "People", Header(), Enumerable.Range(0, rows).Select(Row), default);
        Console.WriteLine($"{path} is written ({new FileInfo(path).Length / 1e6:0.0} MB); run again to read it.");
        return;
    }

    var bytes = await File.ReadAllBytesAsync(path);
    var watch = Stopwatch.StartNew();
    var table = ListTable.Read(bytes, path);
    Console.WriteLine($"| a workbook of {table.Records.Count:n0} rows, {table.Header.Length} columns | {watch.Elapsed.TotalSeconds:0.00} s | highest working set {Megabytes()} MB |");
}

async Task<(TestDatabase Database, Guid Practice)> PeopleAsync()
{
    var database = new TestDatabase();
    var (practice, ada, tomas) = await database.PracticeAsync(start);
    await using var db = database.For(practice);
    db.Database.SetCommandTimeout(3600);
    await db.Database.ExecuteSqlAsync(
        $$"""
        INSERT INTO people (id, practice_id, first_name, last_name, sort_name, search_text, email, owner_id, stage, stage_since, tags, lists, custom, lost_reason, city, state, added_at, do_not_contact, do_not_contact_to_confirm, died, archived, edition)
        SELECT gen_random_uuid(), {{practice}}, 'Person' || n, 'Rowan', 'rowan person' || n, 'person' || n, CASE WHEN n % 20 > 0 THEN 'person' || n || '@example.com' END, CASE WHEN n % 3 = 0 THEN {{ada}} ELSE {{tomas}} END,
          (ARRAY['Planning/Inquiry', 'Planning/Client', 'Planning/Proposal', NULL])[1 + n % 4], {{start}}::timestamptz - make_interval(days => n % 900),
          CASE WHEN n % 50 = 0 THEN ARRAY['Warm', 'Client'] WHEN n % 3 = 0 THEN ARRAY['Client'] ELSE ARRAY[]::text[] END, CASE WHEN n % 100 = 0 THEN ARRAY['market letter'] ELSE ARRAY[]::text[] END,
          CASE WHEN n % 10 = 0 THEN jsonb_build_object('Net worth', (n % 900 * 1000)::text, 'Attitude', (ARRAY['careful', 'bold'])[1 + n / 20 % 2]) ELSE '{}'::jsonb END,
          CASE WHEN n % 40 = 0 THEN 'fees' END, 'Port Averil', (ARRAY['ME', 'NY', 'MA', 'CO'])[1 + n % 4], {{start}}::timestamptz - make_interval(days => n % 2000), false, false, false, n % 200 = 0, 1
        FROM generate_series(1, {{rows}}) n
        """
    );
    await db.Database.ExecuteSqlAsync(
        $"INSERT INTO consent (practice_id, person_id, channel, purpose, is_in, basis, at, source) SELECT practice_id, id, c, 'commercial', random() < 0.9, CASE WHEN random() < 0.3 THEN 'inquiry' ELSE 'express' END, {start}::timestamptz - interval '100 days' * random(), 'x' FROM people, unnest(ARRAY['email', 'text']) c"
    );
    await db.Database.ExecuteSqlAsync(
        $"INSERT INTO key_dates (person_id, practice_id, name, month, day, year, yearly) SELECT id, practice_id, 'birthday', 1 + (random() * 11)::int, 1 + (random() * 27)::int, 1940 + (random() * 60)::int, true FROM people"
    );
    await db.Database.ExecuteSqlAsync($"UPDATE person_states s SET last_touch_at = {start}::timestamptz - interval '1 day' * (random() * 400)::int WHERE practice_id = {practice} AND random() < 0.8");
    await db.Database.ExecuteSqlRawAsync("VACUUM ANALYZE");
    return (database, practice);
}

async Task SegmentsAsync()
{
    var (database, practice) = await PeopleAsync();
    using var _ = database;
    await using var db = database.For(practice);
    db.Database.SetCommandTimeout(600);
    var p = practice;
    (string Name, string Rule, FormattableString Hand)[] asked =
    [
        (
            "stand in one of two stages",
            """{"field":"stage","op":"in","value":["Planning/Client","Planning/Proposal"]}""",
            $"SELECT count(*)::int AS \"Value\" FROM people p WHERE practice_id = {p} AND NOT archived AND lower(stage) IN ('planning/client', 'planning/proposal')"
        ),
        (
            "have a tag few have",
            """{"field":"tags","op":"has","value":"warm"}""",
            $"SELECT count(*)::int AS \"Value\" FROM people p WHERE practice_id = {p} AND NOT archived AND EXISTS (SELECT 1 FROM unnest(tags) t WHERE lower(t) = 'warm')"
        ),
        (
            "choice of a field, and a state",
            """{"all":[{"field":"custom:Attitude","op":"is","value":"bold"},{"field":"state","op":"is","value":"ME"}]}""",
            $"SELECT count(*)::int AS \"Value\" FROM people p WHERE practice_id = {p} AND NOT archived AND lower(custom ->> 'Attitude') = 'bold' AND lower(state) = 'me'"
        ),
        (
            "lost for fees, in Maine, not heard from us in 90 days, not tagged Client",
            """{"all":[{"field":"lost-reason","op":"is","value":"fees"},{"field":"state","op":"is","value":"ME"},{"field":"last-touch","op":"not-in-last","value":"P90D"},{"not":{"field":"tags","op":"has","value":"client"}}]}""",
            $"""
            SELECT count(*)::int AS "Value" FROM people p WHERE practice_id = {p} AND NOT archived AND lower(lost_reason) = 'fees' AND lower(state) = 'me' AND NOT EXISTS (SELECT 1 FROM unnest(tags) t WHERE lower(t) = 'client')
            AND NOT EXISTS (SELECT 1 FROM person_states s WHERE s.person_id = p.id AND s.last_touch_at >= {start}::timestamptz - interval '90 days')
            """
        ),
        (
            "born in May",
            """{"field":"date:birthday","op":"month-is","value":5}""",
            $"SELECT count(*)::int AS \"Value\" FROM people p WHERE practice_id = {p} AND NOT archived AND EXISTS (SELECT 1 FROM key_dates d WHERE d.person_id = p.id AND lower(d.name) = 'birthday' AND d.month = 5)"
        ),
        (
            "clients or on a list, without an email address",
            """{"all":[{"any":[{"field":"tags","op":"has","value":"client"},{"field":"lists","op":"has","value":"market letter"}]},{"field":"email","op":"missing"}]}""",
            $"SELECT count(*)::int AS \"Value\" FROM people p WHERE practice_id = {p} AND NOT archived AND (EXISTS (SELECT 1 FROM unnest(tags) t WHERE lower(t) = 'client') OR EXISTS (SELECT 1 FROM unnest(lists) l WHERE lower(l) = 'market letter')) AND email IS NULL"
        ),
    ];
    var moment = (await PracticeReading.LoadAsync(db, default)).RulesAt(start);
    var plans = new StringBuilder();
    foreach (var (name, json, hand) in asked)
    {
        var rule = RuleReader.Read(System.Text.Json.JsonDocument.Parse(json).RootElement, "", []) ?? throw new InvalidOperationException(json);
        var ours = db.InSegment(rule, moment).AsNoTracking();
        var (count, bare) = (await ours.CountAsync(), await db.Database.SqlQuery<int>(hand).SingleAsync());
        if (count != bare)
        {
            throw new InvalidOperationException($"{name}: {count} by the rule, {bare} by hand");
        }

        // By turns, so that what else the machine does falls on both.
        var (a, b) = (new List<double>(), new List<double>());
        for (var i = 0; i < 7; i++)
        {
            var watch = Stopwatch.StartNew();
            await ours.CountAsync();
            a.Add(watch.Elapsed.TotalMilliseconds);
            watch.Restart();
            await db.Database.SqlQuery<int>(hand).SingleAsync();
            b.Add(watch.Elapsed.TotalMilliseconds);
        }

        var (mine, theirs) = (Median(a), Median(b));
        Console.WriteLine($"| {name} | {count:n0} | {mine:0} | {theirs:0} | {mine / theirs:0.0} |");
        plans.AppendLine(CultureInfo.InvariantCulture, $"\n{name}, by the rule:").AppendLine(await PlanAsync(db, ours.ToQueryString()));
        plans.AppendLine(CultureInfo.InvariantCulture, $"{name}, by hand:").AppendLine(await PlanAsync(db, db.Database.SqlQuery<int>(hand).ToQueryString()));
    }

    Console.WriteLine(plans);
}

static double Median(List<double> times) => times.Order().ElementAt(times.Count / 2);

static async Task<string> PlanAsync(GerminalDb db, string sql)
{
    // EF writes parameters as comments before the query; they are put in as they stand there.
    var connection = (NpgsqlConnection)db.Database.GetDbConnection();
    await db.Database.OpenConnectionAsync();
    foreach (var line in sql.Split('\n').Where(l => l.StartsWith("-- ", StringComparison.Ordinal)).Reverse())
    {
        var name = line[3..line.IndexOf('=', StringComparison.Ordinal)].Trim();
        var value = line[(line.IndexOf('=', StringComparison.Ordinal) + 1)..];
        var text =
            value.StartsWith('{') ? $"ARRAY[{value[1..value.IndexOf('}', StringComparison.Ordinal)]}]"
            : value.StartsWith('\'') ? value[..(value.IndexOf('\'', 1) + 1)]
            : value.Split(' ')[0];
        sql = sql.Replace('@' + name, text, StringComparison.Ordinal);
    }

    try
    {
        await using var command = new NpgsqlCommand("EXPLAIN (COSTS OFF) " + string.Join('\n', sql.Split('\n').Where(l => !l.StartsWith("--", StringComparison.Ordinal))), connection);
        await using var reader = await command.ExecuteReaderAsync();
        var plan = new StringBuilder();
        while (await reader.ReadAsync())
        {
            plan.AppendLine(reader.GetString(0));
        }

        return plan.ToString();
    }
    catch (PostgresException e)
    {
        return $"(no plan: {e.MessageText})\n{sql}";
    }
}

async Task ImportAsync()
{
    using var database = new TestDatabase();
    var (practice, _, _) = await database.PracticeAsync(start);
    await using var db = database.For(practice);
    db.Database.SetCommandTimeout(3600);
    var text = new StringBuilder();
    text.AppendJoin(',', Header()).Append('\n');
    for (var i = 0; i < rows; i++)
    {
        text.AppendJoin(',', Row(i).Select(c => c.Contains(',', StringComparison.Ordinal) ? $"\"{c}\"" : c)).Append('\n');
    }

    var file = Encoding.UTF8.GetBytes(text.ToString());
    db.Imports.Add(
        new ImportRow
        {
            Id = Guid.NewGuid(),
            PracticeId = practice,
            FileName = "people.csv",
            Content = file,
            Columns = [.. ImportField.Guess(ListTable.Read(file))],
            Status = "queued",
            By = "Ada Quill",
            CreatedAt = start,
        }
    );
    await db.SaveChangesAsync();
    var watch = Stopwatch.StartNew();
    while (await new ImportRunner(database).RunNextAsync(default)) { }

    var seconds = watch.Elapsed.TotalSeconds;
    var people = await db.People.CountAsync();
    await db.Database.ExecuteSqlRawAsync("CREATE TABLE again_people (LIKE people INCLUDING ALL)");
    await db.Database.OpenConnectionAsync();
    var connection = (NpgsqlConnection)db.Database.GetDbConnection();
    var columns = await db
        .Database.SqlQueryRaw<string>("SELECT string_agg(quote_ident(column_name), ',' ORDER BY ordinal_position) AS \"Value\" FROM information_schema.columns WHERE table_name = 'people' AND is_generated = 'NEVER'")
        .SingleAsync();
    List<string> lines = [];
    using (var reader = await connection.BeginTextExportAsync($"COPY people ({columns}) TO STDOUT"))
    {
        while (await reader.ReadLineAsync() is { } line)
        {
            lines.Add(line);
        }
    }

    watch.Restart();
    await using (var writer = await connection.BeginTextImportAsync($"COPY again_people ({columns}) FROM STDIN"))
    {
        foreach (var line in lines)
        {
            await writer.WriteAsync(line);
            await writer.WriteAsync('\n');
        }
    }

    var copied = watch.Elapsed.TotalSeconds;
    Console.WriteLine($"| bringing {people:n0} people in | {seconds:0.0} s | COPY of the same rows {copied:0.0} s | {seconds / copied:0.0} × | highest working set {Megabytes()} MB |");
}

async Task ConsentAsync()
{
    var (database, practice) = await PeopleAsync();
    using var _ = database;
    await using var db = database.For(practice);
    await ConsentGlance.NumbersAsync(db, start, default);
    var watch = Stopwatch.StartNew();
    var numbers = await ConsentGlance.NumbersAsync(db, start, default);
    Console.WriteLine($"| consent at a glance, {numbers.People:n0} people | {watch.Elapsed.TotalMilliseconds:0} ms | {numbers.LostInAll:n0} lost soon | highest working set {Megabytes()} MB |");
}
