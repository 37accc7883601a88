using System.IO.Compression;
using System.Text;
using Germinal.Channels.Tables;
using Germinal.Service.Import;

namespace Germinal.Service.Tests;

/// <summary>Lists in every form they come in, read by what is in the file; and what cannot be read, with what would be right.</summary>
public sealed class ListFileTests
{
    private static byte[] Utf8(string text) => Encoding.UTF8.GetBytes(text);

    private static async Task<byte[]> WorkbookAsync(params string[][] rows)
    {
        await using var file = new MemoryStream();
        await Workbook.WriteAsync(file, "People", rows[0], rows.Skip(1), default);
        return file.ToArray();
    }

    /// <summary>A spreadsheet of OpenDocument with what its cells can be; the form is that of the standard's part 3, 9.1.</summary>
    private static byte[] OpenDocument(string tables, string manifest = "") =>
        Archive(
            ("mimetype", "application/vnd.oasis.opendocument.spreadsheet"),
            (
                "content.xml",
                $"""
                <?xml version="1.0" encoding="UTF-8"?>
                <office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet>{tables}</office:spreadsheet></office:body></office:document-content>
                """
            ),
            ("META-INF/manifest.xml", $"<manifest>{manifest}</manifest>")
        );

    private static byte[] Archive(params (string Name, string Text)[] entries)
    {
        using var file = new MemoryStream();
        using (var archive = new ZipArchive(file, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var (name, text) in entries)
            {
                using var writer = new StreamWriter(archive.CreateEntry(name).Open());
                writer.Write(text);
            }
        }

        return file.ToArray();
    }

    private static string Cell(string text) => $"<table:table-cell office:value-type=\"string\"><text:p>{text}</text:p></table:table-cell>";

    [Fact]
    public async Task A_workbook_is_read_as_text_and_a_blank_row_keeps_its_number()
    {
        var file = await WorkbookAsync(["First name", "Email", "Sum"], ["Ida", "ida@example.com", "=1+1"], ["", "", ""], ["Bo", "bo@example.com", "007"]);
        var table = ListTable.Read(file, "people.xlsx");
        Assert.Equal(["First name", "Email", "Sum"], table.Header);
        Assert.Equal([2, 4], table.Records.Select(r => r.Line));
        Assert.Equal(["=1+1", "007"], table.Records.Select(r => r.Cells[2]));
        Assert.Equal(("People", 0, 0), (table.Sheet, table.Sheets.Count, table.Remarks.Count));
    }

    [Fact]
    public void An_open_document_gives_values_of_every_kind_and_the_sheet_that_is_asked_for()
    {
        var file = OpenDocument(
            $"""
            <table:table table:name="Notes"><table:table-row table:number-rows-repeated="1048576"><table:table-cell table:number-columns-repeated="16384"/></table:table-row></table:table>
            <table:table table:name="People"><table:table-row>{Cell("Name")}{Cell("Mobile")}{Cell("Born")}{Cell("Ok")}{Cell("Address")}<table:table-cell table:number-columns-repeated="16379"/></table:table-row>
            <table:table-row table:number-rows-repeated="3"><table:table-cell table:number-columns-repeated="16384"/></table:table-row>
            <table:table-row>{Cell("Ida<text:s text:c=\"2\"/>Rowan")}<table:table-cell office:value-type="float" office:value="2075550101"><text:p>2,075,550,101</text:p></table:table-cell><table:table-cell office:value-type="date" office:date-value="1975-03-14T00:00:00"><text:p>14.03.75</text:p></table:table-cell><table:table-cell office:value-type="boolean" office:boolean-value="true" table:formula="of:=1=1"><text:p>TRUE</text:p></table:table-cell><table:table-cell office:value-type="string"><office:annotation><text:p>a remark</text:p></office:annotation><text:p>12 Quay Lane</text:p><text:p>Port Averil, ME 04999</text:p></table:table-cell></table:table-row></table:table>
            """
        );
        var table = ListTable.Read(file, "people.ods");
        Assert.Equal(["Notes", "People"], table.Sheets);
        Assert.Equal("People", table.Sheet);
        Assert.Equal(["Name", "Mobile", "Born", "Ok", "Address"], table.Header);
        var row = Assert.Single(table.Records);
        Assert.Equal(5, row.Line);
        Assert.Equal(["Ida  Rowan", "2075550101", "1975-03-14", "yes", "12 Quay Lane\nPort Averil, ME 04999"], row.Cells);
        Assert.Contains("is empty", Assert.Throws<UnreadableFileException>(() => ListTable.Read(file, sheet: "Notes")).Message, StringComparison.Ordinal);
        Assert.Contains("“Notes”, “People”", Assert.Throws<UnreadableFileException>(() => ListTable.Read(file, sheet: "Nowhere")).Message, StringComparison.Ordinal);
    }

    [Fact]
    public void A_row_that_is_somebody_already_is_no_header()
    {
        var table = ListTable.Read(Utf8("Ida Rowan\tida@example.com\nBo Lind\tbo@example.com\n"), "pasted.txt");
        Assert.Equal(["column 1", "column 2"], table.Header);
        Assert.Equal([1, 2], table.Records.Select(r => r.Line));
        Assert.Equal(["", ImportField.Email], ImportField.Guess(table));
    }

