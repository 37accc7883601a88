using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Programs;

/// <summary>What a practice's programs say, as files: for looking up who uses something.</summary>
public static class ProgramTexts
{
    /// <summary>Every program as it is written now, and besides as it is published last; the same program may stand twice.</summary>
    public static async Task<IReadOnlyList<(string Name, string Text)>> AllAsync(GerminalDb db, CancellationToken stop)
    {
        var drafts = await db.Programs.AsNoTracking().Select(p => new { p.Name, Text = p.Draft }).ToListAsync(stop);
        var current = await db
            .Programs.AsNoTracking()
            .Join(db.ProgramVersions, p => new { p.Id, Version = p.CurrentVersion }, v => new { Id = v.ProgramId, v.Version }, (p, v) => new { p.Name, Text = v.Definition })
            .ToListAsync(stop);
        return [.. drafts.Concat(current).Select(p => (p.Name, p.Text))];
    }
}
