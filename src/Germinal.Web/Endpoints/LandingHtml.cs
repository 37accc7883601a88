using System.Text.RegularExpressions;
using Germinal.Channels;
using Germinal.Channels.Letters;
using Germinal.Service.Letters;
using Germinal.Store.Rows;

namespace Germinal.Web.Endpoints;

/// <summary>A letter's words as a public page, with what search and sharing are told of it.</summary>
public static partial class LandingHtml
{
    [GeneratedRegex("<h1[ >]", RegexOptions.IgnoreCase | RegexOptions.NonBacktracking)]
    private static partial Regex Head();

    [GeneratedRegex("href=\"(?<address>[^\"]+)\"", RegexOptions.NonBacktracking)]
    private static partial Regex Address();

    /// <summary>The page.</summary>
    /// <param name="version">What it is called, and how it is passed on.</param>
    /// <param name="words">Its words, the form's place marked.</param>
    /// <param name="form">The form that stands there; empty for none.</param>
    /// <param name="address">Where it is.</param>
    /// <param name="practice">Whose.</param>
    /// <param name="links">Where we are.</param>
    public static string Page(LandingVersionRow version, string words, string form, string address, PracticeRow practice, PublicLinks links)
    {
        string Meta(string property, string value) => value.Length > 0 ? $"<meta property=\"{property}\" content=\"{PublicPages.Encode(value)}\">" : "";
        var picture = OwnPictures.AddressOf(version.PictureId) is { } shown ? links.BaseUrl + shown : "";
        var meta =
            $"<link rel=\"canonical\" href=\"{PublicPages.Encode(address)}\">"
            + (version.Description.Length > 0 ? $"<meta name=\"description\" content=\"{PublicPages.Encode(version.Description)}\">" : "")
            + Meta("og:type", "website")
            + Meta("og:title", version.Title)
            + Meta("og:description", version.Description)
            + Meta("og:url", address)
            + Meta("og:image", picture);
        var body = LetterPlaces.PutForm($"<div class=\"words\">{words}</div>", form);
        return FormHtml.Dress(version.Title, body, practice, framed: false, script: form.Length > 0, meta, withTitle: !Head().IsMatch(words));
    }

    /// <summary>Words whose links to pages of ours are their reader's, as in the letter that led here.</summary>
    public static string ForReader(string words, Guid touch, PublicLinks links) =>
        Address().Replace(words, m => $"href=\"{PublicPages.Encode(PublicCalls.ForReader(System.Net.WebUtility.HtmlDecode(m.Groups["address"].Value), touch, links))}\"");
}
