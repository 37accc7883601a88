using System.Globalization;
using PdfSharp;
using PdfSharp.Drawing;
using PdfSharp.Pdf;

namespace Germinal.Channels.Post;

/// <summary>One message of a booklet.</summary>
/// <param name="When">When it comes and what it is: “Day 7, an email”.</param>
/// <param name="Subject">Its subject; null for what has none.</param>
/// <param name="Text">Its words, lines parted by line feeds.</param>
/// <param name="Beside">What belongs to it, such as the files it carries; null for nothing.</param>
public sealed record BookletMessage(string When, string? Subject, string Text, string? Beside);

/// <summary>All messages of a program as one PDF, to be read and signed by whoever approves it.</summary>
public static class Booklet
{
    private const double Edge = 64;
    private const double Foot = 48;
    private const double LineHeight = 1.45;

    /// <summary>The PDF.</summary>
    /// <param name="title">The program's name.</param>
    /// <param name="about">What is to be known before the first page, a line each.</param>
    /// <param name="messages">The messages, in their order.</param>
    /// <param name="onLetterPaper">True for US Letter, false for A4.</param>
    public static byte[] Pdf(string title, IReadOnlyList<string> about, IReadOnlyList<BookletMessage> messages, bool onLetterPaper)
    {
        OwnFont.Prepare();
        using var document = new PdfDocument();
        document.Info.Title = title;
        using (var writing = new Writing(document, onLetterPaper))
        {
            writing.Write(title, 24);
            writing.Skip(10);
            foreach (var line in about)
            {
                writing.Write(line, 11);
            }

            writing.Skip(40);
            writing.Write("Read and approved", 11);
            writing.Skip(36);
            writing.Line("Name, date", "Signature");
            foreach (var (message, i) in messages.Select((m, i) => (m, i)))
            {
                writing.NewPage();
                writing.Write(string.Create(CultureInfo.InvariantCulture, $"{i + 1}. {message.When}"), 9.5, soft: true);
                writing.Skip(6);
                if (message.Subject is { } subject)
                {
                    writing.Write(subject, 16);
                    writing.Skip(8);
                }

                writing.Write(message.Text, 11);
                if (message.Beside is { } beside)
                {
                    writing.Skip(12);
                    writing.Write(beside, 9.5, soft: true);
                }
            }
        }

        Number(document, title);
        using var stream = new MemoryStream();
        document.Save(stream, false);
        return stream.ToArray();
    }

    /// <summary>Puts the title and “page 3 of 12” under each page.</summary>
    private static void Number(PdfDocument document, string title)
    {
        var font = new XFont(OwnFont.Family, 8.5);
        for (var i = 0; i < document.PageCount; i++)
        {
            var page = document.Pages[i];
            using var graphics = XGraphics.FromPdfPage(page);
            var room = new XRect(Edge, page.Height.Point - Foot, page.Width.Point - 2 * Edge, 12);
            graphics.DrawString(title.Length > 70 ? title[..69] + "…" : title, font, XBrushes.DimGray, room, XStringFormats.TopLeft);
            graphics.DrawString(string.Create(CultureInfo.InvariantCulture, $"page {i + 1} of {document.PageCount}"), font, XBrushes.DimGray, room, XStringFormats.TopRight);
        }
    }

    /// <summary>Writes down the pages, line by line, a new one where one is full.</summary>
    private sealed class Writing : IDisposable
    {
        private readonly PdfDocument document;
        private readonly bool onLetterPaper;
        private XGraphics graphics = null!;
        private PdfPage page = null!;
        private double y;

        public Writing(PdfDocument document, bool onLetterPaper)
        {
            this.document = document;
            this.onLetterPaper = onLetterPaper;
            NewPage();
        }

        private double Width => page.Width.Point - 2 * Edge;

        public void NewPage()
        {
            graphics?.Dispose();
            page = document.AddPage();
            page.Size = onLetterPaper ? PageSize.Letter : PageSize.A4;
            graphics = XGraphics.FromPdfPage(page);
            y = Edge;
        }

        public void Skip(double points) => y += points;

        public void Line(string left, string right)
        {
            var middle = Edge + Width / 2;
            graphics.DrawLine(XPens.Gray, Edge, y, middle - 12, y);
            graphics.DrawLine(XPens.Gray, middle, y, Edge + Width, y);
            var font = new XFont(OwnFont.Family, 8.5);
            graphics.DrawString(left, font, XBrushes.DimGray, new XPoint(Edge, y + 12));
            graphics.DrawString(right, font, XBrushes.DimGray, new XPoint(middle, y + 12));
            y += 20;
        }

        public void Write(string text, double size, bool soft = false)
        {
            var font = new XFont(OwnFont.Family, size);
            foreach (var paragraph in text.ReplaceLineEndings("\n").Split('\n'))
            {
                foreach (var line in Lines(paragraph, font))
                {
                    if (y + size * LineHeight > page.Height.Point - Foot - 16)
                    {
                        NewPage();
                    }

                    y += size * LineHeight;
                    graphics.DrawString(line, font, soft ? XBrushes.DimGray : XBrushes.Black, new XPoint(Edge, y));
                }
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

        public void Dispose() => graphics.Dispose();
    }
}
