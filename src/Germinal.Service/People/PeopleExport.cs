using System.Text;
using Germinal.Channels.Tables;
using Germinal.Core.Contact;
using Germinal.Core.Files;
using Germinal.Core.Practices;
using Germinal.Service.Engine;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.People;

/// <summary>
/// People as a file of an open form, which goes in again as it came out: the people file as CSV (RFC 4180), the same columns as a workbook, or
/// cards (vCard 4.0, RFC 6350).
/// </summary>
public static class PeopleExport
{
    private const int AtOnce = 1000;

    /// <summary>The forms by the ending of their files, with the type each is sent as.</summary>
    public static IReadOnlyDictionary<string, string> Forms { get; } =
        new Dictionary<string, string>(StringComparer.Ordinal)
        {
            ["csv"] = "text/csv; charset=utf-8",
            ["xlsx"] = Workbook.MediaType,
            ["vcf"] = VCard.MediaType,
        };

    /// <summary>Writes people in a form.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="people">Who, in the order they are written in.</param>
    /// <param name="form">One of <see cref="Forms"/>.</param>
    /// <param name="output">Where to; left open.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task WriteAsync(GerminalDb db, IReadOnlyList<Guid> people, string form, Stream output, CancellationToken stop)
    {
        var practice = await PracticeReading.LoadAsync(db, stop);
        if (form == "vcf")
        {
            await using var cards = new StreamWriter(output, new UTF8Encoding(false), leaveOpen: true);
            await foreach (var cells in RowsAsync(db, people, practice, stop))
            {
                WriteCard(cards, cells);
            }

            return;
        }

        var header = await HeaderAsync(db, stop);
        if (form == "xlsx")
        {
            var rows = new List<string[]>(people.Count);
            await foreach (var cells in RowsAsync(db, people, practice, stop))
            {
                rows.Add([.. header.Select(h => cells.GetValueOrDefault(h, ""))]);
            }

            await Workbook.WriteAsync(output, "People", header, rows, stop);
            return;
        }

        // With a byte order mark, by which spreadsheets know UTF-8.
        await using var text = new StreamWriter(output, new UTF8Encoding(true), leaveOpen: true);
        await using var csv = CsvText.Writer(text);
        csv.WriteRow(header);
        await foreach (var cells in RowsAsync(db, people, practice, stop))
        {
            csv.WriteRow(header.Select(h => cells.GetValueOrDefault(h)));
        }
    }

    /// <summary>The columns: of key dates those that anybody here has, of fields all there are.</summary>
    private static async Task<IReadOnlyList<string>> HeaderAsync(GerminalDb db, CancellationToken stop)
    {
        var dates = await db.KeyDates.Select(d => d.Name).Distinct().ToListAsync(stop);
        var fields = await db
            .Database.SqlQuery<string>($"SELECT DISTINCT jsonb_object_keys(custom) AS \"Value\" FROM people WHERE practice_id = {db.PracticeId}")
            .ToListAsync(stop);
        string[] own = [.. (await OwnFields.OfPracticeAsync(db, stop)).Fields.Select(f => f.Key)];
        return PeopleFile.Header(
            dates.Order(StringComparer.OrdinalIgnoreCase),
            own.Concat(fields.Where(f => !own.Contains(f, StringComparer.OrdinalIgnoreCase)).Order(StringComparer.OrdinalIgnoreCase))
        );
    }

    private static async IAsyncEnumerable<IReadOnlyDictionary<string, string>> RowsAsync(
        GerminalDb db,
        IReadOnlyList<Guid> people,
        Practice practice,
        [System.Runtime.CompilerServices.EnumeratorCancellation] CancellationToken stop
    )
    {
        var members = practice.Members.ToDictionary(m => m.Id, m => m.Name);
        foreach (var ids in people.Chunk(AtOnce))
        {
            var rows = await db.People.AsNoTracking().Where(p => ids.Contains(p.Id)).ToDictionaryAsync(p => p.Id, stop);
            var facts = await FactsReading.WithDetailsAsync(db, [.. rows.Values], stop);
            foreach (var id in ids.Where(facts.ContainsKey))
            {
                var (row, person) = (rows[id], facts[id]);
                var cells = new Dictionary<string, string>(
                    PeopleFile.Cells(
                        person with
                        {
                            Owner = person.OwnerId is { } owner ? members.GetValueOrDefault(owner, "") : "",
                            Mobile = WithExtension(person.Mobile, row.MobileExtension),
                            OtherPhone = WithExtension(person.OtherPhone, row.OtherPhoneExtension),
                        },
                        practice
                    ),
                    StringComparer.OrdinalIgnoreCase
                );
                if (row.OtherEmail is { Length: > 0 } other)
                {
                    cells[PeopleFile.OtherEmail] = other;
                }

                yield return cells;
            }
        }
    }

