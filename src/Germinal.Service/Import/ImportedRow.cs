using System.Security.Cryptography;
using System.Text;
using Germinal.Core.Contact;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Store;
using NodaTime;

namespace Germinal.Service.Import;

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

    public bool? EmailConsent { get; init; }

    public string? Note { get; init; }

    /// <summary>Why the person is brought in as do-not-contact, or null.</summary>
    public string? DoNotContact { get; init; }

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
public sealed class RowReader(string[] columns, Practice practice, bool dayFirst, string phoneRegion, LocalDate today, IReadOnlyList<OwnField>? own = null)
{
    /// <summary>Reads one record.</summary>
    public ImportedRow Read(CsvRecord record)
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
            if (Take(field, CellReading.Date(Cell(field), dayFirst, today)) is { } date)
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
            OtherEmail = otherEmail,
            Mobile = mobile,
            MobileExtension = mobileExtension,
            OtherPhone = phone,
            OtherPhoneExtension = phoneExtension,
            Address = AddressOf(Cell),
            Source = CellReading.Clean(Cell(ImportField.Source)) is { Length: > 0 } source ? source : null,
            OwnerId = Take(ImportField.Owner, OwnerOf(Cell(ImportField.Owner))),
            Dates = dates,
            Own = owned,
            Tags =
            [
                .. Cell(ImportField.Tags)
                    .Split([';', ',', '|'], StringSplitOptions.RemoveEmptyEntries)
                    .Select(CellReading.Clean)
                    .Where(t => t.Length > 0)
                    .Distinct(StringComparer.OrdinalIgnoreCase),
            ],
            EmailConsent = Take(ImportField.EmailConsent, CellReading.Consent(Cell(ImportField.EmailConsent))),
            Note = note.Length == 0 ? null : note,
        };

        var nobody = row.FirstName is null && row.LastName is null && row.Email is null && row.Mobile is null && row.OtherPhone is null;
        var leftOut =
            record.Cells.All(string.IsNullOrWhiteSpace) ? "The row is empty."
            : nobody && record.Cells.Any(CellReading.SaysTotal) ? "The row is a total, not a person."
            : new[] { ImportField.FirstName, ImportField.LastName, ImportField.FullName }.Any(f => CellReading.SaysTotal(Cell(f)))
            && row.Email is null
            && row.Mobile is null
            && row.OtherPhone is null
                ? "The row is a total, not a person."
            : nobody ? "The row names nobody: no name, no email, no number."
            : null;
        var doNotContact = CellReading.SaysDied(note) || CellReading.SaysNoContact(note) ? note : null;
        if (doNotContact is not null)
        {
            doubts.Add(new ImportDoubt(ImportField.Notes, $"The remark says “{Short(note)}”: brought in as do not contact, to be confirmed."));
        }

        return row with
        {
            Doubts = doubts,
            LeftOut = leftOut,
            DoNotContact = doNotContact,
        };
    }

    /// <summary>A cell of a field of the practice's own. Dates are read as messily as other dates; several choices may be parted by <c>;</c>, <c>,</c> or <c>|</c>.</summary>
    private Reading<string?> OwnOf(OwnField field, string cell)
    {
        if (field.Kind is OwnFieldKind.Date or OwnFieldKind.YearlyDate)
        {
            var date = CellReading.Date(cell, dayFirst, today);
            return date.Value is { Year: null } && field.Kind == OwnFieldKind.Date
                ? new(null, $"“{cell.Trim()}” has no year. The value is left out.")
                : new(date.Value?.ToString(), date.Doubt);
        }

        var text = field.Kind == OwnFieldKind.Choices && !field.Options.Any(o => o.Contains(',', StringComparison.Ordinal)) ? cell.Replace(',', ';').Replace('|', ';') : cell;
        var (kept, problem) = field.Read(text);
        return new(kept, problem is null ? null : $"{problem} The value is left out.");
    }

    private static string Short(string text) => text.Length <= 60 ? text : text[..57] + "…";

    private static string? AddressOf(Func<string, string> cell)
    {
        var town = CellReading.Clean($"{CellReading.Clean(cell(ImportField.City))}, {cell(ImportField.State)} {cell(ImportField.Zip)}").Trim(',', ' ');
        var lines = new[] { CellReading.Clean(cell(ImportField.Street)), town }.Where(l => l.Length > 0).ToList();
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
        return fits.Count == 1 ? new(fits[0].Id) : new(null, $"Nobody here is called “{cell.Trim()}”; the owner is left open.");
    }
}
