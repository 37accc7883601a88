using System.IO.Compression;
using System.Text;
using System.Xml;
using Germinal.Channels.Tables;

namespace Germinal.Service.Import;

/// <summary>
/// A list as people have it, read by what is in the file and not by its name: CSV (RFC 4180; UTF-8 with or without a byte order mark, or
/// Windows-1252; parted by comma, semicolon or tab), a workbook (<c>.xlsx</c>, <c>.ods</c>), or cards (<c>.vcf</c>).
/// </summary>
public static class ListFile
{
    private static string Instead => Said("Save it as CSV, .xlsx or .ods and drop that here.");

    /// <summary>A workbook that says it is larger than this when unpacked is not unpacked.</summary>
    private const long MostUnpacked = 1L << 30;

    private static readonly byte[] Zip = [0x50, 0x4B, 0x03, 0x04];
    private static readonly byte[] CompoundFile = [0xD0, 0xCF, 0x11, 0xE0];
    private static readonly byte[] Pdf = "%PDF"u8.ToArray();

    /// <summary>As UTF-16 in the directory of a compound file that holds an encrypted workbook ([MS-OFFCRYPTO], 2.3.4).</summary>
    private static readonly byte[] EncryptedPackage = Encoding.Unicode.GetBytes("EncryptedPackage");

    static ListFile() => Encoding.RegisterProvider(CodePagesEncodingProvider.Instance);

    /// <summary>Reads a list.</summary>
    /// <param name="file">What is in the file.</param>
    /// <param name="fileName">Its name, to say where it promises something else; null where that was said before.</param>
    /// <param name="sheet">Of a workbook, the sheet to read; null for the first with rows.</param>
    /// <exception cref="UnreadableFileException">It cannot be read; the message says what would be right.</exception>
    public static ListTable Read(byte[] file, string? fileName = null, string? sheet = null)
    {
        try
        {
            var (table, forms) =
                Begins(file, Zip) ? OfArchive(file, sheet)
                : Begins(file, CompoundFile) ? throw new UnreadableFileException(WhyNotCompound(file))
                : Begins(file, Pdf) ? throw new UnreadableFileException(Say($"This is a PDF, which has no columns to read. Open the list where it was made. {Instead}"))
                : OfText(file);
            return OtherName(fileName, forms) is { } other ? table with { Remarks = [other, .. table.Remarks] } : table;
        }
        catch (Exception e) when (e is InvalidDataException or XmlException || (Begins(file, Zip) && e is not (UnreadableFileException or OutOfMemoryException)))
        {
            // What a workbook that is not well made breaks in its reader is anything.
            throw new UnreadableFileException(Say($"This file is damaged and cannot be read ({e.Message.TrimEnd('.')}). {Instead}"));
        }
    }

    private static bool Begins(byte[] file, byte[] with) => file.AsSpan().StartsWith(with);

    private static (ListTable Table, string[] Names) OfText(byte[] file)
    {
        var text = Decode(file);
        if (text.Contains('\0', StringComparison.Ordinal))
        {
            throw new UnreadableFileException(Say($"This is neither a text file nor a workbook. {Instead}"));
        }

        if (VCard.IsCards(text))
        {
            return (VCardList.TableOf(VCard.Read(text)), [".vcf", ".vcard"]);
        }

        IEnumerable<(int, string[])> Rows()
        {
            using var parser = CsvText.Parser(new StringReader(text));
            for (var line = 1; parser.Read(); line++)
            {
                yield return (line, CsvText.CellsOf(parser));
            }
        }

        return (ListTable.Of(Rows(), Said("This file is empty. The first row should name the columns: First name, Last name, Email …")), [".csv", ".txt", ".tsv", ""]);
    }

    private static (ListTable Table, string[] Names) OfArchive(byte[] file, string? sheet)
    {
        using var archive = new ZipArchive(new MemoryStream(file, writable: false));
        if (archive.Entries.Sum(e => Math.Max(0, e.Length)) > MostUnpacked)
        {
            throw new UnreadableFileException(Said("Unpacked, this workbook would be larger than one gigabyte, which no list of people is."));
        }

        if (archive.GetEntry("xl/workbook.xml") is not null)
        {
            var table = OfSheets(Workbook.SheetsOf(file), name => Workbook.RowsOf(file, name), sheet);
            var macros = archive.GetEntry("xl/vbaProject.bin") is not null;
            return (macros ? table with { Remarks = [Said("The workbook has macros. They are not run and not kept; what stands in the cells is read.")] } : table, [".xlsx", ".xlsm"]);
        }

        if (archive.GetEntry("content.xml") is not null && archive.GetEntry("META-INF/manifest.xml") is { } manifest)
        {
            using var reader = new StreamReader(manifest.Open());
            if (reader.ReadToEnd().Contains("encryption-data", StringComparison.Ordinal))
            {
                throw new UnreadableFileException(WithPassword);
            }

            return (OfSheets(OpenDocumentSheet.SheetsOf(file), name => OpenDocumentSheet.RowsOf(file, name), sheet), [".ods"]);
        }

        throw new UnreadableFileException(Say($"This is an archive and no workbook. Unpack it first, and bring in the list that is in it. {Instead}"));
    }

    private static string WithPassword => Said("This workbook is protected by a password. Save it without one (Germinal keeps no password of yours) and drop that here.");

    private static string WhyNotCompound(byte[] file) =>
        file.AsSpan().IndexOf(EncryptedPackage) >= 0 ? WithPassword : Say($"This is a workbook of the old form (.xls) or another old document. {Instead}");

    /// <summary>The sheet that was asked for, or the first with rows; the others are there to pick.</summary>
    private static ListTable OfSheets(IReadOnlyList<string> sheets, Func<string, IEnumerable<SheetRow>> rowsOf, string? asked)
    {
        ListTable Table(string name) =>
            ListTable.Of(rowsOf(name).Select(r => (r.Line, r.Cells)), Say($"The sheet “{name}” is empty. Its first row should name the columns: First name, Last name, Email …")) with
            {
                Sheet = name,
                Sheets = sheets.Count > 1 ? sheets : [],
            };

        if (asked is not null)
        {
            return sheets.Contains(asked, StringComparer.Ordinal)
                ? Table(asked)
                : throw new UnreadableFileException(Say($"There is no sheet “{asked}” in it; there is {string.Join(", ", sheets.Select(s => $"“{s}”"))}."));
        }

        UnreadableFileException? first = null;
        foreach (var name in sheets)
        {
            try
            {
                return Table(name);
            }
            catch (UnreadableFileException e)
            {
                first ??= e;
            }
        }

        throw first ?? new UnreadableFileException(Said("This workbook has no sheet."));
    }

    /// <summary>Says so where a file’s name promises another form than it has; what is in it counts.</summary>
    private static string? OtherName(string? fileName, string[] names)
    {
        var ending = Path.GetExtension(fileName ?? "").ToLowerInvariant();
        return fileName is null || names.Contains(ending, StringComparer.Ordinal)
            ? null
            : Say($"By its name the file should be something else; by what is in it, it is a {(names[0] == ".vcf" ? Said("file of cards") : names[0] == ".csv" ? Said("text file with columns") : Said("workbook"))}, and was read as that.");
    }

    private static string Decode(byte[] file)
    {
        try
        {
            return new UTF8Encoding(false, throwOnInvalidBytes: true).GetString(file).TrimStart('\uFEFF');
        }
        catch (DecoderFallbackException)
        {
            return Encoding.GetEncoding(1252).GetString(file);
        }
    }
}
