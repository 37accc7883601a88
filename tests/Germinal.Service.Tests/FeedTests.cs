using System.Text;
using System.Xml.Linq;
using Germinal.Channels.Posts;
using NodaTime;

namespace Germinal.Service.Tests;

/// <summary>Feeds: others' are read, the practice's own is written.</summary>
public sealed class FeedTests
{
    private static (string? Problem, string Title, IReadOnlyList<FeedItem> Items) Read(string file)
    {
        var problem = Feeds.Read(Encoding.UTF8.GetBytes(file), out var title, out var items);
        return (problem, title, items);
    }

    [Fact]
    public void RSS_and_Atom_are_read_and_their_words_are_cleaned()
    {
        var (problem, title, items) = Read(
            """
            <?xml version="1.0"?><rss version="2.0"><channel><title>The &amp; News</title><link>https://news.example.com</link><description>d</description>
            <item><title>Rates &lt;b&gt;fell&lt;/b&gt;</title><link>https://news.example.com/a</link><guid>a1</guid><pubDate>Mon, 01 Mar 2027 08:00:00 GMT</pubDate>
            <description>&lt;p&gt;First.&lt;/p&gt;&lt;script&gt;alert(1)&lt;/script&gt;&lt;p onclick="x()"&gt;Second&lt;img src=x onerror=y&gt;.&lt;/p&gt;</description></item>
            <item><description>Only words, no title</description><link>javascript:alert(1)</link><pubDate>yesterday</pubDate></item>
            </channel></rss>
            """
        );
        Assert.Null(problem);
        Assert.Equal("The & News", title);
        Assert.Equal(new FeedItem("a1", "Rates fell", "First.\nSecond.", "https://news.example.com/a", Instant.FromUtc(2027, 3, 1, 8, 0)), items[0]);
        Assert.Equal(("Only words, no title", "", (Instant?)null), (items[1].Title, items[1].Address, items[1].At));

        var atom = Read(
            """
            <feed xmlns="http://www.w3.org/2005/Atom"><title>Journal</title><id>urn:x</id><updated>2027-03-01T08:00:00Z</updated>
            <entry><title type="html">One &amp;lt;two&amp;gt;</title><id>urn:1</id><updated>2027-02-01T08:00:00Z</updated><link href="https://j.example.com/1"/><content type="html">&lt;ul&gt;&lt;li&gt;a&lt;/li&gt;&lt;li&gt;b&lt;/li&gt;&lt;/ul&gt;</content></entry></feed>
            """
        );
        Assert.Equal(("urn:1", "One <two>", "a\nb", "https://j.example.com/1"), (atom.Items[0].Key, atom.Items[0].Title, atom.Items[0].Words, atom.Items[0].Address));
    }

    [Theory]
    [InlineData("")]
    [InlineData("<html><body>a page</body></html>")]
    [InlineData("<!DOCTYPE a [<!ENTITY b \"bbbb\"><!ENTITY c \"&b;&b;&b;&b;\">]><rss version=\"2.0\"><channel><title>&c;</title></channel></rss>")]
    [InlineData("<!DOCTYPE a [<!ENTITY x SYSTEM \"file:///etc/hostname\">]><feed xmlns=\"http://www.w3.org/2005/Atom\"><title>&x;</title></feed>")]
    [InlineData("{\"version\":\"1\"}")]
    public void What_is_no_feed_is_said(string file) => Assert.Contains("no feed", Read(file).Problem, StringComparison.Ordinal);

    /// <summary>RFC 4287: a feed has an id, a title, when it was updated and an author; each entry an id, a title and when it was updated.</summary>
    [Fact]
    public void The_practices_own_has_what_RFC_4287_asks_for_and_no_markup_of_its_writers()
    {
        var id = Guid.NewGuid();
        var feed = Feeds.Write(
            new Uri("https://germinal.example.com/feed/x"),
            "Quill & <Sons>",
            Instant.FromUtc(2027, 3, 1, 8, 0),
            [(id, "A <script>word</script>\u0000\nand a line\n\nSecond", (new Uri("https://germinal.example.com/i/1"), "A \"house\""), Instant.FromUtc(2027, 3, 1, 8, 0), "https://board.example.com/1")]
        );
        XNamespace atom = "http://www.w3.org/2005/Atom";
        var root = XDocument.Load(new MemoryStream(feed)).Root!;
        Assert.Equal("Quill & <Sons>", root.Element(atom + "title")!.Value);
        Assert.NotEmpty(root.Element(atom + "id")!.Value);
        Assert.Equal("2027-03-01T08:00:00Z", root.Element(atom + "updated")!.Value);
        Assert.Equal("Quill & <Sons>", root.Element(atom + "author")!.Element(atom + "name")!.Value);
        Assert.Equal("self", root.Element(atom + "link")!.Attribute("rel")!.Value);
        var entry = root.Element(atom + "entry")!;
        Assert.Equal($"urn:uuid:{id}", entry.Element(atom + "id")!.Value);
        Assert.NotNull(entry.Element(atom + "updated"));
        Assert.Equal(
            "<p><img src=\"https://germinal.example.com/i/1\" alt=\"A &quot;house&quot;\"></p><p>A &lt;script&gt;word&lt;/script&gt;<br>and a line</p><p>Second</p>",
            entry.Element(atom + "content")!.Value
        );

        // What we write, we read.
        Assert.Null(Feeds.Read(feed, out var title, out var items));
        Assert.Equal(("Quill & <Sons>", 1), (title, items.Count));
    }
}
