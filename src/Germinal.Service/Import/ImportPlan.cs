using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Import;

/// <summary>What a row comes to.</summary>
public enum RowResult
{
    /// <summary>A new person.</summary>
    Added,

    /// <summary>Somebody known, some of whose blanks are filled.</summary>
    Filled,

    /// <summary>Somebody known who has all of it already.</summary>
    Unchanged,

    /// <summary>Nobody.</summary>
    LeftOut,
}

/// <summary>A row, what it comes to, and who it is the same as.</summary>
public sealed record PlannedRow(ImportedRow Row, RowResult Result, Guid? PersonId, MatchCandidate? SameAs, string? SameBy, IReadOnlyList<string> Fills);

/// <summary>What an import would do, worked out before anything is written, and again when it runs.</summary>
public sealed record ImportPlan(IReadOnlyList<PlannedRow> Rows)
{
    /// <summary>Works the plan out: reads the file, finds who is known, and sees which blanks are filled.</summary>
    /// <param name="db">The context of the practice.</param>
    /// <param name="import">The import.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    /// <param name="read">The file, where it has been read already.</param>
    public static async Task<ImportPlan> MakeAsync(GerminalDb db, ImportRow import, Instant now, CancellationToken stop, ListTable? read = null)
    {
        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        var practice = await PracticeReading.LoadAsync(db, stop);
        var table = read ?? ListTable.Read(import.Content, sheet: import.Sheet);
        var reader = ReaderOf(import, table, settings, practice, now);
        var rows = table.Records.Select(reader.Read).ToList();
        var known = await KnownPeople.LoadAsync(db, rows, stop);
        rows.ForEach(known.Matching.Expect);
        var planned = new List<PlannedRow>(rows.Count);
        foreach (var row in rows)
        {
            planned.Add(Plan(import.Id, row, known, practice));
        }

        return new ImportPlan(planned);
    }

    /// <summary>What reads the rows of an import, by what its columns and values were said to be.</summary>
    public static RowReader ReaderOf(ImportRow import, ListTable table, PracticeSettings settings, Practice practice, Instant now) =>
        new RowReader(
            [.. import.Columns],
            practice,
            settings.DateOrder == "dmy",
            settings.PhoneRegion,
            now.InZone(practice.Zone).Date,
            OwnFields.Of(settings),
            import.Meanings
        ).Knowing(table);

    private static PlannedRow Plan(Guid importId, ImportedRow row, KnownPeople known, Practice practice)
    {
        if (row.LeftOut is not null)
        {
            return new PlannedRow(row, RowResult.LeftOut, null, null, null, []);
        }

        var match = known.WithId(row) ?? known.Matching.Find(row);
        if (match.Same is not { } same)
        {
            var id = StableId.Of(importId, $"line/{row.Line}");
            known.AddNew(id, row);
            return new PlannedRow(row with { Doubts = [.. row.Doubts, .. match.Doubts] }, RowResult.Added, id, null, null, []);
        }

        var doubts = known.Contradictions(same.Person, row, practice);
        var fills = known.Fill(same.Person.Id, row);
        return new PlannedRow(
            row with { Doubts = [.. row.Doubts, .. doubts] },
            fills.Count > 0 ? RowResult.Filled : RowResult.Unchanged,
            same.Person.Id,
            same.Person,
            same.By,
            fills
        );
    }
}

/// <summary>The people rows may be the same as, with what they have in which field.</summary>
internal sealed class KnownPeople
{
    // What a field holds where it can be compared; empty where it is only known to hold something.
    private readonly Dictionary<Guid, Dictionary<string, string>> filled = [];

    // Who is here under the ids that a list of ours gives.
    private readonly Dictionary<Guid, MatchCandidate> byId = [];

    public Matching Matching { get; } = new();

    /// <summary>Whoever a list that came out of Germinal says it is; null where it says nobody who is here.</summary>
    public Match? WithId(ImportedRow row) =>
        row.Id is { } id && byId.TryGetValue(id, out var person) ? new Match((person, Said("the id it came out of Germinal with")), []) : null;

