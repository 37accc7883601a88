using System.Collections.Frozen;
using Germinal.Core.Contact;
using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Core.Words;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Engine;

/// <summary>Loads the facts of many people in a fixed number of queries.</summary>
public static class FactsReading
{
    /// <summary>The facts of those of the given people that exist, by id.</summary>
    /// <param name="db">A context of their practice.</param>
    /// <param name="ids">The people.</param>
    /// <param name="stop">Gives up.</param>
    /// <param name="asking">
    /// The engine whose rules will be asked of them: relations and deeds are loaded where any of them asks. Null where no rule is.
    /// </param>
    public static async Task<Dictionary<Guid, PersonFacts>> LoadAsync(
        GerminalDb db,
        IReadOnlyCollection<Guid> ids,
        CancellationToken stop,
        TouchEngine? asking = null
    )
    {
        var people = await db.People.AsNoTracking().Where(p => ids.Contains(p.Id)).ToListAsync(stop);
        return await WithDetailsAsync(db, people, stop, asking);
    }

    /// <summary>One person with everything a rule can ask of them; null for nobody.</summary>
    public static async Task<PersonFacts?> WholeAsync(GerminalDb db, Guid person, CancellationToken stop) =>
        await db.People.AsNoTracking().FirstOrDefaultAsync(p => p.Id == person, stop) is { } row
            ? (await WithDetailsAsync(db, [row], true, true, NoRoles, stop))[person]
            : null;

    /// <summary>The facts of people whose rows are loaded already.</summary>
    /// <inheritdoc cref="LoadAsync"/>
    public static Task<Dictionary<Guid, PersonFacts>> WithDetailsAsync(
        GerminalDb db,
        IReadOnlyList<PersonRow> people,
        CancellationToken stop,
        TouchEngine? asking = null
    ) => WithDetailsAsync(db, people, asking?.AsksRelations == true, asking?.AsksDeeds == true, asking?.WritesTo ?? NoRoles, stop);

    private static readonly IReadOnlySet<string> NoRoles = new HashSet<string>();

    private static async Task<Dictionary<Guid, PersonFacts>> WithDetailsAsync(
        GerminalDb db,
        IReadOnlyList<PersonRow> people,
        bool withRelations,
        bool withDeeds,
        IReadOnlySet<string> writesTo,
        CancellationToken stop
    )
    {
        var ids = people.Select(p => p.Id).ToList();
        var dates = (await db.KeyDates.AsNoTracking().Where(d => ids.Contains(d.PersonId)).ToListAsync(stop)).ToLookup(d => d.PersonId);
        var consent = (await db.Consent.AsNoTracking().Where(c => ids.Contains(c.PersonId)).OrderBy(c => c.At).ThenBy(c => c.Id).ToListAsync(stop)).ToLookup(
            c => c.PersonId
        );
        // An address that was erased is kept as its hash only.
        var hashes = people.SelectMany(p => new[] { p.Email, p.Mobile, p.OtherPhone }).OfType<string>().Distinct().ToDictionary(PersonData.HashOf, a => a);
        var looked = hashes.Keys.Concat(hashes.Values).ToList();
        var suppressed = (await db.Suppressions.AsNoTracking().Where(s => looked.Contains(s.Address)).Select(s => s.Address).ToListAsync(stop))
            .Select(s => hashes.GetValueOrDefault(s, s))
            .ToFrozenSet();
        var worded = (await db.OwnWords.AsNoTracking().Where(w => ids.Contains(w.PersonId)).ToListAsync(stop)).ToLookup(w => w.PersonId);
        var homes = await Households.LoadAsync(db, [.. people.Select(p => p.HouseholdId).OfType<Guid>().Distinct()], stop);
        var relations = withRelations || writesTo.Count > 0 ? await RelationsAsync(db, ids, stop) : null;
        var others = relations is null || writesTo.Count == 0 ? [] : await OthersAsync(db, relations, writesTo, stop);
        var deeds = withDeeds ? await DeedsReading.LoadAsync(db, ids, stop) : null;
        return people.ToDictionary(
            p => p.Id,
            p =>
                Read(p, dates[p.Id], consent[p.Id], suppressed) with
                {
                    Household = p.HouseholdId is { } home ? homes.GetValueOrDefault(home) : null,
                    Relations = [.. (relations?[p.Id] ?? []).Select(r => others.GetValueOrDefault(r.OtherId) is { } other ? r with { Other = other } : r)],
                    Deeds = [.. deeds?[p.Id] ?? []],
                    OwnWords = worded[p.Id].ToFrozenDictionary(w => w.TouchId, w => new OwnWords(w.Subject, w.Body)),
                }
        );
    }

