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
    public static async Task<ImportPlan> MakeAsync(GerminalDb db, ImportRow import, Instant now, CancellationToken stop)
    {
        var settings = (await db.Practices.AsNoTracking().SingleAsync(p => p.Id == db.PracticeId, stop)).Settings;
        var practice = await PracticeReading.LoadAsync(db, stop);
        var table = CsvTable.Read(import.Content);
        var reader = new RowReader([.. import.Columns], practice, settings.DateOrder == "dmy", settings.PhoneRegion, now.InZone(practice.Zone).Date, OwnFields.Of(settings));
        var rows = table.Records.Select(reader.Read).ToList();
        var known = await KnownPeople.LoadAsync(db, rows, stop);
        var planned = new List<PlannedRow>(rows.Count);
        foreach (var row in rows)
        {
            planned.Add(Plan(import.Id, row, known, practice));
        }

        return new ImportPlan(planned);
    }

    private static PlannedRow Plan(Guid importId, ImportedRow row, KnownPeople known, Practice practice)
    {
        if (row.LeftOut is not null)
        {
            return new PlannedRow(row, RowResult.LeftOut, null, null, null, []);
        }

        if (known.Matching.Find(row) is not { } match)
        {
            var id = StableId.Of(importId, $"line/{row.Line}");
            known.AddNew(id, row, practice);
            return new PlannedRow(row, RowResult.Added, id, null, null, []);
        }

        var fills = known.Fill(match.Person.Id, row);
        return new PlannedRow(row, fills.Count > 0 ? RowResult.Filled : RowResult.Unchanged, match.Person.Id, match.Person, match.By, fills);
    }
}

/// <summary>The people rows may be the same as, with which of their fields are blank.</summary>
internal sealed class KnownPeople
{
    private readonly Dictionary<Guid, HashSet<string>> filled = [];

    public Matching Matching { get; } = new();

    /// <summary>Loads, in four queries, everybody who shares an address, a mobile, a name or a raw row with the file.</summary>
    public static async Task<KnownPeople> LoadAsync(GerminalDb db, IReadOnlyList<ImportedRow> rows, CancellationToken stop)
    {
        var known = new KnownPeople();
        var emails = rows.Select(r => r.Email).OfType<string>().Distinct().ToArray();
        var mobiles = rows.Select(r => r.Mobile).OfType<string>().Distinct().ToArray();
        var names = rows.Select(r => r.FoldedName).Where(n => n.Length > 0).Distinct().ToArray();
        var prints = rows.Select(r => r.Fingerprint).Distinct().ToArray();
        var lines = await db
            .ImportLines.AsNoTracking()
            .Where(l => l.PersonId != null && prints.Contains(l.Fingerprint))
            .Select(l => new { l.Fingerprint, l.PersonId })
            .ToListAsync(stop);
        var before = lines.Select(l => l.PersonId!.Value).Distinct().ToArray();
        var people = await db
            .People.AsNoTracking()
            .Where(p => emails.Contains(p.Email) || mobiles.Contains(p.Mobile) || names.Contains(p.SortName) || before.Contains(p.Id))
            .OrderBy(p => p.AddedAt)
            .ThenBy(p => p.Id)
            .ToListAsync(stop);
        var ids = people.Select(p => p.Id).ToArray();
        var dates = (await db.KeyDates.AsNoTracking().Where(d => ids.Contains(d.PersonId)).ToListAsync(stop)).ToLookup(d => d.PersonId);
        var consent = (
            await db
                .Consent.AsNoTracking()
                .Where(c => ids.Contains(c.PersonId) && c.Channel == "email" && c.Topic == null)
                .OrderBy(c => c.At)
                .ThenBy(c => c.Id)
                .Select(c => new { c.PersonId, c.IsIn })
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
                p.SortName,
                born is null ? null : new YearlyDate(born.Month, born.Day, born.Year)
            );
            candidates[p.Id] = candidate;
            known.Matching.Add(candidate);
            var has = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
            known.filled[p.Id] = has;
            void Has(string field, object? value)
            {
                if (value is not null)
                {
                    has.Add(field);
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
            Has(ImportField.Owner, p.OwnerId);
            Has("do_not_contact", p.DoNotContact ? true : null);
            has.UnionWith(dates[p.Id].Select(d => "date:" + d.Name));
            has.UnionWith(p.Custom.Keys.Select(k => ImportField.OwnPrefix + k));
            has.UnionWith(p.Tags.Select(t => "tag:" + t));
            if (consent[p.Id].Any())
            {
                has.Add("consent");
                has.Add(consent[p.Id].Last().IsIn ? "consent-in" : "consent-out");
            }
        }

        foreach (var line in lines.Where(l => candidates.ContainsKey(l.PersonId!.Value)))
        {
            known.Matching.AddFingerprint(line.Fingerprint, candidates[line.PersonId!.Value]);
        }

        return known;
    }

    /// <summary>Takes in a row that becomes a new person, for the rows below it.</summary>
    public void AddNew(Guid id, ImportedRow row, Practice practice)
    {
        var candidate = new MatchCandidate(id, row.Line, row.Email, row.Mobile, row.OtherPhone, row.Address, row.FoldedName, row.Birthday);
        Matching.Add(candidate);
        Matching.AddFingerprint(row.Fingerprint, candidate);
        filled[id] = new(StringComparer.OrdinalIgnoreCase);
        Fill(id, row);
    }

    /// <summary>The blanks of a person that a row fills; they count as filled for the rows below it. Nothing is overwritten.</summary>
    public IReadOnlyList<string> Fill(Guid id, ImportedRow row)
    {
        var has = filled[id];
        var fills = new List<string>();
        void Offer(string field, object? value)
        {
            if (value is not null && has.Add(field))
            {
                fills.Add(field);
            }
        }

        Offer(ImportField.FirstName, row.FirstName);
        Offer(ImportField.LastName, row.LastName);
        Offer(ImportField.Email, row.Email);
        Offer("other_email", row.OtherEmail);
        Offer(ImportField.Mobile, row.Mobile);
        Offer(ImportField.OtherPhone, row.OtherPhone);
        Offer("address", row.Address);
        Offer(ImportField.Source, row.Source);
        Offer(ImportField.Owner, row.OwnerId);
        Offer("do_not_contact", row.DoNotContact);
        foreach (var name in row.Dates.Keys)
        {
            Offer("date:" + name, name);
        }

        foreach (var key in row.Own.Keys)
        {
            Offer(ImportField.OwnPrefix + key, key);
        }

        foreach (var tag in row.Tags)
        {
            Offer("tag:" + tag, tag);
        }

        // A no is taken in even where there was a yes: the stricter word wins. A yes only where nothing was said.
        if (row.EmailConsent == false && has.Add("consent-out"))
        {
            has.Add("consent");
            fills.Add("consent-out");
        }
        else if (row.EmailConsent == true && has.Add("consent"))
        {
            has.Add("consent-in");
            fills.Add("consent-in");
        }

        return fills;
    }
}
