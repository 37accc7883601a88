using Germinal.Core.Engine;
using Germinal.Service.Clock;
using Germinal.Service.Engine;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Letters;

/// <summary>What letters say, or take from, was changed.</summary>
public static class LettersChanged
{
    /// <summary>
    /// Workers read it anew, and whoever has a message that could not be filled is judged again: what it lacked may be there now. In the
    /// transaction of the change.
    /// </summary>
    public static async Task AfterAsync(GerminalDb db, CancellationToken stop)
    {
        var now = await PracticeClock.NowAsync(db, stop);
        await db.Database.ExecuteSqlAsync(
            $$"""
            INSERT INTO events (practice_id, person_id, at, kind, data)
            SELECT DISTINCT practice_id, person_id, {{now}}, {{EventKinds.Edited}}, '{}'::jsonb FROM touches
            WHERE practice_id = {{db.PracticeId}} AND status = {{TouchStatus.Blocked.Word()}} AND reason = {{Reason.CannotFill.Word()}}
            """,
            stop
        );
        await PracticeClock.LookAgainAsync(db, stop);
    }
}