    /// <summary>Loads, in four queries, everybody who shares an address, a mobile, a name or a raw row with the file.</summary>
    public static async Task<KnownPeople> LoadAsync(GerminalDb db, IReadOnlyList<ImportedRow> rows, CancellationToken stop)
    {
        var known = new KnownPeople();
        var emails = rows.Select(r => r.Email).OfType<string>().Distinct().ToArray();
        var mobiles = rows.SelectMany(r => new[] { r.Mobile, r.OtherPhone }).OfType<string>().Distinct().ToArray();
        var names = rows.Select(r => r.FoldedName).Where(n => n.Length > 0).Distinct().ToArray();
        var prints = rows.Select(r => r.Fingerprint).Distinct().ToArray();
        var named = rows.Select(r => r.Id).OfType<Guid>().Distinct().ToArray();
        var lines = await db
            .ImportLines.AsNoTracking()
            .Where(l => l.PersonId != null && prints.Contains(l.Fingerprint))
            .Select(l => new { l.Fingerprint, l.PersonId })
            .ToListAsync(stop);
        var before = lines.Select(l => l.PersonId!.Value).Distinct().ToArray();
        var people = await db
            .People.AsNoTracking()
            .Where(p => emails.Contains(p.Email) || mobiles.Contains(p.Mobile) || mobiles.Contains(p.OtherPhone) || names.Contains(p.SortName) || before.Contains(p.Id) || named.Contains(p.Id))
            .OrderBy(p => p.AddedAt)
            .ThenBy(p => p.Id)
            .ToListAsync(stop);
        var ids = people.Select(p => p.Id).ToArray();
        var dates = (await db.KeyDates.AsNoTracking().Where(d => ids.Contains(d.PersonId)).ToListAsync(stop)).ToLookup(d => d.PersonId);
        var consent = (
            await db
                .Consent.AsNoTracking()
                .Where(c => ids.Contains(c.PersonId) && c.Topic == null)
                .OrderBy(c => c.At)
                .ThenBy(c => c.Id)
                .Select(c => new { c.PersonId, c.Channel, c.IsIn })
                .ToListAsync(stop)
        ).ToLookup(c => c.PersonId);
        var candidates = new Dictionary<Guid, MatchCandidate>();
        foreach (var p in people)
        {
            var born = dates[p.Id].FirstOrDefault(d => d.Name == "birthday");
            var candidate = new MatchCandidate(
                p.Id,
                null,
                p.Email,
                p.Mobile,
                p.OtherPhone,
                p.Address,
                p.Name,
                PersonNames.Compared(p.FirstName, p.LastName),
                born is null ? null : new YearlyDate(born.Month, born.Day, born.Year)
            )
            {
                OtherEmail = p.OtherEmail,
            };
            candidates[p.Id] = candidate;
            known.byId[p.Id] = candidate;
            known.Matching.Add(candidate);
            var has = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
            known.filled[p.Id] = has;
            void Has(string field, string? value)
            {
                if (value is not null)
                {
                    has[field] = value;
                }
            }

            Has(ImportField.FirstName, p.FirstName);
            Has(ImportField.LastName, p.LastName);
            Has(ImportField.Email, p.Email);
            Has("other_email", p.OtherEmail);
            Has(ImportField.Mobile, p.Mobile);
            Has(ImportField.OtherPhone, p.OtherPhone);
            Has("address", p.Address);
            Has(ImportField.Source, p.Source);
            Has(ImportField.Owner, p.OwnerId?.ToString());
            Has(ImportField.Zone, p.ZoneId);
            Has(ImportField.Stage, p.Stage);
            Has("do_not_contact", p.DoNotContact ? "" : null);
            foreach (var date in dates[p.Id])
            {
                Has(ImportField.DatePrefix + date.Name, new YearlyDate(date.Month, date.Day, date.Year).ToString());
            }

            foreach (var (key, value) in p.Custom)
            {
                Has(ImportField.OwnPrefix + key, value);
            }

            foreach (var tag in p.Tags)
            {
                Has("tag:" + tag, "");
            }

            foreach (var list in p.Lists)
            {
                Has("list:" + list, "");
            }

            foreach (var said in consent[p.Id].GroupBy(c => c.Channel))
            {
                Has(ConsentFill(said.Key), "");
                Has(ConsentFill(said.Key, said.Last().IsIn), "");
            }
        }

        foreach (var line in lines.Where(l => candidates.ContainsKey(l.PersonId!.Value)))
        {
            known.Matching.AddFingerprint(line.Fingerprint, candidates[line.PersonId!.Value]);
        }

        return known;
    }

