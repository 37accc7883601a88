namespace Germinal.Channels.Letters;

/// <summary>What a letter names by address: where its links lead, and its pictures.</summary>
public static class LetterAddresses
{
    /// <summary>Each address once, in the order they stand in it.</summary>
    /// <param name="body">The body of an email, with merge fields or filled.</param>
    public static (IReadOnlyList<string> Links, IReadOnlyList<string> Pictures) In(string body)
    {
        var document = LetterHtml.Parse(body);
        IReadOnlyList<string> Of(string selector, string attribute) =>
            [.. document.QuerySelectorAll(selector).Select(e => e.GetAttribute(attribute) ?? "").Where(a => a.Length > 0).Distinct(StringComparer.Ordinal)];
        return (Of("a[href]", "href"), Of("img[src]", "src"));
    }
}
