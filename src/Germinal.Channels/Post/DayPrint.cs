using PdfSharp.Pdf;

namespace Germinal.Channels.Post;

/// <summary>A line of the printed day sheet.</summary>
/// <param name="When">What stands in the gutter: a time, or since when.</param>
/// <param name="Head">Who it is, and the number.</param>
/// <param name="Words">What to say, or what it says; empty for nothing.</param>
/// <param name="Beside">Where it comes from; empty for nothing.</param>
/// <param name="ToTick">Whether there is a box to tick it off.</param>
public sealed record DayPrintLine(string When, string Head, string Words, string Beside, bool ToTick);

/// <summary>A stretch of the day sheet: its title, its lines, and what stands there where there are none.</summary>
public sealed record DayPrintStretch(string Title, IReadOnlyList<DayPrintLine> Lines, string Empty);

/// <summary>The day sheet on paper: what to do, in the order to do it, with a box to tick each off; what goes out; who waits; what needs mending.</summary>
public static class DayPrint
{
    private const double Edge = 40;
    private const double Gutter = 62;

    /// <summary>The PDF.</summary>
    /// <param name="title">The day, and whose.</param>
    /// <param name="stretches">Its stretches, in their order.</param>
    /// <param name="onLetterPaper">True for US Letter, false for A4.</param>
    public static byte[] Pdf(string title, IReadOnlyList<DayPrintStretch> stretches, bool onLetterPaper)
    {
        OwnFont.Prepare();
        using var document = new PdfDocument();
        document.Info.Title = title;
        using (var writing = new PageWriting(document, onLetterPaper, Edge, Gutter))
        {
            writing.Write(title, 18);
            foreach (var stretch in stretches)
            {
                writing.Skip(10);
                writing.Keep(60);
                writing.Rule(heavy: true);
                writing.Write(stretch.Title, 12);
                writing.Skip(3);
                if (stretch.Lines.Count == 0)
                {
                    writing.Write(stretch.Empty, 9, soft: true);
                }

                foreach (var line in stretch.Lines)
                {
                    Write(writing, line);
                }
            }
        }

        PageWriting.Number(document, title, Edge);
        using var stream = new MemoryStream();
        document.Save(stream, false);
        return stream.ToArray();
    }

    private static void Write(PageWriting writing, DayPrintLine line)
    {
        // A line and its words stay together.
        writing.Keep(34);
        writing.Skip(3);
        writing.Rule();
        writing.InGutter(line.When, 8.5);
        writing.Write(line.Head, 9.5);
        if (line.ToTick)
        {
            writing.Box();
        }

        if (line.Words.Length > 0)
        {
            writing.Write(line.Words, 8.5);
        }

        if (line.Beside.Length > 0)
        {
            writing.Write(line.Beside, 7.5, soft: true);
        }
    }
}
