using System.Security.Cryptography;
using System.Text;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Store;
using NodaTime;

namespace Germinal.Service.Import;

/// <summary>What a cell says of consent.</summary>
/// <param name="In">Yes or no.</param>
/// <param name="Basis">What it stands on.</param>
/// <param name="Since">When it was given, where the cell says so.</param>
public sealed record SaidConsent(bool In, ConsentBasis Basis, LocalDate? Since);

/// <summary>A doubt about one field of a row.</summary>
public sealed record ImportDoubt(string Field, string Text);

/// <summary>One row of a file, read. <see cref="LeftOut"/> says why nobody comes of it.</summary>
public sealed record ImportedRow
{
    public required int Line { get; init; }

    /// <summary>Of the raw cells: the same row in another import is the same person.</summary>
    public required string Fingerprint { get; init; }

    public string? FirstName { get; init; }

    public string? LastName { get; init; }

    public string? Email { get; init; }

    public string? OtherEmail { get; init; }

    public string? Mobile { get; init; }

    public string? MobileExtension { get; init; }

    public string? OtherPhone { get; init; }

    public string? OtherPhoneExtension { get; init; }

    public string? Address { get; init; }

    public string? Source { get; init; }

    public Guid? OwnerId { get; init; }

    public IReadOnlyDictionary<string, YearlyDate> Dates { get; init; } = new Dictionary<string, YearlyDate>();

    /// <summary>What stands in columns of the practice's own fields, by their keys, in the form it is kept in.</summary>
    public IReadOnlyDictionary<string, string> Own { get; init; } = new Dictionary<string, string>();

    public IReadOnlyList<string> Tags { get; init; } = [];

    /// <summary>Who it is here, in a list that came out of Germinal; null where the list does not say.</summary>
    public Guid? Id { get; init; }

    /// <summary>IANA zone, or null.</summary>
    public string? ZoneId { get; init; }

    /// <summary><c>Pipeline/Stage</c>, or null.</summary>
    public string? Stage { get; init; }

    public IReadOnlyList<string> Lists { get; init; } = [];

    /// <summary>Since when they are here, or null.</summary>
    public Instant? Added { get; init; }

    public IReadOnlyDictionary<Channel, SaidConsent> Consent { get; init; } = new Dictionary<Channel, SaidConsent>();

    public string? Note { get; init; }

    /// <summary>Why the person is brought in as do-not-contact, or null.</summary>
    public string? DoNotContact { get; init; }

    /// <summary>True where that was read from a remark, and somebody is to confirm it.</summary>
    public bool DoNotContactToConfirm { get; init; }

    public IReadOnlyList<ImportDoubt> Doubts { get; init; } = [];

    public string? LeftOut { get; init; }

    /// <summary>The name for lists of doubts.</summary>
    public string Name => PersonName.Of(FirstName, LastName, Email, Mobile);

    /// <summary>First and last name, folded as people are sorted by.</summary>
    public string FoldedName => PersonNames.Fold($"{LastName} {FirstName}".Trim());

    /// <summary>The name as it is compared with others.</summary>
    public ComparedName ComparedName => PersonNames.Compared(FirstName, LastName);

    public YearlyDate? Birthday => Dates.TryGetValue("birthday", out var d) ? d : null;
}

