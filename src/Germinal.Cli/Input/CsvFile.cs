using Germinal.Channels.Tables;

namespace Germinal.Cli.Input;

/// <summary>One row of a CSV file.</summary>
/// <param name="Line">The line of the file it begins on, from 1.</param>
/// <param name="Cells">The cells by column.</param>
public sealed record CsvRow(int Line, IReadOnlyDictionary<string, string> Cells);

/// <summary>A CSV file with a header row (RFC 4180, UTF-8).</summary>
public sealed record CsvFile(string Path, IReadOnlyList<string> Header, IReadOnlyList<CsvRow> Rows)
{
    /// <summary>Reads a file; what is wrong with its rows goes to <paramref name="errors"/>.</summary>
    /// <exception cref="InputException">The file cannot be read at all.</exception>
    public static CsvFile Read(string path, List<string> errors)
    {
        using var reader = new StringReader(Files.Text(path));
        using var parser = CsvText.Parser(reader, ",", skipBlankLines: true);
        string[]? header = null;
        var rows = new List<CsvRow>();
        var line = 1;
        while (parser.Read())
        {
            var cells = CsvText.CellsOf(parser);
            if (header is null)
            {
                header = [.. cells.Select(c => c.Trim())];
            }
            else if (cells.Length != header.Length)
            {
                errors.Add($"{path}: line {line}: this row has {cells.Length} cells and the header has {header.Length}; each row needs as many.");
            }
            else
            {
                rows.Add(new CsvRow(line, header.Zip(cells).DistinctBy(c => c.First).ToDictionary(c => c.First, c => c.Second, StringComparer.Ordinal)));
            }

            line = parser.RawRow + 1;
        }

        return new CsvFile(path, header ?? throw new InputException([$"{path}: line 1: the file is empty; its first row should name the columns."]), rows);
    }
}
