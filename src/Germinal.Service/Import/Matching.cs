using Germinal.Core.Contact;
using Germinal.Core.Time;

namespace Germinal.Service.Import;

/// <summary>Somebody a row may be: already there, or from an earlier row of the file.</summary>
/// <param name="Id">The person.</param>
/// <param name="Line">The earlier row's line; null for somebody already there.</param>
/// <param name="Called">What they are called, for doubts.</param>
/// <param name="Name">The name as it is compared.</param>
public sealed record MatchCandidate(
    Guid Id,
    int? Line,
    string? Email,
    string? Mobile,
    string? OtherPhone,
    string? Address,
    string Called,
    ComparedName Name,
    YearlyDate? Birthday
)
{
    /// <summary>A second email address of theirs.</summary>
    public string? OtherEmail { get; init; }
}

/// <summary>What matching found for a row.</summary>
/// <param name="Same">Who it is, and by what; null where it is nobody known.</param>
/// <param name="Doubts">Who it may be, or live with: guesses, which make nobody one.</param>
public sealed record Match((MatchCandidate Person, string By)? Same, IReadOnlyList<ImportDoubt> Doubts)
{
    public static Match Nobody { get; } = new(null, []);
}

/// <summary>
/// Who a row is the same as. Two are one only by the same email address or the same mobile number, and names that can be one
/// person's; or by being the very row that was brought in before. Everything else is a guess and said as one: another first name under
/// the same address or number may be of the same household, the same name with the same birthday, number or postal address the same
/// person.
/// </summary>
public sealed class Matching
{
    private readonly Dictionary<string, List<MatchCandidate>> byEmail = new(StringComparer.Ordinal);
    private readonly Dictionary<string, List<MatchCandidate>> byNumber = new(StringComparer.Ordinal);
    private readonly Dictionary<string, List<MatchCandidate>> byName = new(StringComparer.Ordinal);
    private readonly Dictionary<string, MatchCandidate> byFingerprint = new(StringComparer.Ordinal);

    // Every name under an address or number, of people who are here and of the whole list: whoever comes further down counts already.
    private readonly Dictionary<string, List<ComparedName>> namesUnder = new(StringComparer.Ordinal);

    /// <summary>Tells of a row that is still to come, so that what it says of who shares an address is known before it is its turn.</summary>
    public void Expect(ImportedRow row) => Note(row.ComparedName, row.Email, row.Mobile);

    /// <summary>Adds somebody rows may be the same as.</summary>
    public void Add(MatchCandidate person)
    {
        Note(person.Name, person.Email, person.OtherEmail, person.Mobile);
        Put(byEmail, person.Email, person);
        Put(byEmail, person.OtherEmail, person);
        Put(byNumber, person.Mobile, person);
        Put(byNumber, person.OtherPhone, person);
        Put(byName, KeyOf(person.Name), person);
    }

    /// <summary>Remembers which person a raw row became.</summary>
    public void AddFingerprint(string fingerprint, MatchCandidate person) => byFingerprint.TryAdd(fingerprint, person);

