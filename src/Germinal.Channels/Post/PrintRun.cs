using PdfSharp;
using PdfSharp.Drawing;
using PdfSharp.Drawing.Layout;
using PdfSharp.Pdf;

namespace Germinal.Channels.Post;

/// <summary>A note ready to be printed.</summary>
/// <param name="Text">What stands on the card, lines parted by line feeds.</param>
/// <param name="Name">Whom the envelope is to.</param>
/// <param name="Address">Their address, lines parted by line feeds.</param>
public sealed record PrintedNote(string Text, string Name, string Address);

/// <summary>Notes as one PDF: a card a page (A6 across), then address labels in the same order.</summary>
public static class PrintRun
{
    private const double Margin = 34;

    /// <summary>The PDF of some notes.</summary>
    /// <param name="notes">The notes, in the order they are printed in.</param>
    /// <param name="onLetterPaper">True for labels on US Letter, false for A4.</param>
    public static byte[] Pdf(IReadOnlyList<PrintedNote> notes, bool onLetterPaper)
    {
        OwnFont.Prepare();
        using var document = new PdfDocument();
        document.Info.Title = Say($"{notes.Count} notes");
        foreach (var note in notes)
        {
            AddCard(document, note);
        }

        AddLabels(document, notes, onLetterPaper);
        using var stream = new MemoryStream();
        document.Save(stream, false);
        return stream.ToArray();
    }

    private static void AddCard(PdfDocument document, PrintedNote note)
    {
        var page = document.AddPage();
        (page.Width, page.Height) = (XUnit.FromMillimeter(148), XUnit.FromMillimeter(105));
        using var graphics = XGraphics.FromPdfPage(page);
        var room = new XRect(Margin, Margin, page.Width.Point - (2 * Margin), page.Height.Point - (2 * Margin));
        var size = note.Text.Length > 420 ? 10.5 : 13;
        new XTextFormatter(graphics).DrawString(note.Text.ReplaceLineEndings("\n"), new XFont(OwnFont.Family, size), XBrushes.Black, room);
    }

    private static void AddLabels(PdfDocument document, IReadOnlyList<PrintedNote> notes, bool onLetterPaper)
    {
        var (columns, rows) = onLetterPaper ? (3, 10) : (3, 8);
        foreach (var sheet in notes.Chunk(columns * rows))
        {
            var page = document.AddPage();
            page.Size = onLetterPaper ? PageSize.Letter : PageSize.A4;
            using var graphics = XGraphics.FromPdfPage(page);
            var (width, height) = (page.Width.Point / columns, (page.Height.Point - 72) / rows);
            var font = new XFont(OwnFont.Family, 10);
            foreach (var (note, i) in sheet.Select((n, i) => (n, i)))
            {
                var room = new XRect((i % columns * width) + 16, 36 + (i / columns * height) + 8, width - 24, height - 12);
                new XTextFormatter(graphics).DrawString($"{note.Name}\n{note.Address.ReplaceLineEndings("\n")}", font, XBrushes.Black, room);
            }
        }
    }
}
