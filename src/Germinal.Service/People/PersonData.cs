using System.Data;
using System.IO.Compression;
using System.Security.Cryptography;
using System.Text;
using System.Text.Encodings.Web;
using System.Text.Json;
using Germinal.Service.Import;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using Npgsql;

namespace Germinal.Service.People;

/// <summary>
/// A person's data on request: everything as JSON and mail files (GDPR Art. 15 and 20), and erasure that leaves only the
/// hashes by which they are never written to again (Art. 17). Both walk <see cref="PersonTables"/>.
/// </summary>
public sealed class PersonData(GerminalDb db)
{
    private static readonly JsonSerializerOptions Json = new() { WriteIndented = true, Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping };

    /// <summary>
    /// Everything kept about a person as a ZIP file: one page to read (<c>index.html</c>), a JSON file for each table, each message as <c>.eml</c>, files that came in,
    /// and the rows of lists they were brought in with.
    /// </summary>
    public async Task WriteAsync(Guid person, Stream output, CancellationToken stop)
    {
        await using var zip = new ZipArchive(output, ZipArchiveMode.Create, leaveOpen: true);
        var tables = new List<(string Name, IReadOnlyList<JsonElement> Rows)>();
        foreach (var table in PersonTables.Of(db.Model))
        {
            tables.Add((table.Name, await WriteTableAsync(zip, table, person, stop)));
        }

        var row = await db.People.AsNoTracking().SingleAsync(p => p.Id == person, stop);
        var zone = (await Engine.PracticeReading.LoadAsync(db, stop)).Zone;
        await using (var entry = await zip.CreateEntry("index.html").OpenAsync(stop))
        {
            var page = await PersonPageFile.WriteAsync(db, row, zone, [.. tables.Where(t => t.Rows.Count > 0)], stop);
            await entry.WriteAsync(Encoding.UTF8.GetBytes(page), stop);
        }

        await foreach (
            var message in db.Messages.AsNoTracking().Where(m => m.PersonId == person || m.AboutId == person).OrderBy(m => m.SentAt).AsAsyncEnumerable().WithCancellation(stop)
        )
        {
            await using var entry = await zip.CreateEntry($"messages/{message.SentAt.InUtc().Date:uuuu-MM-dd}-{message.TouchId:N}.eml").OpenAsync(stop);
            using var mail = SentMail.Of(message);
            await mail.WriteToAsync(entry, stop);
        }

        var rows = await ImportedCells.OfAsync(db, person, stop);
        if (rows.Count > 0)
        {
            await using var entry = await zip.CreateEntry("imported-rows.json").OpenAsync(stop);
            await JsonSerializer.SerializeAsync(entry, rows, Json, stop);
        }
    }

    private async Task<IReadOnlyList<JsonElement>> WriteTableAsync(ZipArchive zip, PersonTable table, Guid person, CancellationToken stop)
    {
        var rows = new List<JsonElement>();
        var files = new List<(string Name, byte[] Content)>();
        var without = table.Files.Count == 0 ? "" : $" - ARRAY[{string.Join(", ", table.Files.Select(f => $"'{f}'"))}]";
        var columns = string.Concat(table.Files.Select(f => $", t.{f}"));
        await using (
            var command = await CommandAsync(
                $"SELECT (to_jsonb(t){without})::text, concat_ws('-', {string.Join(", ", table.Key.Select(k => $"t.{k}"))}){columns} FROM {table.Name} t WHERE {table.Owner}",
                person,
                stop
            )
        )
        {
            await using var reader = await command.ExecuteReaderAsync(stop);
            while (await reader.ReadAsync(stop))
            {
                rows.Add(JsonSerializer.Deserialize<JsonElement>(reader.GetString(0)));
                for (var i = 0; i < table.Files.Count; i++)
                {
                    files.Add(($"{table.Name}/{reader.GetString(1)}-{table.Files[i]}", (byte[])reader[i + 2]));
                }
            }
        }

        if (rows.Count > 0)
        {
            await using var entry = await zip.CreateEntry($"{table.Name.Replace('_', '-')}.json").OpenAsync(stop);
            await JsonSerializer.SerializeAsync(entry, rows, Json, stop);
        }

        foreach (var (name, content) in files)
        {
            await using var entry = await zip.CreateEntry(name).OpenAsync(stop);
            await entry.WriteAsync(content, stop);
        }

        return rows;
    }

