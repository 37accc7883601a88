using System.Text.Json;
using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Today;

/// <summary>Holding all letters of one step that go on one of the day sheet's two days, and letting them go again.</summary>
public static class HoldMany
{
    /// <summary>Holds or releases them, in one statement, as a member would one by one.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="program">The program.</param>
    /// <param name="step">Its step.</param>
    /// <param name="from">From which moment on they are due.</param>
    /// <param name="until">Until when, itself excluded.</param>
    /// <param name="hold">True to hold, false to release.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="by">Who does it.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>How many messages it is about.</returns>
    public static async Task<int> MarkAsync(
        GerminalDb db,
        Guid program,
        string step,
        Instant from,
        Instant until,
        bool hold,
        Instant now,
        string by,
        CancellationToken stop
    )
    {
        var (kind, data) = EventKinds.Of(new TouchMarked(now, Guid.Empty, hold ? TouchMark.Held : null));
        var mark = JsonSerializer.Serialize(data);
        var planned = TouchStatus.Planned.Word();
        return await db.Database.ExecuteSqlAsync(
            $"""
            INSERT INTO events (practice_id, person_id, at, kind, data, by)
            SELECT {db.PracticeId}, person_id, {now}, {kind}, {mark}::jsonb || jsonb_build_object('touch', id::text), {by} FROM touches
            WHERE practice_id = {db.PracticeId} AND program_id = {program} AND step_id = {step} AND status = {planned} AND due >= {from} AND due < {until}
              AND held <> {hold}
            """,
            stop
        );
    }
}
