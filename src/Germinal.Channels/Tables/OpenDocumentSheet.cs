using System.Globalization;
using System.IO.Compression;
using System.Text;
using System.Xml;

namespace Germinal.Channels.Tables;

/// <summary>
/// Spreadsheets of OpenDocument 1.3 (OASIS, ISO/IEC 26300, <c>.ods</c>), read as a stream: no package that is kept up reads them. Only
/// values: of a formula what it came to when the file was saved.
/// </summary>
public static class OpenDocumentSheet
{
    private const string Office = "urn:oasis:names:tc:opendocument:xmlns:office:1.0";
    private const string Table = "urn:oasis:names:tc:opendocument:xmlns:table:1.0";
    private const string Text = "urn:oasis:names:tc:opendocument:xmlns:text:1.0";

    /// <summary>An empty cell or row that is repeated to the sheet's end is there once.</summary>
    private const int MostRepeated = 1000;

    /// <summary>The names of its sheets, in their order.</summary>
    public static IReadOnlyList<string> SheetsOf(byte[] file)
    {
        var names = new List<string>();
        using var archive = new ZipArchive(new MemoryStream(file, writable: false));
        using var xml = Open(archive);
        while (xml.Read())
        {
            while (Is(xml, Table, "table"))
            {
                names.Add(xml.GetAttribute("name", Table) ?? "");
                xml.Skip();
            }
        }

        return names;
    }

    /// <summary>The rows of a sheet one after the other, those without anything left out.</summary>
    public static IEnumerable<SheetRow> RowsOf(byte[] file, string sheet)
    {
        using var archive = new ZipArchive(new MemoryStream(file, writable: false));
        using var xml = Open(archive);
        var inSheet = false;
        var line = 1;
        while (xml.Read())
        {
            if (Is(xml, Table, "table"))
            {
                inSheet = xml.GetAttribute("name", Table) == sheet;
            }
            else if (inSheet && xml.NodeType == XmlNodeType.EndElement && xml.LocalName == "table" && xml.NamespaceURI == Table)
            {
                yield break;
            }
            else if (inSheet && Is(xml, Table, "table-row"))
            {
                var times = Repeated(xml, "number-rows-repeated");
                var cells = Cells(xml);
                for (var i = 0; i < Math.Min(times, MostRepeated) && cells.Any(c => c.Length > 0); i++)
                {
                    yield return new SheetRow(line + i, cells);
                }

                line += times;
            }
        }
    }

    private static XmlReader Open(ZipArchive archive) =>
        XmlReader.Create(
            (archive.GetEntry("content.xml") ?? throw new InvalidDataException(Said("There is no content.xml in it."))).Open(),
            new XmlReaderSettings
            {
                DtdProcessing = DtdProcessing.Prohibit,
                XmlResolver = null,
                CloseInput = true,
            }
        );

    private static bool Is(XmlReader xml, string space, string name) => xml.NodeType == XmlNodeType.Element && xml.LocalName == name && xml.NamespaceURI == space;

    private static int Repeated(XmlReader xml, string attribute) =>
        int.TryParse(xml.GetAttribute(attribute, Table), NumberStyles.None, CultureInfo.InvariantCulture, out var times) && times > 0 ? times : 1;

    private static string[] Cells(XmlReader row)
    {
        var cells = new List<string>();
        using var xml = row.ReadSubtree();
        xml.Read();
        while (xml.Read())
        {
            if (Is(xml, Table, "table-cell") || Is(xml, Table, "covered-table-cell"))
            {
                var times = Repeated(xml, "number-columns-repeated");
                var value = Value(xml);
                cells.AddRange(Enumerable.Repeat(value, value.Length == 0 ? Math.Min(times, MostRepeated) : times));
            }
        }

        var last = cells.FindLastIndex(c => c.Length > 0);
        return [.. cells.Take(last + 1)];
    }

    /// <summary>A cell's value; where it has none of its own, its paragraphs.</summary>
    private static string Value(XmlReader cell)
    {
        var own = cell.GetAttribute("value-type", Office) switch
        {
            "float" or "currency" or "percentage" when double.TryParse(cell.GetAttribute("value", Office), CultureInfo.InvariantCulture, out var number) =>
                SheetValue.Text(number),
            "date" when cell.GetAttribute("date-value", Office) is { } date => date.EndsWith("T00:00:00", StringComparison.Ordinal) ? date[..10] : date,
            "boolean" => cell.GetAttribute("boolean-value", Office) == "true" ? "yes" : "no",
            _ => null,
        };
        using var xml = cell.ReadSubtree();
        var text = new StringBuilder();
        var paragraphs = 0;
        xml.Read();
        while (xml.Read())
        {
            if (Is(xml, Office, "annotation"))
            {
                xml.Skip();
            }

            if (Is(xml, Text, "p") && paragraphs++ > 0)
            {
                text.Append('\n');
            }
            else if (Is(xml, Text, "s"))
            {
                text.Append(' ', int.TryParse(xml.GetAttribute("c", Text), NumberStyles.None, CultureInfo.InvariantCulture, out var blanks) ? Math.Min(blanks, 100) : 1);
            }
            else if (Is(xml, Text, "line-break"))
            {
                text.Append('\n');
            }
            else if (Is(xml, Text, "tab"))
            {
                text.Append('\t');
            }
            else if (xml.NodeType is XmlNodeType.Text or XmlNodeType.SignificantWhitespace or XmlNodeType.Whitespace && paragraphs > 0)
            {
                text.Append(xml.Value);
            }
        }

        return own ?? text.ToString();
    }
}