    /// <summary>Who a row is, and who it may be.</summary>
    public Match Find(ImportedRow row)
    {
        var name = row.ComparedName;
        var byAddress = Under(byEmail, row.Email);
        var byMobile = Under(byNumber, row.Mobile).Where(p => p.Mobile == row.Mobile).ToList();
        Match? uncertain = null;
        foreach (var (there, key, by) in new[] { (byAddress, row.Email, Said("the same email address")), (byMobile, row.Mobile, Said("the same mobile")) })
        {
            var can = there.Where(p => NameLikeness.CanBeSame(p.Name, name)).ToList();
            if (can.Count == 0)
            {
                continue;
            }

            // Whoever has the very name; else the only one it can be, of all who have that address or number, in the list too.
            if (can.Find(p => KeyOf(p.Name) is { } whole && whole == KeyOf(name)) is { } exact)
            {
                return new Match((exact, by), []);
            }

            if (can.Count == 1 && !FitsSeveral(key!, name) && !FitsSeveral(key!, can[0].Name))
            {
                return new Match((can[0], by + (name.IsBlank || can[0].Name.IsBlank ? "" : Said(" and a name that can be the same"))), []);
            }

            var which = can.Count > 1 ? Said("it may be one of them") : Said("it may be them, or somebody else of the list under it");
            uncertain ??= new Match(
                null,
                [new ImportDoubt(ImportField.Email, Say($"{by[..1].ToUpperInvariant()}{by[1..]} as {Listed(can)}: {which}. Brought in by itself."))]
            );
        }

        if (byFingerprint.TryGetValue(row.Fingerprint, out var before))
        {
            return new Match((before, Said("the same row, brought in before")), []);
        }

        if (uncertain is not null)
        {
            return uncertain;
        }

        var doubts = new List<ImportDoubt>();
        var others = byAddress.Concat(Under(byNumber, row.Mobile)).Concat(Under(byNumber, row.OtherPhone)).DistinctBy(p => p.Id).ToList();
        if (others.Count > 0)
        {
            var what = byAddress.Count > 0 ? Said("email address") : "number";
            var perhapsThey = others.Exists(p => !NameLikeness.AreTwoFirstNames(p.Name, name)) ? Said("the same person under another last name") : Said("of the same household");
            doubts.Add(
                new ImportDoubt(
                    byAddress.Count > 0 ? ImportField.Email : ImportField.Mobile,
                    Say($"The same {what} as {Listed(others)}, with another name: perhaps {perhapsThey}. Each is kept for themselves.")
                )
            );
        }

        var named = Under(byName, KeyOf(name)).Where(p => others.TrueForAll(o => o.Id != p.Id)).ToList();
        if (named.Find(p => SpeaksForIt(p, row) is not null) is { } perhaps)
        {
            doubts.Add(
                new ImportDoubt(
                    ImportField.LastName,
                    Say($"{perhaps.Called} {Where(perhaps)} has the same name and {SpeaksForIt(perhaps, row)}: perhaps the same person. Brought in by itself; look under “These may be the same”.")
                )
            );
        }

        return new Match(null, doubts);
    }

    /// <summary>True where a name fits several under one address who are not each other: an initial, a first name that is missing.</summary>
    private bool FitsSeveral(string key, ComparedName name)
    {
        var fits = namesUnder.GetValueOrDefault(key, []).FindAll(n => NameLikeness.CanBeSame(n, name));
        return fits.Exists(a => fits.Exists(b => !NameLikeness.CanBeSame(a, b)));
    }

    private void Note(ComparedName name, params ReadOnlySpan<string?> keys)
    {
        foreach (var key in keys)
        {
            if (key is null || name.IsBlank)
            {
                continue;
            }

            if (!namesUnder.TryGetValue(key, out var names))
            {
                namesUnder[key] = names = [];
            }

            if (!names.Exists(n => n.First.SequenceEqual(name.First) && n.Last.SequenceEqual(name.Last)))
            {
                names.Add(name);
            }
        }
    }

    /// <summary>What beside the name two have in common, or null.</summary>
    private static string? SpeaksForIt(MatchCandidate p, ImportedRow row) =>
        row.Birthday is { } born && p.Birthday == born ? "birthday"
        : row.OtherPhone is { } phone && (p.OtherPhone == phone || p.Mobile == phone) ? "number"
        : row.Address is { } address && address.Contains('\n', StringComparison.Ordinal) && p.Address == address ? Said("postal address")
        : null;

    private static string Where(MatchCandidate p) => p.Line is { } line ? Say($"of row {line}") : Said("who is here already");

    private static string Listed(IReadOnlyList<MatchCandidate> people)
    {
        var names = people.Take(3).Select(p => p.Line is { } line ? $"{p.Called} (row {line})" : p.Called).ToList();
        return people.Count > 3 ? Say($"{string.Join(", ", names)} and others")
            : ContactWords.Listed(names);
    }

    /// <summary>The whole name, where both parts are known; a first name alone says too little.</summary>
    private static string? KeyOf(ComparedName name) =>
        name.First.Count > 0 && name.Last.Count > 0 ? $"{string.Join(' ', name.Last)}/{string.Join(' ', name.First)}" : null;

    private static List<MatchCandidate> Under(Dictionary<string, List<MatchCandidate>> index, string? key) =>
        key is not null && index.TryGetValue(key, out var list) ? list : [];

    private static void Put(Dictionary<string, List<MatchCandidate>> index, string? key, MatchCandidate person)
    {
        if (key is null)
        {
            return;
        }

        if (!index.TryGetValue(key, out var list))
        {
            index[key] = list = [];
        }

        list.Add(person);
    }
}
