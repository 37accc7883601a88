using System.Text;
using Germinal.Channels.Tables;

namespace Germinal.Service.Import;

/// <summary>One record of a file.</summary>
/// <param name="Line">The row as a spreadsheet counts: the header is 1, and a line break inside quotes makes no new row.</param>
/// <param name="Cells">As many as the header has; missing ones are empty.</param>
public sealed record CsvRecord(int Line, string[] Cells);

/// <summary>
/// A CSV file (RFC 4180) as people have them: UTF-8 with or without a byte order mark, or Windows-1252; parted by comma,
/// semicolon or tab; with line breaks inside quotes.
/// </summary>
public sealed record CsvTable(string[] Header, IReadOnlyList<CsvRecord> Records)
{
    static CsvTable() => Encoding.RegisterProvider(CodePagesEncodingProvider.Instance);

    /// <summary>Reads a file.</summary>
    /// <exception cref="UnreadableFileException">It is no text, or has no header or no rows.</exception>
    public static CsvTable Read(byte[] file)
    {
        var text = Decode(file);
        if (text.Contains('\0', StringComparison.Ordinal))
        {
            throw new UnreadableFileException("This is not a text file. Save the list as CSV (in a spreadsheet: save as, CSV) and drop that here.");
        }

        using var parser = CsvText.Parser(new StringReader(text));
        string[]? header = null;
        var records = new List<CsvRecord>();
        while (parser.Read())
        {
            var cells = CsvText.CellsOf(parser);
            if (header is null)
            {
                header = [.. cells.Select(c => c.Trim())];
                continue;
            }

            Array.Resize(ref cells, header.Length);
            records.Add(new CsvRecord(records.Count + 2, [.. cells.Select(c => c ?? "")]));
        }

        if (header is null || header.All(string.IsNullOrWhiteSpace))
        {
            throw new UnreadableFileException("This file is empty. The first row should name the columns: First name, Last name, Email …");
        }

        if (records.Count == 0)
        {
            throw new UnreadableFileException("This file has column names but no rows of people under them.");
        }

        return new CsvTable(header, records);
    }

    private static string Decode(byte[] file)
    {
        try
        {
            var utf8 = new UTF8Encoding(false, throwOnInvalidBytes: true).GetString(file);
            return utf8.TrimStart('\uFEFF');
        }
        catch (DecoderFallbackException)
        {
            return Encoding.GetEncoding(1252).GetString(file);
        }
    }
}

/// <summary>A file that cannot be read at all; the message says what would be right.</summary>
public sealed class UnreadableFileException(string message) : Exception(message);
