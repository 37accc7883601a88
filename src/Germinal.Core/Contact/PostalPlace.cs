using System.Collections.Frozen;
using System.Text.RegularExpressions;

namespace Germinal.Core.Contact;

/// <summary>
/// Town, state, postal code and country, as far as the last lines of a postal address say them. A reading by form, which says less
/// rather than something wrong: what has no known form gives nothing.
/// </summary>
/// <param name="City">The town as written.</param>
/// <param name="State">
/// The state or province; one of the United States by its two letters, however it was written (USPS Publication 28, appendix B).
/// </param>
/// <param name="PostalCode">As written, in capitals.</param>
/// <param name="Country">The last line, where a town with its postal code stands before it.</param>
public sealed partial record PostalPlace(string? City, string? State, string? PostalCode, string? Country)
{
    private static readonly FrozenDictionary<string, string> States = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase)
    {
        ["Alabama"] = "AL",
        ["Alaska"] = "AK",
        ["Arizona"] = "AZ",
        ["Arkansas"] = "AR",
        ["California"] = "CA",
        ["Colorado"] = "CO",
        ["Connecticut"] = "CT",
        ["Delaware"] = "DE",
        ["District of Columbia"] = "DC",
        ["Florida"] = "FL",
        ["Georgia"] = "GA",
        ["Hawaii"] = "HI",
        ["Idaho"] = "ID",
        ["Illinois"] = "IL",
        ["Indiana"] = "IN",
        ["Iowa"] = "IA",
        ["Kansas"] = "KS",
        ["Kentucky"] = "KY",
        ["Louisiana"] = "LA",
        ["Maine"] = "ME",
        ["Maryland"] = "MD",
        ["Massachusetts"] = "MA",
        ["Michigan"] = "MI",
        ["Minnesota"] = "MN",
        ["Mississippi"] = "MS",
        ["Missouri"] = "MO",
        ["Montana"] = "MT",
        ["Nebraska"] = "NE",
        ["Nevada"] = "NV",
        ["New Hampshire"] = "NH",
        ["New Jersey"] = "NJ",
        ["New Mexico"] = "NM",
        ["New York"] = "NY",
        ["North Carolina"] = "NC",
        ["North Dakota"] = "ND",
        ["Ohio"] = "OH",
        ["Oklahoma"] = "OK",
        ["Oregon"] = "OR",
        ["Pennsylvania"] = "PA",
        ["Rhode Island"] = "RI",
        ["South Carolina"] = "SC",
        ["South Dakota"] = "SD",
        ["Tennessee"] = "TN",
        ["Texas"] = "TX",
        ["Utah"] = "UT",
        ["Vermont"] = "VT",
        ["Virginia"] = "VA",
        ["Washington"] = "WA",
        ["West Virginia"] = "WV",
        ["Wisconsin"] = "WI",
        ["Wyoming"] = "WY",
    }.ToFrozenDictionary(StringComparer.OrdinalIgnoreCase);

    /// <summary>Nowhere.</summary>
    public static PostalPlace None { get; } = new(null, null, null, null);

    /// <summary>The states of the United States, two letters and name, by name.</summary>
    public static IEnumerable<(string Code, string Name)> KnownStates => States.Select(s => (s.Value, s.Key)).OrderBy(s => s.Key, StringComparer.Ordinal);

    /// <summary>Reads the place out of an address, its lines parted by line feeds, or all of it on one line parted by commas.</summary>
    public static PostalPlace Of(string? address)
    {
        var lines = (address ?? "").Split('\n', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        if (lines.Length == 1)
        {
            var parts = lines[0].Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
            return parts.Length >= 3 ? TownLine($"{parts[^2]}, {parts[^1]}") ?? None
                : parts.Length == 2 ? TownLine(parts[1]) ?? None
                : None;
        }

        if (lines.Length == 0)
        {
            return None;
        }

        if (TownLine(lines[^1]) is { } last)
        {
            return last;
        }

        if (lines.Length > 2 && !lines[^1].Any(char.IsDigit) && TownLine(lines[^2]) is { PostalCode: not null } abroad)
        {
            return abroad with { Country = lines[^1] };
        }

        return lines[^1].Any(char.IsDigit) || lines[^1].Length > 60 ? None : new PostalPlace(lines[^1].TrimEnd(','), null, null, null);
    }

    /// <summary>A state as the place keeps it: <c>Maine</c> and <c>me</c> are <c>ME</c>; anything else in the form it has.</summary>
    public static string StateOf(string written) =>
        States.TryGetValue(written, out var code) ? code
        : written.Length is 2 or 3 ? written.ToUpperInvariant()
        : written;

    private static PostalPlace? TownLine(string line)
    {
        if (WithState().Match(line) is { Success: true } us && (us.Groups["state"].Length <= 3 || States.ContainsKey(us.Groups["state"].Value)))
        {
            return new PostalPlace(Town(us), StateOf(us.Groups["state"].Value), Code(us), null);
        }

        if (CodeLast().Match(line) is { Success: true } british)
        {
            return new PostalPlace(Town(british), british.Groups["county"].Value is { Length: > 0 } county ? county.Trim() : null, Code(british), null);
        }

        if (CodeFirst().Match(line) is { Success: true } continental && !continental.Groups["town"].Value.Any(char.IsDigit))
        {
            return new PostalPlace(Town(continental), null, Code(continental), null);
        }

        var bare = WithoutCode().Match(line);
        return bare.Success && (bare.Groups["state"].Length == 2 || States.ContainsKey(bare.Groups["state"].Value))
            ? new PostalPlace(Town(bare), StateOf(bare.Groups["state"].Value), null, null)
            : null;
    }

    /// <summary>
    /// The line that says the place, as it is written in its country: <c>Portland, ME 04101</c>, <c>Bath BA1 1AA</c>, <c>04109 Leipzig</c>. What is written so
    /// is read by <see cref="Of"/> again; a state that does not stand on such a line is left out of it.
    /// </summary>
    /// <param name="country">Its country, by name or by two letters (ISO 3166); where it is none that is known, the form of the code decides.</param>
    public string Line(string country) =>
        (City, PostalCode) switch
        {
            ({ Length: > 0 } town, { Length: > 0 } code) when CodeFirst().IsMatch($"{code} {town}") && Countries.PutsCodeFirst(country) => $"{code} {town}",
            ({ Length: > 0 } town, { Length: > 0 } code) when CodeLast().IsMatch($"{town} {code}") => State is { Length: > 0 } county ? $"{town}, {county} {code}" : $"{town} {code}",
            _ => $"{City}, {State} {PostalCode}".Replace("  ", " ", StringComparison.Ordinal).Trim(',', ' '),
        };

    /// <summary>Whether a state has a place on that line.</summary>
    public bool StateStands(string country) => State is { Length: > 0 } && Line(country).Contains(State, StringComparison.Ordinal);

    private static string Town(Match match) => match.Groups["town"].Value.Trim().TrimEnd(',');

    private static string Code(Match match) => match.Groups["code"].Value.ToUpperInvariant();

    private const RegexOptions Plain = RegexOptions.ExplicitCapture | RegexOptions.CultureInvariant | RegexOptions.NonBacktracking;

    /// <summary>Portland, ME 04101 · Halifax, NS B3H 1A1 · Fremantle WA 6160.</summary>
    [GeneratedRegex(
        @"^(?<town>[^\d,]+?)(,\s*(?<state>[A-Za-z][A-Za-z ]*)|\s+(?<state>[A-Z]{2,3}))\s+(?<code>\d{5}(-\d{4})?|[A-Za-z]\d[A-Za-z] ?\d[A-Za-z]\d|\d{4})$",
        Plain
    )]
    private static partial Regex WithState();

    /// <summary>Bath BA1 1AA · Bath, Somerset BA1 1AA.</summary>
    [GeneratedRegex(@"^(?<town>[^\d,]+?)(,\s*(?<county>\p{L}[^\d,]*?))?,?\s+(?<code>[A-Z]{1,2}\d[A-Z\d]? ?\d[A-Z]{2})$", Plain)]
    private static partial Regex CodeLast();

    /// <summary>04109 Leipzig · A-1010 Wien · 1012 AB Amsterdam · 00-950 Warszawa · 114 55 Stockholm.</summary>
    [GeneratedRegex(@"^(?<code>\d{4} ?[A-Z]{2}|([A-Z]{1,3}-)?\d{4,5}|\d{3} \d{2}|\d{2}-\d{3}|\d{4}-\d{3})\s+(?<town>\p{L}[^,]*)$", Plain)]
    private static partial Regex CodeFirst();

    /// <summary>Portland, Maine.</summary>
    [GeneratedRegex(@"^(?<town>[^\d,]+?),\s*(?<state>[A-Z]{2}|[A-Za-z][A-Za-z ]+)$", Plain)]
    private static partial Regex WithoutCode();
}
