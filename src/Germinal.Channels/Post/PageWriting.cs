using PdfSharp;
using PdfSharp.Drawing;
using PdfSharp.Pdf;

namespace Germinal.Channels.Post;

/// <summary>Writes down the pages of a PDF, line by line, a new page where one is full.</summary>
internal sealed class PageWriting : IDisposable
{
    private const double Foot = 48;
    private const double LineHeight = 1.45;
    private readonly PdfDocument document;
    private readonly bool onLetterPaper;
    private readonly double edge;
    private readonly double gutter;
    private XGraphics graphics = null!;
    private PdfPage page = null!;
    private double y;

    /// <summary>Begins the first page.</summary>
    /// <param name="document">The document.</param>
    /// <param name="onLetterPaper">True for US Letter, false for A4.</param>
    /// <param name="edge">The margin all around, in points.</param>
    /// <param name="gutter">The width of the gutter at the left of the text, in points; 0 for none.</param>
    public PageWriting(PdfDocument document, bool onLetterPaper, double edge, double gutter = 0)
    {
        (this.document, this.onLetterPaper, this.edge, this.gutter) = (document, onLetterPaper, edge, gutter);
        NewPage();
    }

    private double Left => edge + gutter;

    private double Width => page.Width.Point - edge - Left;

    /// <summary>Begins a new page.</summary>
    public void NewPage()
    {
        graphics?.Dispose();
        page = document.AddPage();
        page.Size = onLetterPaper ? PageSize.Letter : PageSize.A4;
        graphics = XGraphics.FromPdfPage(page);
        y = edge;
    }

    /// <summary>Leaves some room.</summary>
    public void Skip(double points) => y += points;

    /// <summary>Begins a new page where less than so much room is left on this one.</summary>
    public void Keep(double points)
    {
        if (y + points > page.Height.Point - Foot - 16)
        {
            NewPage();
        }
    }

    /// <summary>Two lines to be written on by hand, with what belongs there below them.</summary>
    public void Line(string left, string right)
    {
        var middle = Left + (Width / 2);
        graphics.DrawLine(XPens.Gray, Left, y, middle - 12, y);
        graphics.DrawLine(XPens.Gray, middle, y, Left + Width, y);
        var font = new XFont(OwnFont.Family, 8.5);
        graphics.DrawString(left, font, XBrushes.DimGray, new XPoint(Left, y + 12));
        graphics.DrawString(right, font, XBrushes.DimGray, new XPoint(middle, y + 12));
        y += 20;
    }

    /// <summary>A rule over the whole page, gutter and text.</summary>
    public void Rule(bool heavy = false)
    {
        graphics.DrawLine(heavy ? XPens.Black : XPens.LightGray, edge, y, Left + Width, y);
        y += 2;
    }

    /// <summary>A box to be ticked, at the right end of the line that was written last.</summary>
    public void Box() => graphics.DrawRectangle(XPens.Gray, Left + Width - 9, y - 8, 9, 9);

    /// <summary>Words in the gutter, beside the line that is written next.</summary>
    public void InGutter(string words, double size)
    {
        Keep(size * LineHeight);
        graphics.DrawString(words, new XFont(OwnFont.Family, size), XBrushes.DimGray, new XPoint(edge, y + (size * LineHeight)));
    }

    /// <summary>Words, broken into lines that fit.</summary>
    public void Write(string text, double size, bool soft = false)
    {
        var font = new XFont(OwnFont.Family, size);
        foreach (var paragraph in text.ReplaceLineEndings("\n").Split('\n'))
        {
            foreach (var line in Lines(paragraph, font))
            {
                Keep(size * LineHeight);
                y += size * LineHeight;
                graphics.DrawString(line, font, soft ? XBrushes.DimGray : XBrushes.Black, new XPoint(Left, y));
            }
        }
    }

    /// <summary>Puts the title and “page 3 of 12” under each page.</summary>
    public static void Number(PdfDocument document, string title, double edge)
    {
        var font = new XFont(OwnFont.Family, 8.5);
        for (var i = 0; i < document.PageCount; i++)
        {
            var written = document.Pages[i];
            using var foot = XGraphics.FromPdfPage(written);
            var room = new XRect(edge, written.Height.Point - Foot, written.Width.Point - (2 * edge), 12);
            foot.DrawString(title.Length > 70 ? title[..69] + "…" : title, font, XBrushes.DimGray, room, XStringFormats.TopLeft);
            foot.DrawString(Say($"page {i + 1} of {document.PageCount}"), font, XBrushes.DimGray, room, XStringFormats.TopRight);
        }
    }

    /// <summary>A paragraph in lines that fit; a word that is wider than the page is parted.</summary>
    private IEnumerable<string> Lines(string paragraph, XFont font)
    {
        var line = "";
        foreach (var word in paragraph.Split(' ').SelectMany(w => Parted(w, font)))
        {
            var longer = line.Length == 0 ? word : $"{line} {word}";
            if (line.Length > 0 && graphics.MeasureString(longer, font).Width > Width)
            {
                yield return line;
                longer = word;
            }

            line = longer;
        }

        yield return line;
    }

    private IEnumerable<string> Parted(string word, XFont font)
    {
        while (word.Length > 1 && graphics.MeasureString(word, font).Width > Width)
        {
            var fits = Math.Max(1, (int)(word.Length * Width / graphics.MeasureString(word, font).Width) - 1);
            yield return word[..fits];
            word = word[fits..];
        }

        yield return word;
    }

    /// <inheritdoc/>
    public void Dispose() => graphics.Dispose();
}
