using PdfSharp;
using PdfSharp.Drawing;
using PdfSharp.Drawing.Layout;
using PdfSharp.Pdf;
using QRCoder;

namespace Germinal.Channels.Post;

/// <summary>A sheet for an evening talk: the form's title, its address and code for a telephone, and lines to be written on by hand.</summary>
public static class SignUpSheet
{
    private const double Edge = 48;
    private const double CodeSize = 108;
    private const double RowHeight = 34;
    private const double HeadSize = 8.5;

    // QR codes stay readable with a quarter of them covered (ISO/IEC 18004, level Q).
    private const QRCodeGenerator.ECCLevel Level = QRCodeGenerator.ECCLevel.Q;

    /// <summary>The code of an address as a picture (PNG).</summary>
    /// <param name="address">The address.</param>
    /// <param name="dot">Points of the picture for each dot of the code.</param>
    public static byte[] CodePng(string address, int dot)
    {
        using var data = QRCodeGenerator.GenerateQrCode(address, Level);
        using var code = new PngByteQRCode(data);
        return code.GetGraphic(dot);
    }

    /// <summary>The code of an address as a drawing (SVG).</summary>
    public static string CodeSvg(string address)
    {
        using var data = QRCodeGenerator.GenerateQrCode(address, Level);
        using var code = new SvgQRCode(data);
        return code.GetGraphic(4, "#000000", "#ffffff", sizingMode: SvgQRCode.SizingMode.ViewBoxAttribute);
    }

    /// <summary>The sheet.</summary>
    /// <param name="title">The form's title.</param>
    /// <param name="words">What stands below it.</param>
    /// <param name="columns">What is asked for, a column each; the last one is the widest where there are few.</param>
    /// <param name="consent">What is agreed to by signing the line, word for word; empty for nothing.</param>
    /// <param name="address">Where the form is on the web.</param>
    /// <param name="practice">Whose it is.</param>
    /// <param name="onLetterPaper">True for US Letter, false for A4.</param>
    public static byte[] Pdf(string title, string words, IReadOnlyList<string> columns, IReadOnlyList<string> consent, string address, string practice, bool onLetterPaper)
    {
        OwnFont.Prepare();
        using var document = new PdfDocument();
        document.Info.Title = title;
        var page = document.AddPage();
        page.Size = onLetterPaper ? PageSize.Letter : PageSize.A4;
        page.Orientation = PageOrientation.Landscape;
        using (var graphics = XGraphics.FromPdfPage(page))
        {
            var y = Head(graphics, page, title, words, address);
            y = Consent(graphics, page, consent, y);
            Lines(graphics, page, columns, y);
            graphics.DrawString(practice, new XFont(OwnFont.Family, HeadSize), XBrushes.DimGray, new XPoint(Edge, page.Height.Point - 26));
        }

        using var stream = new MemoryStream();
        document.Save(stream, false);
        return stream.ToArray();
    }

    private static double Head(XGraphics graphics, PdfPage page, string title, string words, string address)
    {
        var width = page.Width.Point - (2 * Edge) - CodeSize - 24;
        var writer = new XTextFormatter(graphics);
        writer.DrawString(title, new XFont(OwnFont.Family, 24), XBrushes.Black, new XRect(Edge, Edge, width, 62));
        writer.DrawString(words.Length > 400 ? words[..399] + "…" : words, new XFont(OwnFont.Family, 11), XBrushes.Black, new XRect(Edge, Edge + 66, width, 58));
        var left = page.Width.Point - Edge - CodeSize;
        Code(graphics, address, left, Edge - 8);
        graphics.DrawString(address, new XFont(OwnFont.Family, 7), XBrushes.DimGray, new XRect(left - 140, Edge + CodeSize - 4, CodeSize + 140, 10), XStringFormats.TopRight);
        return Edge + CodeSize + 20;
    }

    private static void Code(XGraphics graphics, string address, double left, double top)
    {
        using var data = QRCodeGenerator.GenerateQrCode(address, Level);
        var dot = CodeSize / data.ModuleMatrix.Count;
        foreach (var (row, y) in data.ModuleMatrix.Select((r, y) => (r, y)))
        {
            for (var x = 0; x < row.Count; x++)
            {
                if (row[x])
                {
                    // A little over the edge, so that no hairline of white is left between two dots.
                    graphics.DrawRectangle(XBrushes.Black, left + (x * dot), top + (y * dot), dot + 0.1, dot + 0.1);
                }
            }
        }
    }

    private static double Consent(XGraphics graphics, PdfPage page, IReadOnlyList<string> consent, double y)
    {
        var writer = new XTextFormatter(graphics);
        foreach (var line in consent.Take(3))
        {
            writer.DrawString(Say($"By ticking “yes” on my line: {line}"), new XFont(OwnFont.Family, 9.5), XBrushes.Black, new XRect(Edge, y, page.Width.Point - (2 * Edge), 26));
            y += 28;
        }

        return y;
    }

    private static void Lines(XGraphics graphics, PdfPage page, IReadOnlyList<string> columns, double y)
    {
        var (width, bottom) = (page.Width.Point - (2 * Edge), page.Height.Point - 44);
        var each = width / Math.Max(1, columns.Count);
        var font = new XFont(OwnFont.Family, HeadSize);
        foreach (var (column, i) in columns.Select((c, i) => (c, i)))
        {
            graphics.DrawString(column.Length > 34 ? column[..33] + "…" : column, font, XBrushes.DimGray, new XPoint(Edge + (i * each) + 3, y + 10));
        }

        var top = y + 16;
        graphics.DrawLine(XPens.Black, Edge, top, Edge + width, top);
        for (y = top + RowHeight; y <= bottom; y += RowHeight)
        {
            graphics.DrawLine(XPens.Gray, Edge, y, Edge + width, y);
        }

        for (var i = 1; i < columns.Count; i++)
        {
            graphics.DrawLine(XPens.LightGray, Edge + (i * each), top, Edge + (i * each), y - RowHeight);
        }
    }
}
