using System.IO.Compression;
using System.Text;
using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Channels.Post;
using Germinal.Channels.Texts;
using Germinal.Core.Programs;
using Germinal.Service.Import;
using Germinal.Service.Letters;

namespace Germinal.Service.Tests;

/// <summary>Lists of figures, what a file is, links of texts, booklets.</summary>
public sealed class KeptListTests
{
    private static FigureList Figures(string csv) => FigureList.Read(ListFile.Read(Encoding.UTF8.GetBytes(csv)));

    [Fact]
    public void A_list_of_figures_is_read_with_what_stands_around_its_numbers()
    {
        var list = Figures("Month,Area,median price,rate\n2027-01,Port Averil,\"$412,000\",6.25%\nFebruary 2027,Port Averil,\"$415,500\",\n03/2027,port averil,,6.1%\n");
        Assert.Empty(list.Troubles);
        Assert.Equal([("median price", "$", ""), ("rate", "", "%")], list.Measures.Select(m => (m.Name, m.Before, m.After)));
        Assert.Equal([(1, 412_000m), (1, 6.25m), (2, 415_500m), (3, 6.1m)], list.Numbers.Select(n => (n.Figure.Month.Month, n.Figure.Value)));
        Assert.Equal(["Port Averil"], list.Numbers.Select(n => n.Area).Distinct());
    }

    [Theory]
    [InlineData("area,price\nA,1", "first line should name the columns")]
    [InlineData("area,month\nA,2027-01", "first line should name the columns")]
    [InlineData("area,month,p,P\nA,2027-01,1,2", "Two columns are called")]
    [InlineData("area,month,p\nA,2027-13,1", "is no month")]
    [InlineData("area,month,p\nA,9999-01,1", "is no month")]
    [InlineData("area,month,p\nA,2027-01,lots", "is no number")]
    [InlineData("area,month,p\nA,2027-01,99999999999999999999999999999999", "is no number")]
    [InlineData("area,month,p\n,2027-01,1", "The area is missing")]
    public void What_cannot_be_read_says_its_line_and_what_would_be_right(string csv, string said) =>
        Assert.Contains(said, Assert.Single(Figures(csv).Troubles).Message, StringComparison.Ordinal);

    [Fact]
    public void Too_many_numbers_are_not_taken()
    {
        var rows = Enumerable.Range(0, FigureList.Most + 1).Select(i => $"A{i},2027-01,{i}");
        Assert.Contains("are the most", Assert.Single(Figures("area,month,p\n" + string.Join('\n', rows)).Troubles).Message, StringComparison.Ordinal);
    }

    private static byte[] Archive(params string[] names)
    {
        using var memory = new MemoryStream();
        using (var archive = new ZipArchive(memory, ZipArchiveMode.Create))
        {
            foreach (var name in names)
            {
                archive.CreateEntry(name);
            }
        }

        return memory.ToArray();
    }

    public static TheoryData<string, byte[], bool> Files { get; } =
        new()
        {
            { "a.pdf", Encoding.ASCII.GetBytes("%PDF-1.7\n…\n%%EOF\n"), true },
            { "a.PDF", Encoding.ASCII.GetBytes("%PDF-1.7\n…\n%%EOF\n"), true },
            { "a.pdf", Encoding.ASCII.GetBytes("%PDF-1.7\nbroken off"), false },
            { "a.pdf", Encoding.ASCII.GetBytes("<html><script>alert(1)</script>"), false },
            { "a.pdf", Archive("word/document.xml", "[Content_Types].xml"), false },
            { "a.docx", Archive("word/document.xml", "[Content_Types].xml"), true },
            { "a.docx", Archive("word/document.xml", "[Content_Types].xml", "word/vbaProject.bin"), false },
            { "a.docx", Archive("payload.exe"), false },
            { "a.docx", [0x50, 0x4B, 0x03, 0x04, 1, 2, 3], false },
            { "a.xlsx", Archive("xl/workbook.xml", "[Content_Types].xml"), true },
            { "a.pptx", Archive("ppt/presentation.xml", "[Content_Types].xml"), true },
            { "a.png", [0x89, 0x50, 0x4E, 0x47, 0x0D, 0x0A, 0x1A, 0x0A, 0], true },
            { "a.jpg", [0x89, 0x50, 0x4E, 0x47, 0x0D, 0x0A, 0x1A, 0x0A, 0], false },
            { "a.txt", Encoding.UTF8.GetBytes("plain words, ünd"), true },
            { "a.txt", [0x61, 0, 0x62], false },
            { "a.txt", [0xC3, 0x28], false },
            { "a.csv", Encoding.UTF8.GetBytes("a,b\n1,2"), true },
            { "a.ics", Encoding.ASCII.GetBytes("BEGIN:VCALENDAR\r\nEND:VCALENDAR"), true },
            { "a.ics", Encoding.ASCII.GetBytes("words"), false },
            { "a.exe", [0x4D, 0x5A], false },
            { "a.html", Encoding.ASCII.GetBytes("<p>"), false },
            { "a.svg", Encoding.ASCII.GetBytes("<svg onload='x'>"), false },
            { "noending", Encoding.ASCII.GetBytes("words"), false },
        };

