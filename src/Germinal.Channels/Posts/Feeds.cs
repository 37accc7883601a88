using System.ServiceModel.Syndication;
using System.Text;
using System.Xml;
using NodaTime;

namespace Germinal.Channels.Posts;

/// <summary>Something of a feed, its words without markup.</summary>
/// <param name="Key">How the feed knows it.</param>
/// <param name="Title">Its title; its first words where it has none.</param>
/// <param name="Words">What it says.</param>
/// <param name="Address">Where it is read in full; empty for nowhere.</param>
/// <param name="At">When it appeared; null where the feed does not say.</param>
public sealed record FeedItem(string Key, string Title, string Words, string Address, Instant? At);

/// <summary>Feeds: others' are read (RSS 2.0, Atom), the practice's own is written (Atom, RFC 4287).</summary>
public static class Feeds
{
    /// <summary>The most that is taken of one.</summary>
    public const int Most = 100;

    private const int LongestTitle = 300;
    private const int LongestWords = 4000;
    private const int LongestAddress = 2000;
    private const string AtomNames = "http://www.w3.org/2005/Atom";
    private const int MostCharacters = 8_000_000;

    /// <summary>Reads a feed.</summary>
    /// <param name="file">What was at its address.</param>
    /// <param name="title">What it calls itself.</param>
    /// <param name="items">What is in it, in its own order.</param>
    /// <returns>What is wrong, in a sentence; null where it was read.</returns>
    public static string? Read(byte[] file, out string title, out IReadOnlyList<FeedItem> items)
    {
        (title, items) = ("", []);
        try
        {
            using var text = new MemoryStream(file);
            using var xml = XmlReader.Create(text, new XmlReaderSettings { DtdProcessing = DtdProcessing.Ignore, XmlResolver = null, MaxCharactersInDocument = MostCharacters, MaxCharactersFromEntities = 1024 });
            xml.MoveToContent();
            var isAtom = xml.NamespaceURI == AtomNames;
            var feed = SyndicationFeed.Load(xml);
            title = Plain(feed.Title, isAtom, LongestTitle);
            items = [.. feed.Items.Take(Most).Select(i => Item(i, isAtom)).Where(i => i.Title.Length > 0)];
            return null;
        }
        catch (Exception e) when (e is XmlException or FormatException or NotSupportedException or ArgumentException or InvalidOperationException)
        {
            return Said("this is no feed that can be read. The address of an RSS 2.0 or Atom feed would be right; a page often names it under “feed” or “RSS”.");
        }
    }

    /// <summary>Writes the practice's own feed.</summary>
    /// <param name="address">Where it stands.</param>
    /// <param name="practice">Who writes it.</param>
    /// <param name="updated">When it last changed.</param>
    /// <param name="posts">What stands in it, the newest first: its key, its words, its picture with what it shows, when, where it stands elsewhere.</param>
    public static byte[] Write(Uri address, string practice, Instant updated, IEnumerable<(Guid Id, string Words, (Uri Address, string Words)? Picture, Instant At, string? Elsewhere)> posts)
    {
        var feed = new SyndicationFeed
        {
            Id = address.ToString(),
            Title = new TextSyndicationContent(Clean(practice)),
            LastUpdatedTime = updated.ToDateTimeOffset(),
        };
        feed.Authors.Add(new SyndicationPerson { Name = Clean(practice) });
        feed.Links.Add(SyndicationLink.CreateSelfLink(address, "application/atom+xml"));
        feed.Items =
        [
            .. posts.Select(p =>
            {
                var item = new SyndicationItem
                {
                    Id = $"urn:uuid:{p.Id}",
                    Title = new TextSyndicationContent(FirstLine(Clean(p.Words))),
                    PublishDate = p.At.ToDateTimeOffset(),
                    LastUpdatedTime = p.At.ToDateTimeOffset(),
                    Content = new TextSyndicationContent(Html(p.Words, p.Picture), TextSyndicationContentKind.Html),
                };
                if (OutsideFetch.AddressOf(p.Elsewhere ?? "") is { } elsewhere)
                {
                    item.Links.Add(SyndicationLink.CreateAlternateLink(elsewhere));
                }

                return item;
            }),
        ];
        using var written = new MemoryStream();
        using (var xml = XmlWriter.Create(written, new XmlWriterSettings { Encoding = new UTF8Encoding(false), Indent = true, CheckCharacters = true }))
        {
            feed.SaveAsAtom10(xml);
        }

        return written.ToArray();
    }

