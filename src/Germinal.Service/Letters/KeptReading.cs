using System.Collections.Concurrent;
using System.Collections.Frozen;
using Germinal.Core.Practices;
using Germinal.Service.Forms;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Letters;

/// <summary>What a practice keeps for its letters, as the core knows it.</summary>
public static class KeptReading
{
    // A table of figures may hold thousands of numbers and changes once a month; each is read once for each edition of it.
    private static readonly ConcurrentDictionary<Guid, (int Edition, FigureTable Table)> Tables = new();

    /// <summary>Loads it for the context's practice.</summary>
    public static async Task<KeptThings> LoadAsync(GerminalDb db, CancellationToken stop)
    {
        var offers = await db.Offers.AsNoTracking().OrderBy(o => o.Name).ToListAsync(stop);
        var tables = await db.FigureTables.AsNoTracking().OrderBy(t => t.Name).ToListAsync(stop);
        var files = await db
            .KeptFiles.AsNoTracking()
            .OrderBy(f => f.Name)
            .Select(f => new
            {
                f.FormerNames,
                File = new KeptFile(f.Id, f.Name, f.ContentType, f.Bytes),
            })
            .ToListAsync(stop);
        var forms = await db.Forms.AsNoTracking().Where(f => f.Shown != null).Select(f => new { f.Id, f.Slug, f.ShownVersion }).ToListAsync(stop);
        if (offers.Count == 0 && tables.Count == 0 && files.Count == 0 && forms.Count == 0)
        {
            return KeptThings.None;
        }

        var names = offers.ToDictionary(o => o.Id, o => o.Name);
        var figures = new List<(FigureTableRow Row, FigureTable Table)>();
        foreach (var table in tables)
        {
            figures.Add((table, await TableAsync(db, table, stop)));
        }

        var headings = new Dictionary<string, string>(StringComparer.OrdinalIgnoreCase);
        foreach (var form in forms)
        {
            headings[form.Slug] = await HeadingAsync(db, form.Id, form.ShownVersion, stop);
        }

        return new KeptThings(
            ByName(offers.Select(o => (o.FormerNames, o.Name, OfferOf(o, names)))),
            ByName(figures.Select(f => (f.Row.FormerNames, f.Row.Name, f.Table))),
            ByName(files.Select(f => (f.FormerNames, f.File.Name, f.File))),
            headings.ToFrozenDictionary(StringComparer.OrdinalIgnoreCase)
        );
    }

    private static readonly ConcurrentDictionary<Guid, (int Version, string Heading)> Headings = new();

    /// <summary>What a form that everybody sees is called; read once for each showing.</summary>
    private static async Task<string> HeadingAsync(GerminalDb db, Guid id, int version, CancellationToken stop)
    {
        if (!Headings.TryGetValue(id, out var known) || known.Version != version)
        {
            var row = await db.Forms.AsNoTracking().SingleAsync(f => f.Id == id, stop);
            known = (version, FormShelf.Of(row)?.Form.Heading ?? row.Name);
            Headings[id] = known;
        }

        return known.Heading;
    }

    /// <summary>By name, and by what things were called before where nothing else has taken that name.</summary>
    private static FrozenDictionary<string, T> ByName<T>(IEnumerable<(List<string> Former, string Name, T Thing)> things)
    {
        var all = things.ToList();
        var named = new Dictionary<string, T>(StringComparer.OrdinalIgnoreCase);
        foreach (var (name, thing) in all.Select(t => (t.Name, t.Thing)).Concat(all.SelectMany(t => t.Former.Select(f => (f, t.Thing)))))
        {
            named.TryAdd(name, thing);
        }

        return named.ToFrozenDictionary(StringComparer.OrdinalIgnoreCase);
    }

    private static Offer OfferOf(OfferRow row, Dictionary<Guid, string> names) =>
        new(
            row.Name,
            row.Facts,
            row.Price,
            row.Page,
            row.PictureId is { } picture ? $"/i/{picture}" : null,
            row.PictureWords,
            row.From,
            row.Until,
            OfferDesk.OverOf(row.WhenOver),
            row.InsteadId is { } instead ? names.GetValueOrDefault(instead) : null
        );

    /// <summary>A table with its numbers.</summary>
    public static async Task<FigureTable> TableAsync(GerminalDb db, FigureTableRow row, CancellationToken stop)
    {
        if (Tables.TryGetValue(row.Id, out var known) && known.Edition == row.Edition)
        {
            return known.Table;
        }

        var numbers = await db
            .Figures.AsNoTracking()
            .Where(f => f.TableId == row.Id)
            .Select(f => new
            {
                f.Area,
                f.Measure,
                f.Month,
                f.Value,
            })
            .ToListAsync(stop);
        var table = FigureTable.Of(
            row.Name,
            row.Key,
            [.. row.Measures.Select(m => new Measure(m.Name, m.Before, m.After))],
            numbers.Select(n => (n.Area, n.Measure, new Figure(n.Month, n.Value)))
        );
        Tables[row.Id] = (row.Edition, table);
        return table;
    }
}
