using System.IO.Compression;
using System.Text;
using System.Text.Json;
using Germinal.Service.Broadcasts;
using Germinal.Service.Clock;
using Germinal.Service.Programs;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using Npgsql;

namespace Germinal.Service.Whole;

/// <summary>Something about an archive that keeps it from being taken in; the message says what, and what would be right.</summary>
public sealed class ArchiveException(string message) : Exception(message);

/// <summary>Makes a practice out of what <see cref="ArchiveOut"/> wrote.</summary>
public static class ArchiveIn
{
    private const int CopyBuffer = 64 * 1024;
    private static string NotOne => Said("This is no archive that Germinal wrote, or not a whole one. It is a ZIP file with archive.json in it, as “All data” hands it out.");

    /// <summary>
    /// Brings a whole practice into an installation that has none. Everything comes in the caller's transaction, or nothing; what every table held is counted again.
    /// </summary>
    /// <param name="db">A context with a transaction open; it sees the practice afterwards.</param>
    /// <param name="input">The archive; it has to be one that can be read from any place.</param>
    /// <param name="goesOn">Whether its programs go on at once. Else all that were on are paused, and broadcasts held, so that two installations never write to the same people.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>The practice.</returns>
    /// <exception cref="ArchiveException">It cannot be taken in.</exception>
    public static async Task<Guid> ReadAsync(GerminalDb db, Stream input, bool goesOn, CancellationToken stop)
    {
        try
        {
            await using var zip = Open(input);
            var head = await HeadAsync(db, zip, stop);
            await db.Database.ExecuteSqlAsync($"SET LOCAL TimeZone = 'UTC'", stop);
            var tables = PracticeTables.Of(db.Model);

            // What the database adds to rows by itself stands in the archive already.
            await TriggersAsync(db, tables, "DISABLE", stop);
            foreach (var table in tables)
            {
                await TakeAsync(db, zip, table, head.Tables.GetValueOrDefault(table.Name), stop);
            }

            await TriggersAsync(db, tables, "ENABLE", stop);

            db.PracticeId = await db.Practices.Select(p => p.Id).SingleAsync(stop);
        }
        catch (Exception e) when (e is InvalidDataException or JsonException or DecoderFallbackException or EndOfStreamException)
        {
            throw new ArchiveException(NotOne);
        }
        catch (PostgresException e) when (e.SqlState.StartsWith("22", StringComparison.Ordinal) || e.SqlState.StartsWith("23", StringComparison.Ordinal))
        {
            throw new ArchiveException(Say($"What this archive says of {e.TableName ?? e.Where ?? Said("a table")} does not fit: {e.MessageText}. It was changed after it was written; take the one that came out."));
        }

        if (!goesOn)
        {
            await HoldAsync(db, stop);
        }

        await PracticeClock.LookAgainAsync(db, stop);
        return db.PracticeId!.Value;
    }

    /// <summary>A few bytes that are no ZIP file make some streams complain in words of their own.</summary>
    private static ZipArchive Open(Stream input)
    {
        try
        {
            return new ZipArchive(input, ZipArchiveMode.Read, leaveOpen: true);
        }
        catch (Exception e) when (e is InvalidDataException or IOException or ArgumentException)
        {
            throw new ArchiveException(NotOne);
        }
    }

    private static async Task<ArchiveHead> HeadAsync(GerminalDb db, ZipArchive zip, CancellationToken stop)
    {
        if (zip.GetEntry(ArchiveForm.Entry) is not { } entry)
        {
            throw new ArchiveException(NotOne);
        }

        await using var text = await entry.OpenAsync(stop);
        var head = await JsonSerializer.DeserializeAsync<ArchiveHead>(text, ArchiveForm.Json, stop);
        if (head is not { Format: ArchiveForm.Name, Tables: not null })
        {
            throw new ArchiveException(NotOne);
        }

        if (head.Version > ArchiveForm.Version || !(await db.Database.GetAppliedMigrationsAsync(stop)).Contains(head.Schema, StringComparer.Ordinal))
        {
            throw new ArchiveException(Said("This archive was written by a newer Germinal. Bring this installation up to date first, then it is taken in."));
        }

        if (await db.Practices.AnyAsync(stop))
        {
            throw new ArchiveException(Said("An archive goes into an installation that has no practice yet; this one has."));
        }

        return head;
    }

    private static async Task TriggersAsync(GerminalDb db, IReadOnlyList<PracticeTable> tables, string what, CancellationToken stop)
    {
        var connection = (NpgsqlConnection)db.Database.GetDbConnection();
        foreach (var table in tables)
        {
            await ExecuteAsync(connection, $"ALTER TABLE {table.Sql} {what} TRIGGER USER", stop);
        }
    }