    /// <summary>
    /// Erases a person and whoever was merged into them: every row about them goes, out of the lists they came with too. What
    /// stays are hashes of their addresses, so that a list brought in later cannot make anybody write to them again. The caller
    /// has a transaction open, and commits.
    /// </summary>
    public async Task EraseAsync(PersonRow person, Instant now, CancellationToken stop)
    {
        var merged = await db.Merges.Where(m => m.KeptId == person.Id && m.UndoneAt == null).Select(m => m.MergedId).ToListAsync(stop);
        foreach (var one in await db.People.AsNoTracking().Where(p => p.Id == person.Id || (merged.Contains(p.Id) && p.Archived)).ToListAsync(stop))
        {
            await EraseOneAsync(one, now, stop);
        }

        db.ChangeTracker.Clear();
    }

    private async Task EraseOneAsync(PersonRow person, Instant now, CancellationToken stop)
    {
        foreach (var address in new[] { person.Email, person.OtherEmail, person.Mobile, person.OtherPhone }.OfType<string>().Distinct())
        {
            var hash = HashOf(address);
            await db.Database.ExecuteSqlAsync(
                $"INSERT INTO suppressions (practice_id, address, reason, at) VALUES ({person.PracticeId}, {hash}, 'erased', {now}) ON CONFLICT DO NOTHING",
                stop
            );
            await db.Suppressions.Where(s => s.Address == address).ExecuteDeleteAsync(stop);
        }

        await ImportedCells.BlankAsync(db, person.Id, stop);

        // What others' programs wrote to them goes with its message; what was looked at for it names them too.
        await db
            .Touches.Where(t => t.ReaderId == person.Id)
            .ExecuteUpdateAsync(u => u.SetProperty(t => t.ReaderId, (Guid?)null).SetProperty(t => t.Checks, []), stop);

        // Others' threads name them as who they lived with or were related to, and a greeting may.
        var id = person.Id.ToString();
        await db.Database.ExecuteSqlAsync(
            $"DELETE FROM events WHERE practice_id = {person.PracticeId} AND kind = {EventKinds.Circle} AND data ->> 'other' = {id}",
            stop
        );
        if (person.HouseholdId is { } home)
        {
            await db.Households.Where(h => h.Id == home).ExecuteUpdateAsync(u => u.SetProperty(h => h.Salutation, (string?)null), stop);
            if (await db.People.CountAsync(p => p.HouseholdId == home && p.Id != person.Id, stop) < 2)
            {
                await db.Households.Where(h => h.Id == home).ExecuteDeleteAsync(stop);
            }
        }

        // The journal goes on telling what members did, and no more to whom.
        await db
            .Journal.Where(j => j.ConcernsId == person.Id)
            .ExecuteUpdateAsync(u => u.SetProperty(j => j.ConcernsId, (Guid?)null).SetProperty(j => j.SubjectId, (Guid?)null).SetProperty(j => j.About, Said("somebody who was erased")).SetProperty(j => j.More, ""), stop);
        foreach (var table in PersonTables.Of(db.Model))
        {
            foreach (var mention in table.Mentions)
            {
                await ExecuteAsync($"UPDATE {table.Name} t SET {mention} = NULL WHERE t.{mention} = @person", person.Id, stop);
            }

            await ExecuteAsync($"DELETE FROM {table.Name} t WHERE {table.Owner}", person.Id, stop);
        }
    }

    /// <summary>What stands for an address that was erased.</summary>
    public static string HashOf(string address) => "sha256:" + Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(address.ToLowerInvariant())));

    private async Task ExecuteAsync(string sql, Guid person, CancellationToken stop)
    {
        await using var command = await CommandAsync(sql, person, stop);
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>SQL made of the model's own names, with the person as its one parameter, on the context's connection and transaction.</summary>
    private async Task<NpgsqlCommand> CommandAsync(string sql, Guid person, CancellationToken stop)
    {
        var connection = (NpgsqlConnection)db.Database.GetDbConnection();
        if (connection.State != ConnectionState.Open)
        {
            await db.Database.OpenConnectionAsync(stop);
        }

#pragma warning disable CA2100 // Names of tables and columns come from the model, never from anybody.
        var command = new NpgsqlCommand(
            sql,
            connection,
            (NpgsqlTransaction?)
                (db.Database.CurrentTransaction as Microsoft.EntityFrameworkCore.Infrastructure.IInfrastructure<System.Data.Common.DbTransaction>)?.Instance
        );
#pragma warning restore CA2100
        command.Parameters.AddWithValue("person", person);
        return command;
    }
}
