using CsCheck;
using Germinal.Channels.Tables;

namespace Germinal.Service.Tests;

/// <summary>CSV out and in: no cell is a formula, and what comes back is what went out.</summary>
public sealed class CsvTextTests
{
    private static string Write(params string[] cells)
    {
        using var text = new StringWriter();
        using (var csv = CsvText.Writer(text))
        {
            csv.WriteRow(cells);
        }

        return text.ToString();
    }

    private static string[] Read(string text)
    {
        using var parser = CsvText.Parser(new StringReader(text), ",");
        Assert.True(parser.Read());
        return CsvText.CellsOf(parser);
    }

    [Theory]
    [
        InlineData("=1+1"),
        InlineData("+12075550101"),
        InlineData("-5"),
        InlineData("@cmd"),
        InlineData("\tx"),
        InlineData("\rx"),
        InlineData("=HYPERLINK(\"https://example.com\",\"x\")")
    ]
    public void A_cell_that_a_spreadsheet_would_run_is_guarded_and_comes_back_as_it_was(string cell)
    {
        var written = Write("a", cell);
        Assert.StartsWith("'", written.Split(',', 2)[1].TrimStart('"'), StringComparison.Ordinal);
        Assert.Equal(["a", cell], Read(written));
    }

    [Fact]
    public void Whatever_goes_out_comes_back()
    {
        Gen.String[Gen.Char["=+-@\t\r\n\"',;ab'’é "], 0, 12]
            .Where(c => !c.StartsWith('\''))
            .Array[1, 5]
            .Sample(cells => Assert.Equal(cells, Read(Write(cells))), iter: 5000);
    }
}