    public static TheoryData<string, byte[], string> Unreadable { get; } =
        new()
        {
            { "a PDF", Utf8("%PDF-1.7 …"), "PDF" },
            { "a workbook with a password", [0xD0, 0xCF, 0x11, 0xE0, .. new byte[600], .. Encoding.Unicode.GetBytes("EncryptedPackage")], "password" },
            { "an old workbook", [0xD0, 0xCF, 0x11, 0xE0, .. new byte[600]], "old form" },
            { "an open document with a password", OpenDocument("", "<manifest:encryption-data/>"), "password" },
            { "an archive", Archive(("list.csv", "Name\nIda\n")), "archive" },
            { "half an archive", [.. Archive(("xl/workbook.xml", "<workbook/>")).Take(40)], "damaged" },
            { "a workbook that is none", Archive(("xl/workbook.xml", "<workbook/>")), "damaged" },
            { "a picture", [0x89, 0x50, 0x4E, 0x47, 0, 0, 0, 0], "neither a text file nor a workbook" },
            { "nothing", [], "empty" },
            { "a card without an end", Utf8("BEGIN:VCARD\nFN:Ida\n"), "END:VCARD" },
            { "cards with nothing on them", Utf8("BEGIN:VCARD\nVERSION:4.0\nEND:VCARD\n"), "nothing stands on any" },
            { "too many cells", Utf8(string.Join(',', Enumerable.Repeat("a", 400)) + string.Concat(Enumerable.Repeat("\n" + new string(',', 399), 20_001))), "too large" },
            { "too many columns", Utf8(string.Join(',', Enumerable.Range(0, 500)) + "\nx\n"), "500 columns" },
            { "a document that reads others", OpenDocument("").Length > 0 ? Archive(("content.xml", "<!DOCTYPE x [<!ENTITY e SYSTEM \"file:///etc/hostname\">]><x>&e;</x>"), ("META-INF/manifest.xml", "")) : [], "damaged" },
        };

    // Megabytes of them: named one by one before they run they would be written out digit by digit.
    [Theory, MemberData(nameof(Unreadable), DisableDiscoveryEnumeration = true)]
    public void What_cannot_be_read_says_what_would_be_right(string what, byte[] file, string words)
    {
        var said = Assert.Throws<UnreadableFileException>(() => ListTable.Read(file, what)).Message;
        Assert.Contains(words, said, StringComparison.Ordinal);
    }

    [Fact]
    public async Task A_name_that_promises_something_else_is_said_and_macros_are_not_run()
    {
        Assert.Contains("workbook", Assert.Single(ListTable.Read(await WorkbookAsync(["Name"], ["Ida"]), "people.csv").Remarks), StringComparison.Ordinal);
        Assert.Contains("text file", Assert.Single(ListTable.Read(Utf8("Name\nIda\n"), "people.xlsx").Remarks), StringComparison.Ordinal);
        await using var file = new MemoryStream();
        file.Write(await WorkbookAsync(["Name"], ["Ida"]));
        using (var archive = new ZipArchive(file, ZipArchiveMode.Update, leaveOpen: true))
        {
            archive.CreateEntry("xl/vbaProject.bin");
        }

        var table = ListTable.Read(file.ToArray(), "people.xlsm");
        Assert.Equal("Ida", table.Records[0].Cells[0]);
        Assert.Contains("not run", Assert.Single(table.Remarks), StringComparison.Ordinal);
    }

    /// <summary>The forms of RFC 6350, section 8 and 6.2 to 6.7 (from memory), with invented people.</summary>
    private const string Version4 = """
        BEGIN:VCARD
        VERSION:4.0
        FN:Ida Rowan
        N:Rowan;Ida;;;ing. jr,M.Sc.
        BDAY:--0203
        ANNIVERSARY:20090808T1430-0500
        GENDER:F
        LANG;PREF=1:fr
        ORG;TYPE=work:Alder Quay
        ADR;TYPE=work:;Suite D2-630;12 Quay Lane;
         Port Averil;ME;04999;U.S.A.
        TEL;VALUE=uri;TYPE="work,voice";PREF=1:tel:+1-207-555-0101;ext=102
        TEL;VALUE=uri;TYPE="work,cell,voice,video,text":tel:+1-207-555-0102
        EMAIL;TYPE=home:second@example.com
        EMAIL;TYPE=work;PREF=1:ida@example.com
        TZ:America/Denver
        CATEGORIES:warm,Bo\, Ltd
        NOTE:Line one\nline two\; and\, so on \\ on
        PHOTO:data:image/png;base64,AAAA
        item1.URL:https://example.com/ida
        item1.X-ABLabel:home page
        END:VCARD
        """;

    private const string Version3 = """
        BEGIN:VCARD
        VERSION:3.0
        N:Lind;Bo;Maria;;
        FN:Bo Maria Lind
        TEL;TYPE=CELL,PREF:(207) 555-0103
        TEL;TYPE=HOME:207-555-0104
        TEL;TYPE=WORK:207-555-0105
        BDAY:1975-03-14
        ADR;TYPE=HOME:;;3 Mill Road;Port Averil;ME;04999;
        CATEGORIES:warm
        END:VCARD
        """;

