using MiniExcelLibs;
using MiniExcelLibs.OpenXml;

namespace Germinal.Channels.Tables;

/// <summary>
/// Workbooks of Office Open XML (ECMA-376, <c>.xlsx</c>). Only values are read: of a formula what it came to when the file was saved, of
/// macros nothing.
/// </summary>
public static class Workbook
{
    /// <summary>The type its file is sent as.</summary>
    public const string MediaType = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet";

    /// <summary>The longest name a sheet may have.</summary>
    private const int LongestName = 31;

    private static readonly char[] NotInNames = ['[', ']', ':', '*', '?', '/', '\\'];

    /// <summary>The names of its sheets, in their order.</summary>
    public static IReadOnlyList<string> SheetsOf(byte[] file)
    {
        using var stream = new MemoryStream(file, writable: false);
        return stream.GetSheetNames();
    }

    /// <summary>The rows of a sheet one after the other, those without anything left out.</summary>
    /// <param name="file">The file.</param>
    /// <param name="sheet">The name of one of its sheets.</param>
    public static IEnumerable<SheetRow> RowsOf(byte[] file, string sheet)
    {
        using var stream = new MemoryStream(file, writable: false);
        var line = 0;
        foreach (IDictionary<string, object?> row in stream.Query(useHeaderRow: false, sheet, ExcelType.XLSX, configuration: new OpenXmlConfiguration { FillMergedCells = false }))
        {
            line++;
            string[] cells = [.. row.Values.Select(SheetValue.Text)];
            if (cells.Any(c => c.Length > 0))
            {
                yield return new SheetRow(line, cells);
            }
        }
    }

    /// <summary>Writes a workbook of one sheet: every cell is text, so that nothing in it is taken for a number, a date or a formula.</summary>
    /// <param name="output">Where to; left open.</param>
    /// <param name="sheet">The sheet's name; what may not stand in one is left out.</param>
    /// <param name="header">The first row.</param>
    /// <param name="rows">The rows under it, as long as the header.</param>
    /// <param name="stop">Gives up.</param>
    public static Task WriteAsync(Stream output, string sheet, IReadOnlyList<string> header, IEnumerable<string[]> rows, CancellationToken stop)
    {
        var name = new string([.. sheet.Where(c => !NotInNames.Contains(c) && !char.IsControl(c)).Take(LongestName)]).Trim('\'', ' ');
        IEnumerable<IDictionary<string, object?>> Table()
        {
            yield return Row(header);
            foreach (var row in rows)
            {
                yield return Row(row);
            }
        }

        return output.SaveAsAsync(
            Table(),
            printHeader: false,
            sheetName: name.Length == 0 ? "People" : name,
            excelType: ExcelType.XLSX,
            configuration: new OpenXmlConfiguration { TableStyles = TableStyles.None, AutoFilter = false, FastMode = true },
            cancellationToken: stop
        );
    }

    private static Dictionary<string, object?> Row(IReadOnlyList<string> cells)
    {
        var row = new Dictionary<string, object?>(cells.Count, StringComparer.Ordinal);
        for (var i = 0; i < cells.Count; i++)
        {
            row[i.ToString(System.Globalization.CultureInfo.InvariantCulture)] = cells[i];
        }

        return row;
    }
}
