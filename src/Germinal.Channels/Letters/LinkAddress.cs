using System.Text.RegularExpressions;

namespace Germinal.Channels.Letters;

/// <summary>
/// Where a link of a letter may lead: http, https, mailto and tel. What people write without a scheme is completed where only one
/// thing can be meant; anything else leads nowhere.
/// </summary>
public static partial class LinkAddress
{
    private static readonly string[] Schemes = ["http", "https", "mailto", "tel"];

    /// <summary>An address as a mail program follows it.</summary>
    /// <param name="written">What stands in the link: <c>example.com/plan</c>, <c>ida@example.com</c>, <c>https://example.com</c>.</param>
    /// <returns>The address with its scheme; null for what leads nowhere. One with a merge field is left as it is.</returns>
    public static string? Complete(string written)
    {
        var address = written.Trim();
        if (address.Contains("{{", StringComparison.Ordinal) || address.Contains("{%", StringComparison.Ordinal))
        {
            return SchemeOf().Match(address) is { Success: true } named && !IsKnown(named) ? null : address;
        }

        if (address.StartsWith("//", StringComparison.Ordinal))
        {
            address = "https:" + address;
        }
        else if (Mail().IsMatch(address))
        {
            return "mailto:" + address;
        }
        else if (Host().IsMatch(address))
        {
            address = "https://" + address;
        }

        if (SchemeOf().Match(address) is not { Success: true } scheme || !IsKnown(scheme))
        {
            return null;
        }

        var rest = address[(scheme.Length)..];
        return scheme.Groups[1].Value.ToLowerInvariant() switch
        {
            "mailto" => Mail().IsMatch(rest.Split('?')[0]) ? address : null,
            "tel" => rest.Count(char.IsAsciiDigit) >= 3 ? address : null,
            _ => Uri.TryCreate(address, UriKind.Absolute, out var uri) && uri.Host.Length > 0 ? address : null,
        };
    }

    /// <summary>What is wrong with an address, and what would be right; null where it leads somewhere.</summary>
    public static string? Problem(string written) =>
        Complete(written) is not null
            ? null
            : Say($"The link “{written.Trim()}” leads nowhere. https://example.com/plan would, or mailto:ida@example.com, or tel:+12075550123.");

    private static bool IsKnown(Match scheme) => Schemes.Contains(scheme.Groups[1].Value, StringComparer.OrdinalIgnoreCase);

    [GeneratedRegex(@"\A([A-Za-z][A-Za-z0-9+.-]*):", RegexOptions.CultureInvariant | RegexOptions.NonBacktracking)]
    private static partial Regex SchemeOf();

    [GeneratedRegex(@"\A[^\s@/:]+@[^\s@/:]+\.[^\s@/:]+\z", RegexOptions.CultureInvariant | RegexOptions.NonBacktracking)]
    private static partial Regex Mail();

    [GeneratedRegex(@"\A[\p{L}\p{N}-]+(\.[\p{L}\p{N}-]+)*\.\p{L}{2,}(:[0-9]{1,5})?([/?#]\S*)?\z", RegexOptions.CultureInvariant | RegexOptions.NonBacktracking)]
    private static partial Regex Host();
}
