using System.Globalization;
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
        using (var writing = new PageWriting(document, onLetterPaper, Edge))
        {
            writing.Write(title, 24);
            writing.Skip(10);
            foreach (var line in about)
            {
                writing.Write(line, 11);
            }

            writing.Skip(40);
            writing.Write(Said("Read and approved"), 11);
            writing.Skip(36);
            writing.Line(Said("Name, date"), Said("Signature"));
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

        PageWriting.Number(document, title, Edge);
        using var stream = new MemoryStream();
        document.Save(stream, false);
        return stream.ToArray();
    }
}
