using Germinal.Core.Broadcasts;
using Germinal.Core.Results;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Broadcasts;

/// <summary>How the versions of a broadcast did that are compared (rule 15.3): of each, what arrived, and how many did what decides.</summary>
public static class BroadcastVersions
{
    private sealed record Counted(string StepId, int Delivered, int Did);

    /// <summary>Counts them, from what the messages say.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="program">The broadcast's program.</param>
    /// <param name="plan">The broadcast.</param>
    /// <param name="by">The rate: one of <see cref="BroadcastTest.Rates"/>.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<IReadOnlyList<VersionDeeds>> CountAsync(GerminalDb db, Guid program, BroadcastPlan plan, string by, CancellationToken stop)
    {
        var counted = await db
            .Database.SqlQuery<Counted>(
                $"""
                SELECT step_id, count(*) FILTER (WHERE bounced_at IS NULL)::int AS delivered,
                  count(*) FILTER (WHERE bounced_at IS NULL AND CASE {by} WHEN 'opened' THEN opened_at WHEN 'followed' THEN followed_at ELSE answered_at END IS NOT NULL)::int AS did
                FROM messages WHERE program_id = {program} AND practice_id = {db.PracticeId} AND channel = 'email' GROUP BY step_id
                """
            )
            .ToDictionaryAsync(c => c.StepId, stop);
        return
        [
            .. BroadcastProgram
                .VersionsOf(plan)
                .Select((_, n) => counted.GetValueOrDefault(BroadcastProgram.StepOf(n)) is { } found ? new VersionDeeds(found.Delivered, found.Did) : new VersionDeeds(0, 0)),
        ];
    }
}