    [Theory, MemberData(nameof(Files))]
    public void A_file_is_what_is_in_it_and_its_name_has_to_agree(string name, byte[] content, bool carried)
    {
        var (kind, problem) = FileKind.Of(content, name);
        Assert.Equal((carried, !carried), (kind is not null, problem is not null));
        Assert.True(problem is null || problem.Contains(name, StringComparison.Ordinal));
    }

    [Fact]
    public void Links_of_a_text_are_shortened_and_what_follows_them_stays()
    {
        var (words, links) = TextLinks.Shorten("See https://example.com/a/long/page?x=1, or (http://example.org). Not: example.com, https://", i => $"<{i}>");
        Assert.Equal("See <0>, or (<1>). Not: example.com, https://", words);
        Assert.Equal(["https://example.com/a/long/page?x=1", "http://example.org"], links.Select(l => l.Address));
        Assert.Equal(("plain", 0), (TextLinks.Shorten("plain", i => "").Words, TextLinks.Shorten("plain", i => "").Links.Count));
    }

    [Fact]
    public void Short_names_are_each_their_own_and_as_long_as_is_counted()
    {
        var links = new PublicLinks(new byte[48], "https://g.example.com");
        var codes = Enumerable.Range(0, 2000).Select(i => links.ShortCode(Guid.NewGuid(), i % 5)).ToList();
        Assert.Equal(codes.Count, codes.Distinct(StringComparer.Ordinal).Count());
        Assert.All(codes, c => Assert.Equal(links.ShortOfLength().Length, links.Short(c).Length));
        var touch = Guid.NewGuid();
        Assert.Equal(links.ShortCode(touch, 0), links.ShortCode(touch, 0));
        Assert.NotEqual(links.ShortCode(touch, 0), new PublicLinks([.. Enumerable.Repeat((byte)1, 48)], "https://g.example.com").ShortCode(touch, 0));
    }

    [Fact]
    public void A_message_in_outline_has_all_its_words_for_whoever_approves_them()
    {
        var body =
            """<p>Dear {{ person.first_name | default: "friend" }}, {{ "I am" | we: "we are" }} here.</p><div data-part="only" data-rule="{}"><p>Clients only.</p></div><div data-part="offer" data-of="Talk"></div><div data-part="sign-off"></div><img src="/i/1" alt="the quay">""";
        var outline = LetterOutline.OfBody(body, Voice.We);
        foreach (var part in new[] { "Dear ‹first name›, we are here.", "[only for some:]", "Clients only.", "[the offer “Talk” as it is on the day]", "[how the sender signs]", "[picture: the quay]" })
        {
            Assert.Contains(part, outline, StringComparison.Ordinal);
        }

        Assert.Contains("I am here", LetterOutline.OfBody(body, Voice.I), StringComparison.Ordinal);
    }

    [Theory]
    [InlineData(true, 612), InlineData(false, 595)]
    public void A_booklet_has_a_page_to_sign_and_each_message_on_a_page_of_its_own(bool onLetterPaper, double width)
    {
        var lines = string.Concat(Enumerable.Repeat("many words that go on and on, line after line, page after page. ", 120));
        var pdf = Booklet.Pdf(
            "Eight weeks",
            ["What it is for."],
            [
                new BookletMessage("Day 0, an email", "Hello", "Short.", null),
                new BookletMessage("Day 7, an email", "Again", lines, "With it: a.pdf"),
                new BookletMessage("Day 8, a text", null, new string('x', 4000), null),
            ],
            onLetterPaper
        );
        using var document = PdfSharp.Pdf.IO.PdfReader.Open(new MemoryStream(pdf), PdfSharp.Pdf.IO.PdfDocumentOpenMode.Import);
        Assert.InRange(document.PageCount, 5, 9);
        Assert.Equal(width, document.Pages[0].Width.Point, 1.0);
    }
}
