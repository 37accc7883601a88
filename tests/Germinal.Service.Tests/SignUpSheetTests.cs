using System.Text;
using Germinal.Channels.Post;

namespace Germinal.Service.Tests;

/// <summary>The sheet that is laid out at a talk.</summary>
public sealed class SignUpSheetTests
{
    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void Is_one_page_whatever_it_is_made_of(bool onLetterPaper)
    {
        foreach (var columns in new[] { 0, 1, 5 })
        {
            var pdf = SignUpSheet.Pdf(
                new string('T', 200),
                string.Join(' ', Enumerable.Repeat("words and more words", 60)),
                [.. Enumerable.Range(0, columns).Select(i => $"Question {i} that is rather long for a column of a sheet")],
                ["Yes, write to me.", "Yes, ring me.", "Yes.", "Yes."],
                "https://example.com/form/ask-us-abc123",
                "Alder & Sons <planning>",
                onLetterPaper
            );
            Assert.StartsWith("%PDF-", Encoding.ASCII.GetString(pdf.AsSpan(0, 8)), StringComparison.Ordinal);
            using var document = PdfSharp.Pdf.IO.PdfReader.Open(new MemoryStream(pdf), PdfSharp.Pdf.IO.PdfDocumentOpenMode.Import);
            Assert.Equal(1, document.PageCount);
            Assert.True(document.Pages[0].Width.Point > document.Pages[0].Height.Point);
        }
    }

    [Fact]
    public void The_code_is_a_picture_and_a_drawing()
    {
        Assert.Equal([0x89, 0x50, 0x4E, 0x47], SignUpSheet.CodePng("https://example.com/form/a", 4)[..4]);
        Assert.StartsWith("<svg", SignUpSheet.CodeSvg("https://example.com/form/a"), StringComparison.Ordinal);
    }
}