    private static async Task TakeAsync(GerminalDb db, ZipArchive zip, PracticeTable table, long rows, CancellationToken stop)
    {
        if (zip.GetEntry(ArchiveForm.TableEntry(table.Name)) is not { } entry)
        {
            // A table that there was not yet when it was written.
            if (rows > 0)
            {
                throw new ArchiveException(NotOne);
            }

            return;
        }

        using var text = new StreamReader(await entry.OpenAsync(stop), new UTF8Encoding(false, true));
        var columns = (await text.ReadLineAsync(stop) ?? "").Split(',').Select(c => c.Trim('"')).ToList();
        if (columns.Find(c => !table.Columns.Contains(c, StringComparer.Ordinal)) is { } odd)
        {
            throw new ArchiveException(Say($"The archive has a column “{odd}” in {table.Name}, which this Germinal does not know. Take the archive as it was written."));
        }

        var connection = (NpgsqlConnection)db.Database.GetDbConnection();
        if (table.Files.Count == 0)
        {
            await CopyAsync(connection, table.Sql, columns, text, stop);
        }
        else
        {
            await CopyWithFilesAsync(db, zip, table, columns, text, stop);
        }

        await using var count = new NpgsqlCommand($"SELECT count(*) FROM {table.Sql}", connection);
        if ((long)(await count.ExecuteScalarAsync(stop))! != rows)
        {
            throw new ArchiveException(Say($"The archive says that {table.Name} has {rows} rows, and it has another number. It was changed after it was written; take the one that came out."));
        }

        if (table.Counted is { } counted)
        {
            await using var on = new NpgsqlCommand(
                $"SELECT setval(pg_get_serial_sequence(@table, @column), coalesce((SELECT max({PracticeTable.Quoted(counted)}) FROM {table.Sql}), 0) + 1, false)",
                connection
            )
            {
                Parameters = { new("table", table.Sql), new("column", counted) },
            };
            await on.ExecuteNonQueryAsync(stop);
        }
    }

    private static async Task CopyAsync(NpgsqlConnection connection, string table, IEnumerable<string> columns, StreamReader text, CancellationToken stop)
    {
        await using var writer = await connection.BeginTextImportAsync($"COPY {table} ({Names(columns)}) FROM STDIN (FORMAT csv)", stop);
        var buffer = new char[CopyBuffer];
        while (await text.ReadAsync(buffer, stop) is > 0 and var read)
        {
            await writer.WriteAsync(buffer.AsMemory(0, read), stop);
        }
    }

    private static string Names(IEnumerable<string> columns) => string.Join(", ", columns.Select(PracticeTable.Quoted));

    /// <summary>Rows and files come apart, and are put together before the table sees them.</summary>
    private static async Task CopyWithFilesAsync(GerminalDb db, ZipArchive zip, PracticeTable table, List<string> columns, StreamReader text, CancellationToken stop)
    {
        const string Coming = "archive_rows";
        var connection = (NpgsqlConnection)db.Database.GetDbConnection();
        await ExecuteAsync(connection, $"CREATE TEMP TABLE {Coming} ON COMMIT DROP AS SELECT * FROM {table.Sql} WITH NO DATA", stop);
        await CopyAsync(connection, Coming, columns, text, stop);
        var keys = new List<string>();
        await using (var command = new NpgsqlCommand($"SELECT {ArchiveForm.KeySql(table.Key)} FROM {Coming}", connection))
        await using (var reader = await command.ExecuteReaderAsync(stop))
        {
            while (await reader.ReadAsync(stop))
            {
                keys.Add(reader.GetString(0));
            }
        }

        foreach (var (key, column) in keys.SelectMany(k => table.Files.Select(f => (k, f))))
        {
            if (zip.GetEntry(ArchiveForm.FileEntry(table.Name, key, column)) is not { } file)
            {
                continue;
            }

            using var content = new MemoryStream();
            await using (var packed = await file.OpenAsync(stop))
            {
                await packed.CopyToAsync(content, stop);
            }

            await using var put = new NpgsqlCommand($"UPDATE {Coming} SET {PracticeTable.Quoted(column)} = @content WHERE {ArchiveForm.KeySql(table.Key)} = @key", connection)
            {
                Parameters = { new("content", content.ToArray()), new("key", key) },
            };
            await put.ExecuteNonQueryAsync(stop);
        }

        var all = Names(columns.Concat(table.Files));
        await ExecuteAsync(connection, $"INSERT INTO {table.Sql} ({all}) OVERRIDING SYSTEM VALUE SELECT {all} FROM {Coming}", stop);
        await ExecuteAsync(connection, $"DROP TABLE {Coming}", stop);
    }

    private static async Task ExecuteAsync(NpgsqlConnection connection, string sql, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(sql, connection);
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>Nothing goes out by itself until somebody here says so.</summary>
    private static async Task HoldAsync(GerminalDb db, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        foreach (var program in await db.Programs.Where(p => p.Status == "on").ToListAsync(stop))
        {
            await ProgramDesk.SetPausedAsync(db, program, true, null, now, stop);
        }

        await db.Programs.Where(p => p.Status == "paused").ExecuteUpdateAsync(u => u.SetProperty(p => p.PausedUntil, (Instant?)null), stop);
        await BroadcastDesk.HoldAllAsync(db, now, stop);
    }
}
