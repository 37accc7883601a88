using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Programs;

/// <summary>What a program says somewhere: in its draft or a version of it.</summary>
public sealed record ProgramText(Guid Id, string Name, string Text);

/// <summary>What a practice's programs say, as files: for looking up who uses something.</summary>
public static class ProgramTexts
{
    /// <summary>
    /// Every program as it is written now, as it is published last, and as it is in versions that somebody is still on; the same program
    /// may stand several times.
    /// </summary>
    public static async Task<IReadOnlyList<ProgramText>> AllAsync(GerminalDb db, CancellationToken stop)
    {
        var drafts = await db.Programs.AsNoTracking().Select(p => new ProgramText(p.Id, p.Name, p.Draft)).ToListAsync(stop);
        var versions = await db
            .ProgramVersions.AsNoTracking()
            .Join(db.Programs, v => v.ProgramId, p => p.Id, (v, p) => new { v, p })
            .Where(x => x.v.Version == x.p.CurrentVersion || db.Runs.Any(r => r.ProgramId == x.p.Id && r.Version == x.v.Version && r.EndedAt == null))
            .Select(x => new ProgramText(x.p.Id, x.p.Name, x.v.Definition))
            .ToListAsync(stop);
        return [.. drafts, .. versions];
    }
}
