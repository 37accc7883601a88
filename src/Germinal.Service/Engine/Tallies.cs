using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Engine;

/// <summary>How many of a program's touches stand how, and what became of its messages, since it began.</summary>
/// <param name="StepId">The step.</param>
/// <param name="What">A touch's status, or what became of a message.</param>
/// <param name="Detail">Of a touch its reason; of a bounce hard or soft.</param>
/// <param name="Hour">Of what was opened or followed, the hour since it was sent.</param>
/// <param name="Number">How many.</param>
public sealed record Tally(string StepId, string What, string Detail, short Hour, int Number);

/// <summary>
/// Counts that the database keeps up itself, in the transaction of what they count: a change is a row, so that no two workers wait for one; now and then
/// they are added up.
/// </summary>
public static class Tallies
{
    /// <summary>The counts of a program, as they stand in this moment.</summary>
    public static async Task<IReadOnlyList<Tally>> OfAsync(GerminalDb db, Guid program, CancellationToken stop) =>
        await db
            .Database.SqlQuery<Tally>(
                $"""
                SELECT step_id, what, detail, hour, sum(number)::int AS number FROM tallies WHERE practice_id = {db.PracticeId} AND program_id = {program}
                GROUP BY step_id, what, detail, hour HAVING sum(number) <> 0 ORDER BY step_id, what, detail, hour
                """
            )
            .ToListAsync(stop);

    /// <summary>The same counted from scratch, from all touches and messages; for holding the counts against.</summary>
    public static async Task<IReadOnlyList<Tally>> AfreshAsync(GerminalDb db, Guid program, CancellationToken stop) =>
        await db
            .Database.SqlQuery<Tally>(
                $"""
                SELECT step_id, what, detail, hour, number FROM tallies_afresh WHERE practice_id = {db.PracticeId} AND program_id = {program}
                ORDER BY step_id, what, detail, hour
                """
            )
            .ToListAsync(stop);

    /// <summary>Adds up what has come since the last time. Workers side by side leave each other's rows alone.</summary>
    public static Task AddUpAsync(GerminalDb db, CancellationToken stop) =>
        db.Database.ExecuteSqlAsync(
            $"""
            WITH many AS (SELECT practice_id, program_id, step_id, what, detail, hour FROM tallies GROUP BY 1, 2, 3, 4, 5, 6 HAVING count(*) > 1),
              taken AS (SELECT t.id FROM tallies t JOIN many USING (practice_id, program_id, step_id, what, detail, hour) ORDER BY t.id FOR UPDATE OF t SKIP LOCKED),
              gone AS (DELETE FROM tallies t USING taken WHERE t.id = taken.id RETURNING t.practice_id, t.program_id, t.step_id, t.what, t.detail, t.hour, t.number)
            INSERT INTO tallies (practice_id, program_id, step_id, what, detail, hour, number)
            SELECT practice_id, program_id, step_id, what, detail, hour, sum(number) FROM gone GROUP BY 1, 2, 3, 4, 5, 6 HAVING sum(number) <> 0
            """,
            stop
        );
}
