using Germinal.Core.Contact;

namespace Germinal.Service.Import;

/// <summary>One record of a file.</summary>
/// <param name="Line">The row as a spreadsheet counts: the header is 1, and a line break inside quotes makes no new row. Of cards, the how-manieth.</param>
/// <param name="Cells">As many as the header has; missing ones are empty.</param>
public sealed record ListRecord(int Line, string[] Cells);

/// <summary>A list of people as a table, whatever file it came in (<see cref="ListFile"/>).</summary>
/// <param name="Header">The names of its columns.</param>
/// <param name="Records">Its rows, at least one.</param>
public sealed record ListTable(string[] Header, IReadOnlyList<ListRecord> Records)
{
    /// <summary>The most columns a list has.</summary>
    public const int MostColumns = 400;

    /// <summary>The most rows of a list.</summary>
    public const int MostRows = 300_000;

    /// <summary>The most cells of a list, empty ones included.</summary>
    public const int MostCells = 8_000_000;

    /// <summary>False where no row named the columns.</summary>
    public bool IsNamed { get; init; } = true;

    /// <summary>The sheets of a workbook that have anything to pick from; none where there is but one, or it is no workbook.</summary>
    public IReadOnlyList<string> Sheets { get; init; } = [];

    /// <summary>The sheet that was read; null where it is no workbook.</summary>
    public string? Sheet { get; init; }

    /// <summary>What is to be known about how the file was read, each a sentence.</summary>
    public IReadOnlyList<string> Remarks { get; init; } = [];

    /// <summary>Reads a file of any form.</summary>
    /// <exception cref="UnreadableFileException">It cannot be read; the message says what would be right.</exception>
    public static ListTable Read(byte[] file, string? fileName = null, string? sheet = null) => ListFile.Read(file, fileName, sheet);

    /// <summary>A table of rows, the first of which names the columns, unless somebody’s address stands in it already.</summary>
    /// <param name="rows">The rows with their lines.</param>
    /// <param name="nothing">What to say where there is no row.</param>
    internal static ListTable Of(IEnumerable<(int Line, string[] Cells)> rows, string nothing)
    {
        string[]? header = null;
        var named = true;
        var records = new List<ListRecord>();
        foreach (var (line, cells) in rows)
        {
            if (header is null)
            {
                if (cells.All(string.IsNullOrWhiteSpace))
                {
                    continue;
                }

                if (cells.Length > MostColumns)
                {
                    throw new UnreadableFileException(Say($"This list has {cells.Length} columns; at most {MostColumns} can be read. Take out those that are not needed."));
                }

                if (!cells.Any(c => Addresses.IsEmail(c.Trim().ToLowerInvariant())))
                {
                    header = [.. cells.Select(c => c.Trim())];
                    continue;
                }

                // Somebody stands where the names of the columns should.
                header = [.. cells.Select((_, i) => Say($"column {i + 1}"))];
                named = false;
            }

            if (records.Count == MostRows || (long)records.Count * header.Length >= MostCells)
            {
                throw new UnreadableFileException(Say($"This list is too large: at most {MostRows:N0} rows and {MostCells:N0} cells. Split it, and bring the parts in one after the other."));
            }

            var fitted = cells;
            Array.Resize(ref fitted, header.Length);
            records.Add(new ListRecord(line, [.. fitted.Select(c => c ?? "")]));
        }

        return header is null ? throw new UnreadableFileException(nothing)
            : records.Count == 0 ? throw new UnreadableFileException(Said("This file has column names but no rows of people under them."))
            : new ListTable(header, records) { IsNamed = named };
    }
}

/// <summary>A file that cannot be read at all; the message says what would be right.</summary>
public sealed class UnreadableFileException(string message) : Exception(message);