    /// <summary>The first line of words, as their title.</summary>
    public static string FirstLine(string words)
    {
        var line = words.Trim().Split('\n')[0].Trim();
        return line.Length <= 80 ? line : string.Concat(line.AsSpan(0, 79), "…");
    }

    private static string Html(string words, (Uri Address, string Words)? picture)
    {
        var paragraphs = string.Concat(
            Clean(words).Split("\n\n", StringSplitOptions.RemoveEmptyEntries).Select(p => $"<p>{System.Net.WebUtility.HtmlEncode(p.Trim()).Replace("\n", "<br>", StringComparison.Ordinal)}</p>")
        );
        return picture is { } p ? $"<p><img src=\"{System.Net.WebUtility.HtmlEncode(p.Address.ToString())}\" alt=\"{System.Net.WebUtility.HtmlEncode(Clean(p.Words))}\"></p>{paragraphs}" : paragraphs;
    }

    private static FeedItem Item(SyndicationItem item, bool isAtom)
    {
        var words = Plain(item.Content as TextSyndicationContent ?? item.Summary, isAtom, LongestWords);
        var title = Plain(item.Title, isAtom, LongestTitle);
        var link = item.Links.FirstOrDefault(l => l.RelationshipType is null or "alternate")?.Uri;
        var address = link is { IsAbsoluteUri: true } && OutsideFetch.AddressOf(link.ToString()) is { } known && known.ToString().Length <= LongestAddress ? known.ToString() : "";
        title = title.Length > 0 ? title : FirstLine(words);
        var key = item.Id is { Length: > 0 } id ? id : address.Length > 0 ? address : title;
        return new FeedItem(Short(Clean(key), LongestAddress), title, words, address, AppearedAt(item));
    }

    /// <summary>A date that is no date is none.</summary>
    private static Instant? AppearedAt(SyndicationItem item)
    {
        try
        {
            var at = item.PublishDate != default ? item.PublishDate : item.LastUpdatedTime;
            return at == default ? null : Instant.FromDateTimeOffset(at);
        }
        catch (Exception e) when (e is XmlException or FormatException)
        {
            return null;
        }
    }

    /// <summary>Atom says whether words are markup (RFC 4287, 3.1.1); of RSS nobody knows, and most are.</summary>
    private static string Plain(TextSyndicationContent? words, bool isAtom, int longest) =>
        words is null ? "" : isAtom && words.Type == "text" ? Short(Clean(words.Text).Trim(), longest) : Plain(words.Text, longest);

    /// <summary>Words without markup: what a page would show of them.</summary>
    private static string Plain(string html, int longest)
    {
        if (!html.Contains('<', StringComparison.Ordinal) && !html.Contains('&', StringComparison.Ordinal))
        {
            return Short(Clean(html).Trim(), longest);
        }

        var document = new AngleSharp.Html.Parser.HtmlParser().ParseDocument(Short(html, 100_000));
        foreach (var unseen in document.QuerySelectorAll("script, style, template, noscript, iframe, object, svg, head"))
        {
            unseen.Remove();
        }

        foreach (var block in document.QuerySelectorAll("p, br, li, div, h1, h2, h3, h4, tr"))
        {
            block.AppendChild(document.CreateTextNode("\n"));
        }

        var lines = Clean(document.Body?.TextContent ?? "").Split('\n').Select(l => string.Join(' ', l.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries))).Where(l => l.Length > 0);
        return Short(string.Join('\n', lines), longest);
    }

    private static string Short(string words, int longest) => words.Length <= longest ? words : string.Concat(words.AsSpan(0, char.IsHighSurrogate(words[longest - 2]) ? longest - 2 : longest - 1), "…");

    /// <summary>Without what neither XML nor the database can keep.</summary>
    private static string Clean(string words) =>
        words.Any(c => !XmlConvert.IsXmlChar(c))
            ? new string([.. words.Where((c, i) => XmlConvert.IsXmlChar(c) || IsPair(words, i))])
            : words;

    private static bool IsPair(string words, int i) =>
        (char.IsHighSurrogate(words[i]) && i + 1 < words.Length && char.IsLowSurrogate(words[i + 1])) || (char.IsLowSurrogate(words[i]) && i > 0 && char.IsHighSurrogate(words[i - 1]));
}
