using Germinal.Core.Practices;
using Germinal.Core.Results;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Pipelines;

/// <summary>What a pipeline's opportunities did in the last years, read for the practice's numbers.</summary>
public static class PipelineHistory
{
    /// <summary>So many years back: what was before is another business.</summary>
    public const int Years = 3;

    /// <summary>Reads the ways of all that were opened within the last years.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="practice">The practice, for its clock and its members' names.</param>
    /// <param name="pipeline">The pipeline.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<StageHistory> LoadAsync(GerminalDb db, Practice practice, Pipeline pipeline, Instant now, CancellationToken stop)
    {
        var zone = practice.Zone;
        var today = now.InZone(zone).Date;
        var since = today.PlusYears(-Years).AtStartOfDayInZone(zone).ToInstant();
        var prefix = $"{pipeline.Name}/";
        var moves = await db
            .OpportunityMoves.AsNoTracking()
            .Join(
                db.Opportunities.Where(o => o.OpenedAt >= since && o.Stage.StartsWith(prefix)),
                m => m.OpportunityId,
                o => o.Id,
                (m, o) => new
                {
                    m.Id,
                    m.OpportunityId,
                    m.At,
                    m.Stage,
                    m.Status,
                    o.OwnerId,
                    o.LostReason,
                    Source = db.People.Where(p => p.Id == o.PersonId).Select(p => p.Source).FirstOrDefault(),
                }
            )
            .OrderBy(m => m.At)
            .ThenBy(m => m.Id)
            .ToListAsync(stop);
        return new StageHistory(
            [.. pipeline.Stages.Select(s => prefix + s)],
            [
                .. moves
                    .GroupBy(m => m.OpportunityId)
                    .Select(g => new OpportunityWay(
                        [.. g.Select(m => new StageMove(m.At.InZone(zone).Date, m.Stage, m.Status == "open" ? null : m.Status == "won"))],
                        g.First().Source ?? "",
                        practice.Members.FirstOrDefault(m => m.Id == g.First().OwnerId)?.Name ?? "",
                        g.First().LostReason ?? ""
                    )),
            ],
            today
        );
    }
}
