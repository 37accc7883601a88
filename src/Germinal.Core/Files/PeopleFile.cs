using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using NodaTime;

namespace Germinal.Core.Files;

/// <summary>
/// The columns of the people file and what a row of it says of a person. Splitting the file into cells is the caller's.
/// </summary>
public static class PeopleFile
{
    private static readonly string[] Columns =
    [
        "id",
        "first_name",
        "last_name",
        "email",
        "mobile",
        "address",
        "zone",
        "birthday",
        "owner",
        "stage",
        "tags",
        "lists",
        "email_consent",
        "text_consent",
        "call_consent",
        "post_consent",
        "do_not_contact",
        "added",
    ];

    /// <summary>The id of a person that a file names by a word.</summary>
    public static Guid PersonId(string handle) => StableId.Of(Guid.Empty, $"person/{handle}");

    /// <summary>What is wrong with the header row; empty when nothing is.</summary>
    public static IReadOnlyList<string> HeaderFindings(IReadOnlyList<string> header)
    {
        var findings = new List<string>();
        if (!header.Contains("id", StringComparer.Ordinal))
        {
            findings.Add("The column “id” is missing; every person needs one.");
        }

        findings.AddRange(
            header.Where(c => !IsColumn(c)).Select(c => $"“{c}” is not a column; {string.Join(", ", Columns)}, date:NAME and custom:NAME are.")
        );
        findings.AddRange(header.GroupBy(c => c, StringComparer.Ordinal).Where(g => g.Count() > 1).Select(g => $"The column “{g.Key}” stands there twice."));
        return findings;
    }

    /// <summary>The facts of one row; findings (without file and line) go to <paramref name="errors"/>.</summary>
    /// <param name="cells">The cells by column; a column may be missing.</param>
    /// <param name="practice">For zone and owners.</param>
    /// <param name="errors">What is wrong.</param>
    public static PersonFacts Read(IReadOnlyDictionary<string, string> cells, Practice practice, List<string> errors)
    {
        string? Cell(string column) => cells.TryGetValue(column, out var text) && text.Trim() is { Length: > 0 } value ? value : null;
        var id = Cell("id");
        if (id is null)
        {
            errors.Add("The id is missing.");
        }

        var zone = Cell("zone");
        if (zone is not null && LocalClock.Zone(zone) is null)
        {
            errors.Add($"There is no zone “{zone}”; an IANA name like America/Denver would be right.");
        }

        var owner = Cell("owner");
        var dates = new List<KeyDate>();
        foreach (var column in cells.Keys.Where(c => c == "birthday" || c.StartsWith("date:", StringComparison.Ordinal)))
        {
            if (Cell(column) is not { } text)
            {
                continue;
            }

            if (YearlyDate.TryParse(text) is { } date)
            {
                dates.Add(new KeyDate(column == "birthday" ? column : column[5..], date, Yearly: true));
            }
            else
            {
                errors.Add($"“{text}” in {column} is not a date; 1990-02-28 or --02-28 would be.");
            }
        }

        return new PersonFacts
        {
            Id = PersonId(id ?? ""),
            Handle = id ?? "",
            FirstName = Cell("first_name"),
            LastName = Cell("last_name"),
            Email = Cell("email"),
            Mobile = Cell("mobile"),
            Address = Cell("address"),
            Zone = LocalClock.Zone(zone),
            OwnerId = owner is null ? null : PracticeFile.MemberId(owner),
            Owner = owner,
            Stage = Cell("stage"),
            Tags = Several(Cell("tags")),
            Lists = Several(Cell("lists")),
            KeyDates = dates,
            Custom = cells
                .Keys.Where(c => c.StartsWith("custom:", StringComparison.Ordinal) && Cell(c) is not null)
                .ToFrozenDictionary(c => c[7..], c => Cell(c)!, StringComparer.OrdinalIgnoreCase),
            Consent = [.. ContactWords.Channels.Select(c => ReadConsent(c.Value, $"{c.Word}_consent", Cell, practice, errors)).OfType<ConsentEntry>()],
            DoNotContact = ReadFlag("do_not_contact", Cell, errors),
            Added = ReadMoment("added", Cell, practice, errors),
        };
    }

    private static bool IsColumn(string column) =>
        Columns.Contains(column, StringComparer.Ordinal)
        || (column.StartsWith("date:", StringComparison.Ordinal) && column.Length > 5)
        || (column.StartsWith("custom:", StringComparison.Ordinal) && column.Length > 7);

    private static FrozenSet<string> Several(string? cell) =>
        (cell ?? "").Split(';', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries).ToFrozenSet(StringComparer.OrdinalIgnoreCase);

    private static bool ReadFlag(string column, Func<string, string?> cell, List<string> errors)
    {
        var text = cell(column)?.ToLowerInvariant();
        if (text is null or "no" or "false" or "0")
        {
            return false;
        }

        if (text is not ("yes" or "true" or "1"))
        {
            errors.Add($"“{text}” in {column} should be yes or no.");
        }

        return true;
    }

    /// <summary>A date, a local time of the practice or an instant; the beginning of time where there is none.</summary>
    private static Instant ReadMoment(string column, Func<string, string?> cell, Practice practice, List<string> errors)
    {
        if (cell(column) is not { } text)
        {
            return NodaConstants.UnixEpoch;
        }

        if (Moments.Read(text, practice.Zone) is { } moment)
        {
            return moment;
        }

        errors.Add($"“{text}” in {column} is not a date; 2027-03-09 would be.");
        return NodaConstants.UnixEpoch;
    }

    private static ConsentEntry? ReadConsent(Channel channel, string column, Func<string, string?> cell, Practice practice, List<string> errors)
    {
        if (cell(column) is not { } text)
        {
            return null;
        }

        var parts = text.Split('@', 2);
        LocalDate? date = parts.Length == 2 ? Dates.TryParse(parts[1]) : null;
        ConsentBasis? basis = (parts[0], parts.Length == 2, date) switch
        {
            ("in", false, _) or ("out", false, _) => ConsentBasis.Express,
            ("inquiry", true, not null) => ConsentBasis.Inquiry,
            ("client", true, not null) => ConsentBasis.Client,
            _ => null,
        };
        if (basis is null)
        {
            errors.Add($"“{text}” in {column} is not a consent; in, out, inquiry@2027-03-09 or client@2027-03-09 would be.");
            return null;
        }

        // One without a date was always so.
        var at = date is null ? Instant.MinValue : LocalClock.At(date.Value.AtMidnight(), practice.Zone);
        return new ConsentEntry(channel, Purpose.Commercial, null, parts[0] != "out", basis.Value, at, "people file");
    }
}
