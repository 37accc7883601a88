using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.People;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Programs;

/// <summary>Somebody on their way through a program.</summary>
/// <param name="Person">Who.</param>
/// <param name="Since">When it started for them.</param>
/// <param name="StepId">The step they stand at; null where nothing is planned.</param>
/// <param name="Due">When that is due, or since when it stands on the day sheet.</param>
/// <param name="Paused">Whether it is paused for them.</param>
public sealed record OnItLine(PersonRef Person, string Since, string? StepId, string? Due, bool Paused);

/// <summary>How many stand at a step.</summary>
public sealed record AtStep(string? StepId, int Count);

/// <summary>Who is on their way through a program and at which step: how many at each, and the first of them by name.</summary>
public sealed record OnItDto(int Count, IReadOnlyList<AtStep> Steps, IReadOnlyList<OnItLine> People);

/// <summary>Who is on their way through a program, and where they stand.</summary>
public static class OnItsWay
{
    private const int Shown = 200;

    /// <summary>Reads them.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="program">The program.</param>
    /// <param name="step">Only those who stand at this step; null for all.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<OnItDto> ReadAsync(GerminalDb db, Guid program, string? step, CancellationToken stop)
    {
        // A run has one touch that has not settled, or a task that it waits for.
        var standing = db
            .Runs.AsNoTracking()
            .Where(r => r.ProgramId == program && r.EndedAt == null)
            .Select(r => new
            {
                r.PersonId,
                r.StartedAt,
                r.PausedAt,
                Touch = db
                    .Touches.Where(t => t.RunId == r.Id && t.ClosedAt == null && (t.SettledAt == null || t.Status == TouchStatus.Open))
                    .OrderBy(t => t.SettledAt != null)
                    .ThenByDescending(t => t.Due)
                    .Select(t => new { t.StepId, t.Due })
                    .FirstOrDefault(),
            });
        var steps = await standing
            .Select(s => s.Touch!.StepId)
            .GroupBy(s => s)
            .Select(g => new { g.Key, Count = g.Count() })
            .OrderByDescending(s => s.Count)
            .Select(s => new AtStep(s.Key, s.Count))
            .ToListAsync(stop);
        var some = step is null ? standing : standing.Where(s => s.Touch!.StepId == step);
        var rows = await some.Join(db.People, s => s.PersonId, p => p.Id, (s, p) => new { s, p.SortName })
            .OrderBy(x => x.SortName)
            .ThenBy(x => x.s.PersonId)
            .Take(Shown)
            .Select(x => x.s)
            .ToListAsync(stop);
        var names = await db.NamesAsync([.. rows.Select(r => r.PersonId).Distinct()], stop);
        return new OnItDto(
            steps.Sum(s => s.Count),
            steps,
            [
                .. rows.Select(r => new OnItLine(
                    new PersonRef(r.PersonId, names[r.PersonId]),
                    r.StartedAt.Iso(),
                    r.Touch?.StepId,
                    r.Touch?.Due.Iso(),
                    r.PausedAt is not null
                )),
            ]
        );
    }
}
