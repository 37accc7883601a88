using Germinal.Channels.Post;

namespace Germinal.Service.Tests;

public sealed class PrintRunTests
{
    [Theory]
    [InlineData(1, true, 2), InlineData(31, true, 33), InlineData(25, false, 27)]
    public void A_card_a_page_then_labels(int notes, bool onLetterPaper, int pages)
    {
        var pdf = PrintRun.Pdf(
            [
                .. Enumerable
                    .Range(1, notes)
                    .Select(i => new PrintedNote($"Dear {i},\n\nthank you. Łucja, Zoë, ñ", $"Person {i}", "1 Mill Lane\nPort Averil, ME 04999")),
            ],
            onLetterPaper
        );
        File.WriteAllBytes(Path.Combine(Path.GetTempPath(), $"germinal-notes-{notes}.pdf"), pdf);
        using var document = PdfSharp.Pdf.IO.PdfReader.Open(new MemoryStream(pdf), PdfSharp.Pdf.IO.PdfDocumentOpenMode.Import);
        Assert.Equal(pages, document.PageCount);
    }
}
