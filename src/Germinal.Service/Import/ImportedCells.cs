using System.Globalization;
using System.Text;
using Germinal.Channels.Tables;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Import;

/// <summary>A row of a list as it came, with the names of its columns.</summary>
public sealed record ImportedCellsOfRow(string File, int Row, IReadOnlyDictionary<string, string> Cells);

/// <summary>
/// The files that people came with, as far as they hold somebody: they are kept for a while, so that an import can be looked
/// at again, and so belong to what is handed out and erased.
/// </summary>
public static class ImportedCells
{
    /// <summary>How long a file is kept after it came.</summary>
    public static readonly Duration KeptFor = Duration.FromDays(30);

    /// <summary>The rows somebody was brought in with, or filled from.</summary>
    public static async Task<IReadOnlyList<ImportedCellsOfRow>> OfAsync(GerminalDb db, Guid person, CancellationToken stop)
    {
        var found = new List<ImportedCellsOfRow>();
        foreach (var (import, lines) in await ImportsAsync(db, person, stop))
        {
            var table = ListTable.Read(import.Content, sheet: import.Sheet);
            found.AddRange(table.Records.Where(r => lines.Contains(r.Line)).Select(r => new ImportedCellsOfRow(import.FileName, r.Line, CellsOf(table, r))));
        }

        return found;
    }

    /// <summary>Empties the cells of the rows somebody was brought in with; every other row stays where it is.</summary>
    public static async Task BlankAsync(GerminalDb db, Guid person, CancellationToken stop)
    {
        foreach (var (import, lines) in await ImportsAsync(db, person, stop))
        {
            // What was a workbook or cards is a text file from then on: other sheets, pictures and remarks of the file may be about them too.
            var table = ListTable.Read(import.Content, sheet: import.Sheet);
            await using var text = new StringWriter(CultureInfo.InvariantCulture);
            await using (var csv = CsvText.Writer(text))
            {
                csv.WriteRow(table.Header);
                foreach (var record in table.Records)
                {
                    csv.WriteRow(lines.Contains(record.Line) ? record.Cells.Select(_ => "") : record.Cells);
                }
            }

            var content = Encoding.UTF8.GetBytes(text.ToString());
            await db.Imports.Where(i => i.Id == import.Id).ExecuteUpdateAsync(u => u.SetProperty(i => i.Content, content).SetProperty(i => i.Sheet, (string?)null), stop);
        }
    }

    /// <summary>Forgets the files of imports that ended long enough ago; what became of their rows is kept.</summary>
    /// <returns>How many files went.</returns>
    public static Task<int> ForgetOldAsync(GerminalDb db, Instant now, CancellationToken stop)
    {
        var before = now - KeptFor;
        var none = Array.Empty<byte>();
        return db
            .Imports.IgnoreQueryFilters()
            .Where(i => i.CreatedAt < before && i.Status != "queued" && i.Status != "running" && i.Content != none)
            .ExecuteUpdateAsync(u => u.SetProperty(i => i.Content, none), stop);
    }

    private static async Task<IReadOnlyList<(ImportRow Import, HashSet<int> Lines)>> ImportsAsync(GerminalDb db, Guid person, CancellationToken stop)
    {
        var lines = (await db.ImportLines.AsNoTracking().Where(l => l.PersonId == person).Select(l => new { l.ImportId, l.Line }).ToListAsync(stop)).ToLookup(
            l => l.ImportId,
            l => l.Line
        );
        var found = new List<(ImportRow, HashSet<int>)>();
        foreach (var id in lines.Select(l => l.Key))
        {
            if (await db.Imports.AsNoTracking().SingleAsync(i => i.Id == id, stop) is { Content.Length: > 0 } import)
            {
                found.Add((import, [.. lines[id]]));
            }
        }

        return found;
    }

    private static Dictionary<string, string> CellsOf(ListTable table, ListRecord record)
    {
        var cells = new Dictionary<string, string>(StringComparer.Ordinal);
        for (var i = 0; i < table.Header.Length; i++)
        {
            cells[cells.ContainsKey(table.Header[i]) ? $"{table.Header[i]} ({i + 1})" : table.Header[i]] = record.Cells[i];
        }

        return cells;
    }
}
