using System.Data;
using System.Globalization;
using System.IO.Compression;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Core.Files;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using Npgsql;

namespace Germinal.Service.Whole;

/// <summary>
/// A whole practice as one ZIP file in open forms: to be read by anybody (people as CSV and cards, the practice and its programs as JSON, letters as mail, files as they are),
/// and every table as CSV (RFC 4180), out of which <see cref="ArchiveIn"/> makes the same practice again.
/// </summary>
public static class ArchiveOut
{
    private const int CopyBuffer = 64 * 1024;

    /// <summary>Writes it, as everything is at one moment.</summary>
    /// <param name="db">A context of the practice, without a transaction.</param>
    /// <param name="output">Where to; left open.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task WriteAsync(GerminalDb db, Stream output, CancellationToken stop)
    {
        await using var transaction = await db.Database.BeginTransactionAsync(IsolationLevel.RepeatableRead, stop);
        await db.Database.ExecuteSqlAsync($"SET LOCAL TimeZone = 'UTC'", stop);
        var practice = await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop);
        var rows = new Dictionary<string, long>(StringComparer.Ordinal);
        var files = 0;
        await using var zip = new ZipArchive(output, ZipArchiveMode.Create, leaveOpen: true);
        await WriteTextAsync(zip, "READ-ME.txt", ReadMe(practice.Name), stop);
        foreach (var table in PracticeTables.Of(db.Model))
        {
            rows[table.Name] = await WriteTableAsync(db, zip, table, practice.Id, stop);
            files += await WriteFilesAsync(db, zip, table, practice.Id, stop);
        }

