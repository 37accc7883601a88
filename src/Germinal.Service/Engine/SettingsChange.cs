using System.Text.Json;
using System.Text.Json.Nodes;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Engine;

/// <summary>Changes of a practice's settings of which nobody's is lost: one after the other.</summary>
public static class SettingsChange
{
    /// <summary>The practice's row, locked until the transaction ends.</summary>
    public static Task<PracticeRow> LockAsync(GerminalDb db, CancellationToken stop) =>
        db.Practices.FromSql($"SELECT * FROM practices WHERE id = {db.PracticeId} FOR UPDATE").AsTracking().SingleAsync(stop);

    /// <summary>Saves settings that were changed in a locked row; every engine reads them anew.</summary>
    public static Task SaveAsync(GerminalDb db, PracticeRow row, CancellationToken stop)
    {
        db.Entry(row).Property(p => p.Settings).IsModified = true;
        row.Edition++;
        return db.SaveChangesAsync(stop);
    }

    /// <summary>Settings by their parts, each in words (<c>postal address</c>), for saying which of them were changed.</summary>
    public static IReadOnlyDictionary<string, string> Parts(PracticeSettings settings) =>
        JsonNode.Parse(GerminalDb.ToJson(settings)!)!.AsObject().ToDictionary(p => JsonNamingPolicy.KebabCaseLower.ConvertName(p.Key).Replace('-', ' '), p => p.Value?.ToJsonString() ?? "");
}
