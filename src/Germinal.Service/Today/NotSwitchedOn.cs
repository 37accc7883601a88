using Germinal.Core.Files;
using Germinal.Core.Time;
using Germinal.Service.Programs;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Today;

/// <summary>A program that does not do what is written in it.</summary>
/// <param name="Id">Which.</param>
/// <param name="Name">Its name.</param>
/// <param name="Steps">How many steps it has.</param>
/// <param name="Changed">True for one that is on, or rests, as it was before it was changed; false for one that never was on.</param>
/// <param name="By">Who wrote it last; null where nobody remembers.</param>
/// <param name="AskedBy">Who asks a principal's yes for it; null where nobody does.</param>
/// <param name="AskedAt">Since when.</param>
public sealed record NotOn(Guid Id, string Name, int Steps, bool Changed, string? By, string? AskedBy, string? AskedAt);

/// <summary>Programs that are written and not switched on: nothing goes out by them, which is easily forgotten.</summary>
public static class NotSwitchedOn
{
    /// <summary>Those with steps that are neither hidden nor put away: first those that wait for a yes.</summary>
    public static async Task<IReadOnlyList<NotOn>> ReadAsync(GerminalDb db, CancellationToken stop)
    {
        var rows = await db
            .Programs.AsNoTracking()
            .Where(p => p.ArchivedAt == null && !p.Hidden && !ProgramDesk.AsPublished(db).Any(done => done.Id == p.Id))
            .Select(p => new
            {
                p.Id,
                p.Name,
                p.Draft,
                p.DraftBy,
                p.CurrentVersion,
                p.ApprovalAskedAt,
                p.ApprovalAskedBy,
            })
            .OrderBy(p => p.ApprovalAskedAt == null)
            .ThenBy(p => p.Name)
            .ToListAsync(stop);
        return
        [
            .. rows.Select(p => new NotOn(
                    p.Id,
                    p.Name,
                    ProgramFile.Read(p.Draft).Program?.AllSteps.Count() ?? 0,
                    p.CurrentVersion > 0,
                    p.DraftBy,
                    p.ApprovalAskedBy,
                    p.ApprovalAskedAt?.Iso()
                ))
                .Where(p => p.Steps > 0),
        ];
    }
}