        await WriteReadableAsync(db, zip, stop);
        var schema = (await db.Database.GetAppliedMigrationsAsync(stop)).Last();
        var head = new ArchiveHead(ArchiveForm.Name, ArchiveForm.Version, practice.Name, SystemClock.Instance.GetCurrentInstant().Iso(), schema, rows, files);
        await WriteTextAsync(zip, ArchiveForm.Entry, JsonSerializer.Serialize(head, ArchiveForm.Json), stop);
    }

    private static string ReadMe(string practice) =>
        $"""
        All that {practice} has in Germinal.

        people.csv, people.vcf   everybody, as a table (RFC 4180) and as cards (vCard 4.0)
        practice.json            the practice's rules
        programs/                each program, as a file that any Germinal takes in
        letters/                 what was sent, as mail (RFC 5322), by month
        files/                   pictures, films and files, as they are
        tables/                  every table as CSV (RFC 4180), times in UTC (ISO 8601): events.csv, touches.csv and all others
        archive.json             what is in here, with how many rows each table has

        A new, empty installation takes it in where its first practice is begun, and is the same afterwards. Left out is what belongs to one
        installation: passwords and other secrets of members and servers, where they are signed in, and calendars kept elsewhere.

        """;

    private static async Task WriteTextAsync(ZipArchive zip, string name, string text, CancellationToken stop)
    {
        await using var entry = await zip.CreateEntry(name).OpenAsync(stop);
        await entry.WriteAsync(Encoding.UTF8.GetBytes(text), stop);
    }

    private static async Task<long> WriteTableAsync(GerminalDb db, ZipArchive zip, PracticeTable table, Guid practice, CancellationToken stop)
    {
        var columns = new List<string>();
        foreach (var column in table.Columns)
        {
            var name = PracticeTable.Quoted(column);
            columns.Add(table.Left.TryGetValue(column, out var instead) ? $"{instead} AS {name}" : name);
        }

        if (table.Owner == "id")
        {
            var settings = await db.Database.SqlQuery<string>($"SELECT settings::text AS \"Value\" FROM practices WHERE id = {practice}").SingleAsync(stop);
            columns[columns.IndexOf("\"settings\"")] = $"{Literal(ArchiveForm.WithoutSecrets(settings))}::jsonb AS \"settings\"";
        }

        var from = From(table, practice);
        var connection = (NpgsqlConnection)db.Database.GetDbConnection();
        await using (var entry = new StreamWriter(await zip.CreateEntry(ArchiveForm.TableEntry(table.Name)).OpenAsync(stop), new UTF8Encoding(false)))
        {
            var sql = $"COPY (SELECT {string.Join(", ", columns)} {from} ORDER BY {string.Join(", ", table.Key.Select(PracticeTable.Quoted))}) TO STDOUT (FORMAT csv, HEADER)";
            using var reader = await connection.BeginTextExportAsync(sql, stop);
            var buffer = new char[CopyBuffer];
            while (await reader.ReadAsync(buffer, stop) is > 0 and var read)
            {
                await entry.WriteAsync(buffer.AsMemory(0, read), stop);
            }
        }

        await using var count = new NpgsqlCommand($"SELECT count(*) {from}", connection);
        return (long)(await count.ExecuteScalarAsync(stop))!;
    }

    private static string From(PracticeTable table, Guid practice) => $"FROM {table.Sql} WHERE {PracticeTable.Quoted(table.Owner)} = '{practice}'";

    // COPY takes no parameters; what stands here comes out of the database.
    private static string Literal(string text) => $"'{text.Replace("'", "''", StringComparison.Ordinal)}'";

    private static async Task<int> WriteFilesAsync(GerminalDb db, ZipArchive zip, PracticeTable table, Guid practice, CancellationToken stop)
    {
        var written = 0;
        foreach (var column in table.Files)
        {
            var (name, connection) = (PracticeTable.Quoted(column), (NpgsqlConnection)db.Database.GetDbConnection());
            await using var command = new NpgsqlCommand($"SELECT {ArchiveForm.KeySql(table.Key)}, {name} {From(table, practice)} AND {name} IS NOT NULL", connection);
            await using var reader = await command.ExecuteReaderAsync(CommandBehavior.SequentialAccess, stop);
            while (await reader.ReadAsync(stop))
            {
                await using var entry = await zip.CreateEntry(ArchiveForm.FileEntry(table.Name, reader.GetString(0), column)).OpenAsync(stop);
                await using var content = await reader.GetStreamAsync(1, stop);
                await content.CopyToAsync(entry, stop);
                written++;
            }
        }

        return written;
    }

    /// <summary>The same once more in the forms that other programs read.</summary>
    private static async Task WriteReadableAsync(GerminalDb db, ZipArchive zip, CancellationToken stop)
    {
        var people = await db.People.OrderBy(p => p.SortName).ThenBy(p => p.Id).Select(p => p.Id).ToListAsync(stop);
        foreach (var form in new[] { "csv", "vcf" })
        {
            await using var entry = await zip.CreateEntry($"people.{form}").OpenAsync(stop);
            await PeopleExport.WriteAsync(db, people, form, entry, stop);
        }

        var practice = await PracticeReading.LoadAsync(db, stop);
        await WriteTextAsync(zip, "practice.json", PracticeFile.Write(practice with { Members = [.. practice.Members.Select(m => m with { Handle = m.Name })] }).ToJsonString(ArchiveForm.Json), stop);
        foreach (var program in await db.Programs.AsNoTracking().OrderBy(p => p.Name).Select(p => new { p.Id, p.Name, p.Draft }).ToListAsync(stop))
        {
            await WriteTextAsync(zip, $"programs/{FileNames.Of(program.Name, "program")}-{program.Id.ToString()[..8]}.program.json", JsonNode.Parse(program.Draft)!.ToJsonString(ArchiveForm.Json), stop);
        }

        await foreach (var message in db.Messages.AsNoTracking().OrderBy(m => m.SentAt).ThenBy(m => m.TouchId).AsAsyncEnumerable().WithCancellation(stop))
        {
            var month = message.SentAt.InUtc().Date.ToString("uuuu'-'MM", CultureInfo.InvariantCulture);
            await using var entry = await zip.CreateEntry($"letters/{month}/{message.TouchId:N}.eml").OpenAsync(stop);
            using var mail = SentMail.Of(message);
            await mail.WriteToAsync(entry, stop);
        }
    }
}