    /// <summary>Takes in a row that becomes a new person, for the rows below it.</summary>
    public void AddNew(Guid id, ImportedRow row)
    {
        var candidate = new MatchCandidate(id, row.Line, row.Email, row.Mobile, row.OtherPhone, row.Address, row.Name, row.ComparedName, row.Birthday)
        {
            OtherEmail = row.OtherEmail,
        };
        Matching.Add(candidate);
        Matching.AddFingerprint(row.Fingerprint, candidate);
        filled[id] = new(StringComparer.OrdinalIgnoreCase);
        Fill(id, row);
    }

    /// <summary>Where a row says something else than what is known: both values, and that the known one stays.</summary>
    public IEnumerable<ImportDoubt> Contradictions(MatchCandidate person, ImportedRow row, Practice practice)
    {
        var has = filled[person.Id];
        string Shown(string field, string value) =>
            field == ImportField.Owner ? practice.Members.FirstOrDefault(m => m.Id.ToString() == value)?.Name ?? Said("somebody who has left")
            : value.ReplaceLineEndings(", ");
        foreach (var (field, value) in ValuesOf(row))
        {
            if (value.Length == 0 || !has.TryGetValue(field, out var known) || known.Length == 0 || Agree(field, known, value, has))
            {
                continue;
            }

            var label = field == "address" ? Said("postal address") : field == "other_email" ? Said("other email") : ImportField.LabelOf(field);
            yield return new ImportDoubt(field, Say($"{label}: the list says “{Shown(field, value)}”, here stands “{Shown(field, known)}”. What stands here is kept."));
        }
    }

    private static bool Agree(string field, string known, string value, Dictionary<string, string> has) =>
        string.Equals(PersonNames.Fold(known), PersonNames.Fold(value), StringComparison.Ordinal)
        || (field == ImportField.Email && has.GetValueOrDefault("other_email") == value)
        || (field is ImportField.Mobile or ImportField.OtherPhone && (has.GetValueOrDefault(ImportField.Mobile) == value || has.GetValueOrDefault(ImportField.OtherPhone) == value));

    /// <summary>Everything a row says that has one place at a person, by the field; tags and flags with an empty value.</summary>
    private static IEnumerable<(string Field, string Value)> ValuesOf(ImportedRow row)
    {
        var one = new (string Field, string? Value)[]
        {
            (ImportField.FirstName, row.FirstName),
            (ImportField.LastName, row.LastName),
            (ImportField.Email, row.Email),
            ("other_email", row.OtherEmail),
            (ImportField.Mobile, row.Mobile),
            (ImportField.OtherPhone, row.OtherPhone),
            ("address", row.Address),
            (ImportField.Source, row.Source),
            (ImportField.Owner, row.OwnerId?.ToString()),
            (ImportField.Zone, row.ZoneId),
            (ImportField.Stage, row.Stage),
            ("do_not_contact", row.DoNotContact is null ? null : ""),
        };
        return one.Where(o => o.Value is not null)
            .Select(o => (o.Field, o.Value!))
            .Concat(row.Dates.Select(d => (ImportField.DatePrefix + d.Key, d.Value.ToString())))
            .Concat(row.Own.Select(o => (ImportField.OwnPrefix + o.Key, o.Value)))
            .Concat(row.Tags.Select(t => ("tag:" + t, "")))
            .Concat(row.Lists.Select(l => ("list:" + l, "")));
    }

    /// <summary>The blanks of a person that a row fills; they count as filled for the rows below it. Nothing is overwritten.</summary>
    public IReadOnlyList<string> Fill(Guid id, ImportedRow row)
    {
        var has = filled[id];
        var fills = new List<string>();
        bool Add(string field, string value = "") => has.TryAdd(field, value);
        foreach (var (field, value) in ValuesOf(row))
        {
            if (Add(field, value))
            {
                fills.Add(field);
            }
        }

        // A no is taken in even where there was a yes: the stricter word wins. A yes only where nothing was said.
        foreach (var (on, said) in row.Consent)
        {
            var channel = ContactWords.Of(on);
            if (said.In ? Add(ConsentFill(channel)) : Add(ConsentFill(channel, said.In)))
            {
                Add(ConsentFill(channel));
                Add(ConsentFill(channel, said.In));
                fills.Add(ConsentFill(channel, said.In));
            }
        }

        return fills;
    }

    /// <summary>That anything, or a yes or a no, was said of a channel, among what a person has.</summary>
    internal static string ConsentFill(string channel, bool? isIn = null) => isIn is { } said ? $"consent:{channel}:{(said ? "in" : "out")}" : $"consent:{channel}";
}
