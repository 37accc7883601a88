using System.Text;
using Germinal.Channels.Post;

namespace Germinal.Service.Tests;

/// <summary>The day sheet on paper.</summary>
public sealed class DayPrintTests
{
    private static int Pages(byte[] pdf)
    {
        Assert.StartsWith("%PDF-", Encoding.ASCII.GetString(pdf.AsSpan(0, 8)), StringComparison.Ordinal);
        using var document = PdfSharp.Pdf.IO.PdfReader.Open(new MemoryStream(pdf), PdfSharp.Pdf.IO.PdfDocumentOpenMode.Import);
        return document.PageCount;
    }

    private static DayPrintStretch Calls(int count, string words) =>
        new("Calls", [.. Enumerable.Range(0, count).Select(i => new DayPrintLine("9:00", $"Somebody {i}   +1 207-555-0110", words, "A program", true))], "No calls today.");

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void A_usual_day_is_one_sheet_and_a_long_one_goes_on(bool onLetterPaper)
    {
        DayPrintStretch[] usual = [Calls(8, "Ask what changed since last year: work, family, home?"), new("Going out today", [], "Nothing goes out today."), new("Waiting for you", [], "Nobody waits for you."), new("Needs mending", [], "Everything can go as it is.")];
        Assert.Equal(1, Pages(DayPrint.Pdf("Mon 1 March 2027", usual, onLetterPaper)));
        Assert.True(Pages(DayPrint.Pdf("Mon 1 March 2027", [Calls(200, new string('x', 4_000))], onLetterPaper)) > 20);
        Assert.Equal(1, Pages(DayPrint.Pdf("", [], onLetterPaper)));
    }
}
