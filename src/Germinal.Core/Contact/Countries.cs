using System.Collections.Frozen;
using System.Globalization;

namespace Germinal.Core.Contact;

/// <summary>Countries as they are written in addresses: by two letters, or by their name in English or in a language of their own.</summary>
public static class Countries
{
    /// <summary>Where the postal code stands before the town (from memory of the addressing systems the Universal Postal Union describes).</summary>
    private static readonly FrozenSet<string> CodeFirst = new[]
    {
        "AT", "BE", "BG", "CH", "CY", "CZ", "DE", "DK", "EE", "ES", "FI", "FR", "GR", "HR", "IS", "IT", "LI", "LT", "LU", "MC", "NL", "NO", "PL", "PT", "RO", "RS", "SE", "SI", "SK", "SM", "TR",
    }.ToFrozenSet(StringComparer.Ordinal);

    private static readonly FrozenDictionary<string, string> ByName = CultureInfo
        .GetCultures(CultureTypes.SpecificCultures)
        .Select(c => new RegionInfo(c.Name))
        .Where(r => r.TwoLetterISORegionName is [>= 'A' and <= 'Z', >= 'A' and <= 'Z'])
        .SelectMany(r => new[] { r.TwoLetterISORegionName, r.ThreeLetterISORegionName, r.EnglishName, r.NativeName }.Select(n => (Name: n, r.TwoLetterISORegionName)))
        .GroupBy(n => n.Name, StringComparer.OrdinalIgnoreCase)
        .ToFrozenDictionary(g => g.Key, g => g.First().TwoLetterISORegionName, StringComparer.OrdinalIgnoreCase);

    /// <summary>Its two letters (ISO 3166-1); null where nobody calls a country so.</summary>
    public static string? CodeOf(string written) => ByName.GetValueOrDefault(written.Trim());

    /// <summary>Whether the postal code stands before the town there.</summary>
    public static bool PutsCodeFirst(string country) => CodeOf(country) is { } code && CodeFirst.Contains(code);
}
