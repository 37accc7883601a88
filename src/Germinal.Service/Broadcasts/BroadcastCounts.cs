using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Broadcasts;

/// <summary>What a list of broadcasts says of each.</summary>
/// <param name="ProgramId">Its program.</param>
/// <param name="Sent">How many went, by whichever way.</param>
/// <param name="Emails">How many emails arrived.</param>
/// <param name="Opened">How many of them a person opened.</param>
public sealed record BroadcastCounts(Guid ProgramId, int Sent, int Emails, int Opened)
{
    /// <summary>The newest broadcasts, without what they say at length: a list reads none of it.</summary>
    public static async Task<IReadOnlyList<BroadcastRow>> RowsAsync(GerminalDb db, int most, CancellationToken stop) =>
        await db
            .Broadcasts.FromSql(
                $$"""
                SELECT id, practice_id, name, plan #- (CASE WHEN plan #>> '{ways,0,kind}' = 'email' THEN '{ways,0,body}' ELSE '{none}' END)::text[] #- '{ways,1,body}' #- '{ways,2,body}' #- '{test}' #- '{with}' #- '{without}' #- '{letGo}' AS plan, edition, status, program_id, begins_at, began_at,
                  people, decide_at, decided, again_of, series_id, series_date, member_id, by, sent_by, created_at, ended_at
                FROM broadcasts WHERE practice_id = {{db.PracticeId}} ORDER BY coalesce(began_at, begins_at, created_at) DESC, id LIMIT {{most}}
                """
            )
            .AsNoTracking()
            .ToListAsync(stop);

    /// <summary>Those of all broadcasts, by program.</summary>
    public static async Task<IReadOnlyDictionary<Guid, BroadcastCounts>> OfAsync(GerminalDb db, CancellationToken stop) =>
        await db
            .Database.SqlQuery<BroadcastCounts>(
                $"""
                SELECT t.program_id, coalesce(sum(t.number) FILTER (WHERE t.what IN ('sent', 'done')), 0)::int AS sent,
                  coalesce(sum(CASE WHEN t.step_id LIKE 'email%' AND t.what = 'sent' THEN t.number WHEN t.step_id LIKE 'email%' AND t.what = 'bounced' THEN -t.number END), 0)::int AS emails,
                  coalesce(sum(t.number) FILTER (WHERE t.what = 'opened'), 0)::int AS opened
                FROM tallies t JOIN broadcasts b ON b.program_id = t.program_id WHERE t.practice_id = {db.PracticeId} AND b.practice_id = {db.PracticeId} GROUP BY 1
                """
            )
            .ToDictionaryAsync(c => c.ProgramId, stop);
}
