using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Core.Files;

/// <summary>
/// The columns of the people file, what a row of it says of a person, and a person as a row. Splitting a file into cells is the caller's.
/// </summary>
public static class PeopleFile
{
    /// <summary>A second address that is kept and not written to; the engine has no use for it.</summary>
    public const string OtherEmail = "other_email";

    private const string DatePrefix = "date:";
    private const string CustomPrefix = "custom:";

    private static readonly string[] Columns =
    [
        "id",
        "first_name",
        "last_name",
        "email",
        OtherEmail,
        "mobile",
        "other_phone",
        "address",
        "zone",
        "birthday",
        "owner",
        "stage",
        "source",
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
            findings.Add(Said("The column “id” is missing; every person needs one."));
        }

        findings.AddRange(
            header.Where(c => !IsColumn(c)).Select(c => Say($"“{c}” is not a column; {string.Join(", ", Columns)}, date:NAME and custom:NAME are."))
        );
        findings.AddRange(header.GroupBy(c => c, StringComparer.Ordinal).Where(g => g.Count() > 1).Select(g => Say($"The column “{g.Key}” stands there twice.")));
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
            errors.Add(Said("The id is missing."));
        }

        var zone = Cell("zone");
        if (zone is not null && LocalClock.Zone(zone) is null)
        {
            errors.Add(Say($"There is no zone “{zone}”; an IANA name like America/Denver would be right."));
        }

        var owner = Cell("owner");
        var dates = new List<KeyDate>();
        foreach (var column in cells.Keys.Where(c => c == "birthday" || c.StartsWith(DatePrefix, StringComparison.Ordinal)))
        {
            if (Cell(column) is not { } text)
            {
                continue;
            }

            if (YearlyDate.TryParse(text) is { } date)
            {
                dates.Add(new KeyDate(column == "birthday" ? column : column[DatePrefix.Length..], date, Yearly: true));
            }
            else
            {
                errors.Add(Say($"“{text}” in {column} is not a date; 1990-02-28 or --02-28 would be."));
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
            OtherPhone = Cell("other_phone"),
            Source = Cell("source"),
            Address = Cell("address"),
            Zone = LocalClock.Zone(zone),
            OwnerId = owner is null ? null : PracticeFile.MemberId(owner),
            Owner = owner,
            Stage = Cell("stage"),
            Tags = Several(Cell("tags")),
            Lists = Several(Cell("lists")),
            KeyDates = dates,
            Custom = cells
                .Keys.Where(c => c.StartsWith(CustomPrefix, StringComparison.Ordinal) && Cell(c) is not null)
                .ToFrozenDictionary(c => c[CustomPrefix.Length..], c => Cell(c)!, StringComparer.OrdinalIgnoreCase),
            Consent = [.. ContactWords.Channels.Select(c => ReadConsent(c.Value, $"{c.Word}_consent", Cell, practice, errors)).OfType<ConsentEntry>()],
            DoNotContact = ReadFlag("do_not_contact", Cell, errors),
            Added = ReadMoment("added", Cell, practice, errors),
        };
    }

    /// <summary>The header of a file of people: every column, then their key dates and their fields of the practice’s own by name.</summary>
    public static IReadOnlyList<string> Header(IEnumerable<string> dates, IEnumerable<string> custom) =>
        [.. Columns, .. dates.Where(d => !Is(d, "birthday")).Select(d => DatePrefix + d), .. custom.Select(c => CustomPrefix + c)];

    /// <summary>
    /// A person as a row: the opposite of <see cref="Read"/>. Of consent what is newest for commercial messages of any topic; whoever has died
    /// is not to be contacted. What the file has no column for (a moment of consent, a date that comes once, a relation) is not in it.
    /// </summary>
    /// <returns>The cells by column; one without a value is missing.</returns>
    public static IReadOnlyDictionary<string, string> Cells(PersonFacts person, Practice practice)
    {
        var cells = new Dictionary<string, string>(StringComparer.Ordinal);
        void Put(string column, string? value)
        {
            if (!string.IsNullOrEmpty(value))
            {
                cells[column] = value;
            }
        }

        Put("id", person.Handle);
        Put("first_name", person.FirstName);
        Put("last_name", person.LastName);
        Put("email", person.Email);
        Put("mobile", person.Mobile);
        Put("other_phone", person.OtherPhone);
        Put("address", person.Address);
        Put("zone", person.Zone?.Id);
        Put("owner", person.Owner);
        Put("stage", person.Stage);
        Put("source", person.Source);
        Put("tags", Joined(person.Tags));
        Put("lists", Joined(person.Lists));
        foreach (var (word, channel) in ContactWords.Channels)
        {
            Put($"{word}_consent", ConsentOf(person, channel, practice));
        }

        Put("do_not_contact", person.DoNotContact || person.Died ? "yes" : null);
        Put("added", person.Added == NodaConstants.UnixEpoch ? null : InstantPattern.ExtendedIso.Format(person.Added));
        foreach (var date in person.KeyDates)
        {
            Put(Is(date.Name, "birthday") ? "birthday" : DatePrefix + date.Name, date.Date.ToString());
        }

        foreach (var (name, value) in person.Custom)
        {
            Put(CustomPrefix + name, value);
        }

        return cells;
    }

    /// <summary>Several values of one cell; one that could be taken for several is closed by the sign that parts them.</summary>
    private static string Joined(IEnumerable<string> values)
    {
        var text = string.Join(';', values.Order(StringComparer.OrdinalIgnoreCase));
        return !text.Contains(';', StringComparison.Ordinal) && text.AsSpan().IndexOfAny(',', '|') >= 0 ? text + ";" : text;
    }

    private static string? ConsentOf(PersonFacts person, Channel channel, Practice practice)
    {
        var said = person.Consent.Where(c => c.Channel == channel && c.Topic is null && c.Purpose != Purpose.Transactional).OrderBy(c => c.At).LastOrDefault();
        return said is null ? null
            : !said.In ? "out"
            : said.Basis == ConsentBasis.Express ? "in"
            : $"{ContactWords.Of(said.Basis)}@{LocalDatePattern.Iso.Format(said.At.InZone(practice.Zone).Date)}";
    }

    private static bool Is(string a, string b) => string.Equals(a, b, StringComparison.OrdinalIgnoreCase);

    private static bool IsColumn(string column) =>
        Columns.Contains(column, StringComparer.Ordinal)
        || (column.StartsWith(DatePrefix, StringComparison.Ordinal) && column.Length > DatePrefix.Length)
        || (column.StartsWith(CustomPrefix, StringComparison.Ordinal) && column.Length > CustomPrefix.Length);

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
            errors.Add(Say($"“{text}” in {column} should be yes or no."));
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

        errors.Add(Say($"“{text}” in {column} is not a date; 2027-03-09 would be."));
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
            errors.Add(Say($"“{text}” in {column} is not a consent; in, out, inquiry@2027-03-09 or client@2027-03-09 would be."));
            return null;
        }

        // One without a date was always so.
        var at = date is null ? Instant.MinValue : LocalClock.At(date.Value.AtMidnight(), practice.Zone);
        return new ConsentEntry(channel, Purpose.Commercial, null, parts[0] != "out", basis.Value, at, Said("people file"));
    }
}