/// <summary>Reads rows by what each column was said to be.</summary>
/// <param name="columns">What each column is, by position.</param>
/// <param name="practice">The practice: its members, stages and zone.</param>
/// <param name="dayFirst">The practice’s order of dates.</param>
/// <param name="phoneRegion">Where numbers without a country are.</param>
/// <param name="today">The practice’s date.</param>
/// <param name="own">Its own fields.</param>
/// <param name="meanings">What values mean, said once for the whole list: by field, by the value as written; empty for “leave out”.</param>
public sealed class RowReader(
    string[] columns,
    Practice practice,
    bool dayFirst,
    string phoneRegion,
    LocalDate today,
    IReadOnlyList<OwnField>? own = null,
    IReadOnlyDictionary<string, Dictionary<string, string>>? meanings = null
)
{
    private readonly Dictionary<string, bool> orders = new(StringComparer.Ordinal);

    /// <summary>Looks through the dates of a list first, so that each column is read in the order its values allow.</summary>
    public RowReader Knowing(ListTable table)
    {
        foreach (var (column, i) in columns.Select((c, i) => (c, i)).Where(c => MayHaveDates(c.c)))
        {
            orders[column] = CellReading.IsDayFirst(table.Records.Select(r => r.Cells[i]), dayFirst);
        }

        return this;
    }

    /// <summary>True for a value of an owner, a stage or a choice that nobody here knows, whatever it was said to mean.</summary>
    public bool IsUnknown(string field, string cell) =>
        (
            field switch
            {
                ImportField.Owner => OwnerOf(cell).Doubt,
                ImportField.Stage => StageOf(cell).Doubt,
                _ => (own ?? []).FirstOrDefault(f => ImportField.OwnPrefix + f.Key == field) is { } named ? OwnOf(named, cell).Doubt : null,
            }
        )
            is not null;

    private static bool MayHaveDates(string column) =>
        column is ImportField.Birthday or ImportField.Added
        || column.StartsWith(ImportField.DatePrefix, StringComparison.Ordinal)
        || column.StartsWith(ImportField.OwnPrefix, StringComparison.Ordinal);

    private bool DayFirst(string field) => orders.GetValueOrDefault(field, dayFirst);

    /// <summary>What a member said a value means; null where nobody said anything.</summary>
    public string? Meant(string field, string cell) =>
        meanings is not null && meanings.TryGetValue(field, out var said) ? said.FirstOrDefault(m => string.Equals(m.Key, cell.Trim(), StringComparison.OrdinalIgnoreCase)).Value : null;

    /// <summary>Reads one record.</summary>
    public ImportedRow Read(ListRecord record)
    {
        var doubts = new List<ImportDoubt>();
        string Cell(string field) => Array.IndexOf(columns, field) is var i and >= 0 && i < record.Cells.Length ? record.Cells[i] : "";
        T Take<T>(string field, Reading<T> reading)
        {
            if (reading.Doubt is { } doubt)
            {
                doubts.Add(new ImportDoubt(field, doubt));
            }

            return reading.Value;
        }

        var (first, last) = CellReading.Names(Cell(ImportField.FirstName), Cell(ImportField.LastName), Cell(ImportField.FullName));
        var (email, otherEmail) = Take(ImportField.Email, CellReading.Emails(Cell(ImportField.Email)));
        var (mobile, mobileExtension) = Take(ImportField.Mobile, CellReading.Phone(Cell(ImportField.Mobile), phoneRegion));
        var (phone, phoneExtension) = Take(ImportField.OtherPhone, CellReading.Phone(Cell(ImportField.OtherPhone), phoneRegion));
        var dates = new Dictionary<string, YearlyDate>(StringComparer.OrdinalIgnoreCase);
        foreach (var field in columns.Where(c => c == ImportField.Birthday || c.StartsWith(ImportField.DatePrefix, StringComparison.Ordinal)))
        {
            if (Take(field, CellReading.Date(Cell(field), DayFirst(field), today)) is { } date)
            {
                dates[field.StartsWith(ImportField.DatePrefix, StringComparison.Ordinal) ? field[ImportField.DatePrefix.Length..] : field] = date;
            }
        }

        var owned = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
        foreach (var field in (own ?? []).Where(f => columns.Contains(ImportField.OwnPrefix + f.Key, StringComparer.Ordinal)))
        {
            var column = ImportField.OwnPrefix + field.Key;
            if (Take(column, OwnOf(field, Cell(column))) is { Length: > 0 } kept)
            {
                owned[field.Key] = kept;
            }
        }

        var note = Cell(ImportField.Notes).Trim();
        var row = new ImportedRow
        {
            Line = record.Line,
            Fingerprint = Convert.ToHexString(SHA256.HashData(Encoding.UTF8.GetBytes(string.Join('\u001f', record.Cells.Select(CellReading.Clean)))))[..32],
            FirstName = first,
            LastName = last,
            Email = email,
            OtherEmail = otherEmail ?? Take(ImportField.OtherEmail, CellReading.Emails(Cell(ImportField.OtherEmail))).Email,
            Mobile = mobile,
            MobileExtension = mobileExtension,
            OtherPhone = phone,
            OtherPhoneExtension = phoneExtension,
            Address = AddressOf(Cell),
            Id = Guid.TryParse(Cell(ImportField.Id), out var id) ? id : null,
            ZoneId = Take(ImportField.Zone, ZoneOf(Cell(ImportField.Zone))),
            Stage = Take(ImportField.Stage, StageOf(Cell(ImportField.Stage))),
            Lists = SeveralOf(Cell(ImportField.Lists)),
            Added = Take(ImportField.Added, MomentOf(Cell(ImportField.Added))),
            Source = CellReading.Clean(Cell(ImportField.Source)) is { Length: > 0 } source ? source : null,
            OwnerId = Take(ImportField.Owner, OwnerOf(Cell(ImportField.Owner))),
            Dates = dates,
            Own = owned,
            Tags = SeveralOf(Cell(ImportField.Tags)),
            Consent = ImportField
                .ConsentOf.Select(c => (c.Value, Said: Take(c.Key, CellReading.Consent(Cell(c.Key)))))
                .Where(c => c.Said is not null)
                .ToDictionary(c => c.Value, c => c.Said!),
            Note = note.Length == 0 ? null : note,
        };

        var nobody = row.FirstName is null && row.LastName is null && row.Email is null && row.Mobile is null && row.OtherPhone is null;
        var leftOut =
            record.Cells.All(string.IsNullOrWhiteSpace) ? Said("The row is empty.")
            : nobody && record.Cells.Any(CellReading.SaysTotal) ? Said("The row is a total, not a person.")
            : new[] { ImportField.FirstName, ImportField.LastName, ImportField.FullName }.Any(f => CellReading.SaysTotal(Cell(f)))
            && row.Email is null
            && row.Mobile is null
            && row.OtherPhone is null
                ? Said("The row is a total, not a person.")
            : nobody ? Said("The row names nobody: no name, no email, no number.")
            : null;
        var saysSo = Take(ImportField.DoNotContact, CellReading.YesOrNo(Cell(ImportField.DoNotContact))) == true;
        var byRemark = !saysSo && (CellReading.SaysDied(note) || CellReading.SaysNoContact(note));
        if (byRemark)
        {
            doubts.Add(new ImportDoubt(ImportField.Notes, Say($"The remark says “{Short(note)}”: brought in as do not contact, to be confirmed.")));
        }

        return row with
        {
            Doubts = doubts,
            LeftOut = leftOut,
            DoNotContact =
                byRemark ? note
                : saysSo ? Said("the list says so")
                : null,
            DoNotContactToConfirm = byRemark,
        };
    }

    private static List<string> SeveralOf(string cell) =>
    [
        .. cell.Split(cell.Contains(';', StringComparison.Ordinal) ? [';'] : new[] { ',', '|' }, StringSplitOptions.RemoveEmptyEntries)
            .Select(CellReading.Clean)
            .Where(t => t.Length > 0)
            .Distinct(StringComparer.OrdinalIgnoreCase),
    ];

    private static Reading<string?> ZoneOf(string cell) =>
        cell.Trim() is not { Length: > 0 } name ? new(null)
        : LocalClock.Zone(name) is { } zone ? new(zone.Id)
        : new(null, Say($"There is no time zone “{name}”; an IANA name like America/Denver would be right. The zone is left open."));

    /// <summary>A stage as <c>Pipeline/Stage</c>, or by its own name where only one pipeline has it; or what it was said to be.</summary>
    private Reading<string?> StageOf(string cell)
    {
        var wanted = CellReading.Clean(cell);
        if (wanted.Length == 0)
        {
            return new(null);
        }

        if (Meant(ImportField.Stage, cell) is { } meant)
        {
            return new(meant.Length == 0 ? null : meant);
        }

        var all = practice.Pipelines.SelectMany(p => p.Stages.Select(s => (Whole: $"{p.Name}/{s}", Own: s))).ToList();
        var fits = all.Where(s => string.Equals(s.Whole, wanted, StringComparison.OrdinalIgnoreCase)).ToList();
        fits = fits.Count > 0 ? fits : [.. all.Where(s => string.Equals(s.Own, wanted, StringComparison.OrdinalIgnoreCase))];
        return fits.Count == 1 ? new(fits[0].Whole)
            : new(null, fits.Count == 0 ? Say($"There is no stage “{wanted}”; the stage is left open.") : Say($"“{wanted}” is a stage of several pipelines; the stage is left open."));
    }

    private Reading<Instant?> MomentOf(string cell)
    {
        if (Moments.Read(cell.Trim(), practice.Zone) is { } moment)
        {
            return new(moment);
        }

        var date = CellReading.Date(cell, DayFirst(ImportField.Added), today);
        return date.Value is { Year: { } year } d ? new(LocalClock.At(new LocalDate(year, d.Month, d.Day).AtMidnight(), practice.Zone)) : new(null, date.Doubt);
    }

    /// <summary>A cell of a field of the practice's own. Dates are read as messily as other dates; several choices may be parted by <c>;</c>, <c>,</c> or <c>|</c>.</summary>
    private Reading<string?> OwnOf(OwnField field, string cell)
    {
        if (field.Kind is OwnFieldKind.Date or OwnFieldKind.YearlyDate)
        {
            var date = CellReading.Date(cell, DayFirst(ImportField.OwnPrefix + field.Key), today);
            return date.Value is { Year: null } && field.Kind == OwnFieldKind.Date
                ? new(null, Say($"“{cell.Trim()}” has no year. The value is left out."))
                : new(date.Value?.ToString(), date.Doubt);
        }

        if (Meant(ImportField.OwnPrefix + field.Key, cell) is { } meant)
        {
            return new(meant.Length == 0 ? null : meant);
        }

        var text = field.Kind == OwnFieldKind.Choices && !field.Options.Any(o => o.Contains(',', StringComparison.Ordinal)) ? cell.Replace(',', ';').Replace('|', ';') : cell;
        var (kept, problem) = field.Read(text);
        return new(kept, problem is null ? null : Say($"{problem} The value is left out."));
    }

    private static string Short(string text) => text.Length <= 60 ? text : text[..57] + "…";

    // A place is written as in its country; a state that has no place on its line there stands on a line above.
    private string? AddressOf(Func<string, string> cell)
    {
        string[] LinesOf(string text) => [.. text.ReplaceLineEndings("\n").Split('\n').Select(CellReading.Clean)];
        string Part(string field) => CellReading.Clean(cell(field));
        var place = new PostalPlace(Part(ImportField.City), Part(ImportField.State), Part(ImportField.Zip), Part(ImportField.Country));
        var country = place.Country is { Length: > 0 } named ? named : phoneRegion;
        string[] parts = [.. LinesOf(cell(ImportField.Street)), place.StateStands(country) ? "" : place.State!, place.Line(country), place.Country!];
        var lines = (parts.Any(l => l.Length > 0) ? parts : LinesOf(cell(ImportField.Address))).Where(l => l.Length > 0).ToList();
        return lines.Count == 0 ? null : string.Join('\n', lines);
    }

    /// <summary>A member by name, “T. Brandt” for Tomas Brandt included.</summary>
    private Reading<Guid?> OwnerOf(string cell)
    {
        var wanted = PersonNames.Fold(CellReading.Clean(cell));
        if (wanted.Length == 0)
        {
            return new(null);
        }

        if (Meant(ImportField.Owner, cell) is { } meant)
        {
            return new(Guid.TryParse(meant, out var member) && practice.Members.Any(m => m.Id == member) ? member : null);
        }

        var fits = practice
            .Members.Where(m =>
            {
                var name = PersonNames.Fold(m.Name);
                var parts = name.Split(' ');
                return name == wanted
                    || $"{parts[0][0]}. {parts[^1]}" == wanted
                    || $"{parts[0][0]} {parts[^1]}" == wanted
                    || parts[0] == wanted
                    || parts[^1] == wanted;
            })
            .ToList();
        return fits.Count == 1 ? new(fits[0].Id) : new(null, Say($"Nobody here is called “{cell.Trim()}”; the owner is left open."));
    }
}
