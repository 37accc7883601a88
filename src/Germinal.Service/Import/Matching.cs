using Germinal.Core.Time;

namespace Germinal.Service.Import;

/// <summary>Somebody a row may be: already there, or from an earlier row of the file.</summary>
/// <param name="Id">The person.</param>
/// <param name="Line">The earlier row's line; null for somebody already there.</param>
public sealed record MatchCandidate(
    Guid Id,
    int? Line,
    string? Email,
    string? Mobile,
    string? OtherPhone,
    string? Address,
    string FoldedName,
    YearlyDate? Birthday
);

/// <summary>
/// Who a row is the same as: same address regardless of case; else same mobile and similar name; else same name and
/// birthday; else the same row brought in before, or the same name with the same other number or postal address.
/// </summary>
public sealed class Matching
{
    private readonly Dictionary<string, MatchCandidate> byEmail = new(StringComparer.Ordinal);
    private readonly Dictionary<string, List<MatchCandidate>> byMobile = new(StringComparer.Ordinal);
    private readonly Dictionary<string, List<MatchCandidate>> byName = new(StringComparer.Ordinal);
    private readonly Dictionary<string, MatchCandidate> byFingerprint = new(StringComparer.Ordinal);

    /// <summary>Adds somebody rows may be the same as. The first with an address keeps it.</summary>
    public void Add(MatchCandidate person)
    {
        if (person.Email is { } email)
        {
            byEmail.TryAdd(email, person);
        }

        if (person.Mobile is { } mobile)
        {
            List(byMobile, mobile).Add(person);
        }

        if (person.FoldedName.Length > 0)
        {
            List(byName, person.FoldedName).Add(person);
        }
    }

    /// <summary>Remembers which person a raw row became.</summary>
    public void AddFingerprint(string fingerprint, MatchCandidate person) => byFingerprint.TryAdd(fingerprint, person);

    /// <summary>The person a row is the same as, and by what; or null.</summary>
    public (MatchCandidate Person, string By)? Find(ImportedRow row)
    {
        if (row.Email is { } email && byEmail.TryGetValue(email, out var same))
        {
            return (same, "the same address");
        }

        if (row.Mobile is { } mobile && byMobile.TryGetValue(mobile, out var shared) && shared.Find(p => Similar(p.FoldedName, row.FoldedName)) is { } phone)
        {
            return (phone, "the same mobile and a similar name");
        }

        if (row.FoldedName.Length > 0 && byName.TryGetValue(row.FoldedName, out var named))
        {
            if (row.Birthday is { } born && named.Find(p => p.Birthday == born && NoOther(p.Email, row.Email)) is { } birthday)
            {
                return (birthday, "the same name and birthday");
            }

            if (
                named.Find(p =>
                    NoOther(p.Email, row.Email)
                    && NoOther(p.Mobile, row.Mobile)
                    && (
                        (row.OtherPhone is not null && p.OtherPhone == row.OtherPhone)
                        || (row.Address is not null && row.Address.Contains('\n', StringComparison.Ordinal) && p.Address == row.Address)
                    )
                ) is
                { } near
            )
            {
                return (near, "the same name and number or address");
            }
        }

        return byFingerprint.TryGetValue(row.Fingerprint, out var before) ? (before, "the same row, brought in before") : null;
    }

    /// <summary>True when two values do not contradict each other.</summary>
    private static bool NoOther(string? a, string? b) => a is null || b is null || a == b;

    /// <summary>Folded “last first” names that differ by a short form or a slip of the pen.</summary>
    private static bool Similar(string a, string b)
    {
        if (a.Length == 0 || b.Length == 0 || a == b)
        {
            return true;
        }

        var (x, y) = (a.Split(' '), b.Split(' '));
        return (x[0] == y[0] && x[^1][0] == y[^1][0]) || x.Intersect(y, StringComparer.Ordinal).Any(w => w.Length > 3);
    }

    private static List<MatchCandidate> List(Dictionary<string, List<MatchCandidate>> index, string key)
    {
        if (!index.TryGetValue(key, out var list))
        {
            index[key] = list = [];
        }

        return list;
    }
}