    /// <summary>The facts of those in a relation by which a program writes to them (rule 3.6).</summary>
    private static async Task<Dictionary<Guid, PersonFacts>> OthersAsync(
        GerminalDb db,
        ILookup<Guid, RelationTo> relations,
        IReadOnlySet<string> writesTo,
        CancellationToken stop
    )
    {
        var ids = relations.SelectMany(r => r).Where(r => writesTo.Contains(r.Role)).Select(r => r.OtherId).Distinct().ToList();
        var rows = ids.Count == 0 ? [] : await db.People.AsNoTracking().Where(p => ids.Contains(p.Id)).ToListAsync(stop);
        return rows.Count == 0 ? [] : await WithDetailsAsync(db, rows, false, false, NoRoles, stop);
    }

    /// <summary>How others stand to people, each relation seen from the side of whoever is among them.</summary>
    public static async Task<ILookup<Guid, RelationTo>> RelationsAsync(GerminalDb db, IReadOnlyCollection<Guid> people, CancellationToken stop)
    {
        var rows = await db.Relations.AsNoTracking().Where(r => people.Contains(r.PersonId) || people.Contains(r.OtherId)).ToListAsync(stop);
        return rows.SelectMany(r => new[] { (Of: r.PersonId, To: new RelationTo(r.Role, r.OtherId)), (Of: r.OtherId, To: new RelationTo(r.Back, r.PersonId)) })
            .ToLookup(r => r.Of, r => r.To);
    }

    private static PersonFacts Read(PersonRow p, IEnumerable<KeyDateRow> dates, IEnumerable<ConsentRow> consent, FrozenSet<string> suppressed) =>
        new()
        {
            Id = p.Id,
            FirstName = p.FirstName,
            LastName = p.LastName,
            Email = p.Email,
            Mobile = p.Mobile,
            OtherPhone = p.OtherPhone,
            Address = p.Address,
            Zone = LocalClock.Zone(p.ZoneId),
            Tongue = Tongue.Named(p.Tongue),
            OwnerId = p.OwnerId,
            Stage = p.Stage,
            StageSince = p.StageSince,
            Source = p.Source,
            Added = p.AddedAt,
            Tags = p.Tags.ToFrozenSet(StringComparer.OrdinalIgnoreCase),
            Lists = p.Lists.ToFrozenSet(StringComparer.OrdinalIgnoreCase),
            Custom = p.Custom.Count == 0 ? PersonFacts.NoCustom : p.Custom.ToFrozenDictionary(StringComparer.OrdinalIgnoreCase),
            LostReason = p.LostReason,
            KeyDates = [.. dates.Select(d => new KeyDate(d.Name, new YearlyDate(d.Month, d.Day, d.Year), d.Yearly))],
            Consent =
            [
                .. consent.Select(Entry),
            ],
            DoNotContact = p.DoNotContact,
            DoNotContactUntil = p.DoNotContactUntil,
            Died = p.Died,
            Archived = p.Archived,
            Suppressed = suppressed,
        };

    /// <summary>An entry of the ledger.</summary>
    internal static ConsentEntry Entry(ConsentRow row) =>
        new(Words.ChannelOf(row.Channel), row.Purpose is null ? null : Words.PurposeOf(row.Purpose), row.Topic, row.IsIn, Words.BasisOf(row.Basis), row.At, row.Source);
}