    private static string? WithExtension(string? number, string? extension) => string.IsNullOrEmpty(extension) || number is null ? number : $"{number} ext. {extension}";

    /// <summary>
    /// A card: what vCard has a property for stands there, everything else in a property of ours that names its column.
    /// </summary>
    private static void WriteCard(TextWriter output, IReadOnlyDictionary<string, string> cells)
    {
        string Cell(string column) => cells.GetValueOrDefault(column, "");
        void Line(string name, string value) => VCard.WriteLine(output, name, value);
        void Text(string name, string column)
        {
            if (Cell(column).Length > 0)
            {
                Line(name, VCard.Escaped(Cell(column)));
            }
        }

        Line("BEGIN", "VCARD");
        Line("VERSION", "4.0");
        Line("UID", $"urn:uuid:{Cell("id")}");
        Line("FN", VCard.Escaped(PersonName.Of(Optional(Cell("first_name")), Optional(Cell("last_name")), Optional(Cell("email")), Optional(Cell("mobile")))));
        Line("N", $"{VCard.Escaped(Cell("last_name"))};{VCard.Escaped(Cell("first_name"))};;;");
        Text("EMAIL;PREF=1", "email");
        Text("EMAIL", PeopleFile.OtherEmail);
        Text("TEL;TYPE=\"cell,text\"", "mobile");
        Text("TEL;TYPE=voice", "other_phone");
        Address(output, Cell("address"));
        if (Cell("birthday") is { Length: > 0 } born)
        {
            // RFC 6350, 4.3.1: the basic form of ISO 8601.
            Line("BDAY", born.StartsWith("--", StringComparison.Ordinal) ? $"--{born[2..].Replace("-", "", StringComparison.Ordinal)}" : born.Replace("-", "", StringComparison.Ordinal));
        }

        if (Cell("tags") is { Length: > 0 } tags)
        {
            Line("CATEGORIES", string.Join(',', tags.Split(';', StringSplitOptions.RemoveEmptyEntries).Select(VCard.Escaped)));
        }

        Text("TZ", "zone");
        foreach (var (column, value) in cells.Where(c => !OfProperties.Contains(c.Key, StringComparer.OrdinalIgnoreCase)).OrderBy(c => c.Key, StringComparer.Ordinal))
        {
            Line($"{VCardColumn};NAME={VCard.Parameter(column)}", VCard.Escaped(value));
        }

        Line("END", "VCARD");
    }

    /// <summary>The property in which a card of ours carries what no other property can: a column of the people file by its name.</summary>
    public const string VCardColumn = "X-GERMINAL-COLUMN";

    private static readonly string[] OfProperties =
    [
        "id",
        "first_name",
        "last_name",
        "email",
        PeopleFile.OtherEmail,
        "mobile",
        "other_phone",
        "address",
        "birthday",
        "tags",
        "zone",
    ];

    private static string? Optional(string text) => text.Length == 0 ? null : text;

    /// <summary>Taken apart where its place is known and nothing is lost by it; else all of it as the street, line by line.</summary>
    private static void Address(TextWriter output, string address)
    {
        if (address.Length == 0)
        {
            return;
        }

        var place = PostalPlace.Of(address);
        var lines = address.Split('\n');
        var town = place.Line(place.Country ?? "");
        string[] end = place.Country is null ? [town] : [town, place.Country];
        var apart = place.City is not null && place.PostalCode is not null && lines.Length > end.Length && lines.AsSpan(lines.Length - end.Length).SequenceEqual(end);
        string[] parts = apart
            ? ["", "", Street(lines[..^end.Length]), VCard.Escaped(place.City!), VCard.Escaped(place.State ?? ""), VCard.Escaped(place.PostalCode!), VCard.Escaped(place.Country ?? "")]
            : ["", "", Street(lines), "", "", "", ""];
        VCard.WriteLine(output, "ADR", string.Join(';', parts));
    }

    private static string Street(IEnumerable<string> lines) => string.Join(',', lines.Select(VCard.Escaped));
}
