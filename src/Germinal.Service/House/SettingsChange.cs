using System.Text.Json.Nodes;
using Germinal.Service.Clock;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.House;

/// <summary>
/// A change of a practice's settings: one after the other, so that nobody's is lost, and each kept beside what it changed, so that the last
/// ones can be taken back (<see cref="SettingsHistory"/>). Whoever changes settings does it so.
/// </summary>
public sealed class SettingsChange
{
    private readonly GerminalDb db;
    private readonly JsonObject before;

    private SettingsChange(GerminalDb db, PracticeRow row)
    {
        (this.db, Row) = (db, row);
        before = Parts(row);
    }

    /// <summary>The practice's row; nobody else changes it until the transaction ends.</summary>
    public PracticeRow Row { get; }

    /// <summary>Its settings, to be changed in place.</summary>
    public PracticeSettings Settings => Row.Settings;

    /// <summary>Locks the practice's row, read anew, until the transaction ends that the caller has begun.</summary>
    public static async Task<SettingsChange> LockAsync(GerminalDb db, CancellationToken stop)
    {
        var row = await db.Practices.FromSql($"SELECT * FROM practices WHERE id = {db.PracticeId} FOR UPDATE").AsTracking().SingleAsync(stop);

        // What the context had read before may have been changed since.
        await db.Entry(row).ReloadAsync(stop);
        return new SettingsChange(db, row);
    }

    /// <summary>Saves what was changed, with everything else the context holds; every engine reads the settings anew.</summary>
    /// <returns>What was changed, in words; empty for nothing.</returns>
    public async Task<string> SaveAsync(CancellationToken stop) => SettingsWords.Of(await SaveAsync(null, stop));

    /// <summary>The same, as what takes an earlier change back.</summary>
    internal async Task<SettingsChangeRow?> SaveAsync(SettingsChangeRow? takesBack, CancellationToken stop)
    {
        var after = Parts(Row);
        var changed = SettingsPart.All.Where(p => p.Kind != SettingsPartKind.Standing && !JsonNode.DeepEquals(before[p.Key], after[p.Key])).ToList();
        SettingsChangeRow? row = null;
        if (changed.Count > 0)
        {
            row = new SettingsChangeRow
            {
                PracticeId = Row.Id,
                At = await PracticeClock.NowAsync(db, stop),
                MemberId = db.MemberId,
                Before = Kept(before, changed),
                After = Kept(after, changed),
            };
            db.SettingsChanges.Add(row);
        }

        db.Entry(Row).Property(p => p.Settings).IsModified = true;
        Row.Edition++;
        await db.SaveChangesAsync(stop);
        if (takesBack is not null && row is not null)
        {
            takesBack.TakenBackBy = row.Id;
            await db.SaveChangesAsync(stop);
        }

        if (row is not null)
        {
            await SettingsHistory.ForgetAsync(db, stop);
        }

        return row;
    }

    /// <summary>All parts of a practice's settings, by the names they are stored under.</summary>
    internal static JsonObject Parts(PracticeRow row)
    {
        var parts = JsonNode.Parse(GerminalDb.ToJson(row.Settings)!)!.AsObject();
        (parts["name"], parts["zoneId"]) = (row.Name, row.ZoneId);
        return parts;
    }

    /// <summary>Some parts as they are kept; of one that holds what is sealed, that it was there.</summary>
    private static string Kept(JsonObject parts, IEnumerable<SettingsPart> which) =>
        new JsonObject(which.Select(p => KeyValuePair.Create(p.Key, p.Kind == SettingsPartKind.Apart ? null : parts[p.Key]?.DeepClone()))).ToJsonString();
}