    private const string Version21 = """
        BEGIN:VCARD
        VERSION:2.1
        N;CHARSET=UTF-8;ENCODING=QUOTED-PRINTABLE:=C3=85sh;Zo=C3=AB
        TEL;CELL:+12075550106
        NOTE;ENCODING=QUOTED-PRINTABLE:one=
        =0D=0Atwo
        END:VCARD
        """;

    [Fact]
    public void Cards_of_every_version_are_rows_and_nothing_on_them_is_dropped_unseen()
    {
        var table = ListTable.Read(Utf8($"{Version4}\r\n{Version3}\n{Version21}\n"), "people.vcf");
        string Of(int card, string column) => table.Records[card].Cells[Array.IndexOf(table.Header, column)];
        Assert.Equal(3, table.Records.Count);
        Assert.Equal("A card has a picture; pictures are left out.", Assert.Single(table.Remarks));

        Assert.Equal(("Ida", "Rowan", "--02-03", "2009-08-08"), (Of(0, "first_name"), Of(0, "last_name"), Of(0, "birthday"), Of(0, "anniversary")));
        Assert.Equal(("ida@example.com", "second@example.com"), (Of(0, "email"), Of(0, "other_email")));
        Assert.Equal(("+1-207-555-0102", "+1-207-555-0101 ext. 102"), (Of(0, "mobile"), Of(0, "other_phone")));
        Assert.Equal(("Suite D2-630\n12 Quay Lane", "Port Averil", "ME", "04999", "U.S.A."), (Of(0, "street"), Of(0, "city"), Of(0, "state"), Of(0, "zip"), Of(0, "country")));
        Assert.Equal(("America/Denver", "warm;Bo, Ltd", "Line one\nline two; and, so on \\ on"), (Of(0, "zone"), Of(0, "tags"), Of(0, "notes")));
        Assert.Equal(("ing. jr M.Sc.", "Alder Quay", "https://example.com/ida", "fr"), (Of(0, "suffix"), Of(0, "organization"), Of(0, "url"), Of(0, "lang")));

        Assert.Equal(("Bo", "Lind", "Maria"), (Of(1, "first_name"), Of(1, "last_name"), Of(1, "additional names")));
        Assert.Equal(("(207) 555-0103", "207-555-0104", "207-555-0105"), (Of(1, "mobile"), Of(1, "other_phone"), Of(1, "other_phone 2")));
        Assert.Equal("1975-03-14", Of(1, "birthday"));

        Assert.Equal(("Zoë", "Åsh", "+12075550106", "one\ntwo"), (Of(2, "first_name"), Of(2, "last_name"), Of(2, "mobile"), Of(2, "notes")));

        var guesses = ImportField.Guess(table);
        Assert.Equal(table.Header[..^1].Where(h => ImportField.All.Any(f => f.Field == h)), guesses.Where(g => g.Length > 0));
    }

    [Fact]
    public void A_value_that_is_not_a_property_is_no_property_and_long_lines_are_folded_and_unfolded()
    {
        var text = new StringWriter();
        var long200 = string.Concat(Enumerable.Repeat("ä€😀x", 50));
        VCard.WriteLine(text, "BEGIN", "VCARD");
        VCard.WriteLine(text, $"NOTE;X={VCard.Parameter("a\"b^c\nd;e:f")}", VCard.Escaped($"{long200}\n;,\\"));
        VCard.WriteLine(text, "END", "VCARD");
        // RFC 6350, 3.2: no line longer than 75 octets, and none broken within a character.
        Assert.All(text.ToString().Split("\r\n"), l => Assert.InRange(Encoding.UTF8.GetByteCount(l), 0, 75));
        var property = Assert.Single(Assert.Single(VCard.Read(text.ToString())).Properties);
        Assert.Equal($"{long200}\n;,\\", property.Text);
        Assert.Equal("a\"b^c\nd;e:f", property.Parameters["X"]);
    }

    [Fact]
    public void Dates_of_a_column_are_read_in_the_order_its_values_allow()
    {
        Assert.True(CellReading.IsDayFirst(["4/1/1980", "27/4/1975"], practice: false));
        Assert.False(CellReading.IsDayFirst(["4/1/1980", "4/27/1975"], practice: true));
        Assert.True(CellReading.IsDayFirst(["4/1/1980"], practice: true));
        Assert.False(CellReading.IsDayFirst(["27/4/1975", "4/27/1975"], practice: false));
        Assert.False(CellReading.IsDayFirst(["1975-27-04", "words"], practice: false));
        Assert.Equal("1975-04-27", CellReading.Date("1975-04-27 13:30:00", false, new NodaTime.LocalDate(2027, 3, 1)).Value.ToString());
        Assert.Equal("1975-04-27", CellReading.Date("4/27/1975 1:30 PM", false, new NodaTime.LocalDate(2027, 3, 1)).Value.ToString());
    }
}
