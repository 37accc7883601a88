using System.IO.Compression;
using System.Text;

namespace Germinal.Service.Letters;

/// <summary>What a file is, by what is in it; its name only has to agree.</summary>
/// <param name="Type">Its media type.</param>
/// <param name="Endings">The endings of names that promise it.</param>
/// <param name="What">In words, such as <i>a PDF</i>.</param>
public sealed record FileKind(string Type, IReadOnlyList<string> Endings, string What)
{
    private const string OfficeType = "application/vnd.openxmlformats-officedocument.";

    private static readonly FileKind Pdf = new("application/pdf", [".pdf"], "a PDF");
    private static readonly FileKind Png = new("image/png", [".png"], ToSay("a PNG picture"));
    private static readonly FileKind Jpeg = new("image/jpeg", [".jpg", ".jpeg"], ToSay("a JPEG picture"));
    private static readonly FileKind Gif = new("image/gif", [".gif"], ToSay("a GIF picture"));
    private static readonly FileKind WebP = new("image/webp", [".webp"], ToSay("a WebP picture"));
    private static readonly FileKind Document = new(OfficeType + "wordprocessingml.document", [".docx"], ToSay("a text document (.docx)"));
    private static readonly FileKind Sheet = new(OfficeType + "spreadsheetml.sheet", [".xlsx"], ToSay("a workbook (.xlsx)"));
    private static readonly FileKind Slides = new(OfficeType + "presentationml.presentation", [".pptx"], ToSay("slides (.pptx)"));
    private static readonly FileKind Calendar = new("text/calendar", [".ics"], ToSay("a calendar entry (.ics)"));
    private static readonly FileKind Card = new("text/vcard", [".vcf"], ToSay("an address card (.vcf)"));
    private static readonly FileKind Csv = new("text/csv", [".csv"], ToSay("a CSV list"));
    private static readonly FileKind Text = new("text/plain", [".txt"], ToSay("a plain text"));

    /// <summary>Those that letters may carry.</summary>
    public static IReadOnlyList<FileKind> All { get; } = [Pdf, Png, Jpeg, Gif, WebP, Document, Sheet, Slides, Calendar, Card, Csv, Text];

    /// <summary>Pictures that mail programs show.</summary>
    public static FileKind? PictureOf(ReadOnlySpan<byte> content) =>
        content.StartsWith((ReadOnlySpan<byte>)[0x89, 0x50, 0x4E, 0x47, 0x0D, 0x0A, 0x1A, 0x0A]) ? Png
        : content.StartsWith((ReadOnlySpan<byte>)[0xFF, 0xD8, 0xFF]) ? Jpeg
        : content.StartsWith("GIF87a"u8) || content.StartsWith("GIF89a"u8) ? Gif
        : content.Length > 12 && content.StartsWith("RIFF"u8) && content[8..12].SequenceEqual("WEBP"u8) ? WebP
        : null;

    /// <summary>What a file is, or why it cannot be carried.</summary>
    /// <param name="content">What is in it.</param>
    /// <param name="name">Its name.</param>
    public static (FileKind? Kind, string? Problem) Of(byte[] content, string name)
    {
        var ending = Path.GetExtension(name).ToLowerInvariant();
        var promised = All.FirstOrDefault(k => k.Endings.Contains(ending, StringComparer.Ordinal));
        if (promised is null)
        {
            return (null, Say($"“{name}” is of no kind that letters carry. {string.Join(", ", All.SelectMany(k => k.Endings))} are."));
        }

        var found = PictureOf(content) ?? (content.AsSpan().StartsWith("PK"u8) ? OfArchive(content) : content.AsSpan().StartsWith("%PDF-"u8) ? Pdf : OfText(content, promised));
        if (found != promised)
        {
            return (null, Say($"“{name}” is not {promised.What}, whatever its name says{(found is null ? "" : Say($": inside it is {found.What}"))}. Save it anew where it was made, and bring that."));
        }

        // A transfer that broke off leaves the end missing (ISO 32000-1, 7.5.5: a file ends in %%EOF).
        if (found == Pdf && content.AsSpan(Math.Max(0, content.Length - 2048)).IndexOf("%%EOF"u8) < 0)
        {
            return (null, Say($"“{name}” is a PDF that breaks off before its end. Save it anew where it was made, and bring that."));
        }

        return (found, null);
    }

    /// <summary>An office document by its parts (ECMA-376); null for any other archive, for one with macros, and for one that is damaged.</summary>
    private static FileKind? OfArchive(byte[] content)
    {
        try
        {
            using var archive = new ZipArchive(new MemoryStream(content), ZipArchiveMode.Read);
            var names = archive.Entries.Select(e => e.FullName).ToList();
            return names.Any(n => n.EndsWith("vbaProject.bin", StringComparison.OrdinalIgnoreCase)) || !names.Contains("[Content_Types].xml", StringComparer.Ordinal) ? null
                : names.Contains("word/document.xml", StringComparer.Ordinal) ? Document
                : names.Contains("xl/workbook.xml", StringComparer.Ordinal) ? Sheet
                : names.Contains("ppt/presentation.xml", StringComparer.Ordinal) ? Slides
                : null;
        }
        catch (InvalidDataException)
        {
            return null;
        }
    }

    private static FileKind? OfText(byte[] content, FileKind promised)
    {
        string text;
        try
        {
            text = new UTF8Encoding(false, throwOnInvalidBytes: true).GetString(content);
        }
        catch (DecoderFallbackException)
        {
            return null;
        }

        var begins = text.TrimStart('\uFEFF', ' ', '\r', '\n');
        return text.Contains('\0', StringComparison.Ordinal) ? null
            : begins.StartsWith("BEGIN:VCALENDAR", StringComparison.OrdinalIgnoreCase) ? Calendar
            : begins.StartsWith("BEGIN:VCARD", StringComparison.OrdinalIgnoreCase) ? Card
            : promised == Csv || promised == Text ? promised
            : null;
    }
}
