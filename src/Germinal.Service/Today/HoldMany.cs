using System.Text.Json;
using Germinal.Core.Engine;
using Germinal.Service.Engine;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Today;

/// <summary>Holding many messages at once, and letting them go again: those of one step on one of the day sheet's two days, or any that are foreseen.</summary>
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

    /// <summary>Says the same of many touches, planned or only foreseen, in one statement, as a member would one by one.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="touches">The touches with their people; of people who are not of the practice nothing is said.</param>
    /// <param name="said">What is said, of no touch in particular.</param>
    /// <param name="by">Who says it.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>The lines of the log.</returns>
    public static async Task<IReadOnlyList<long>> SayAsync(GerminalDb db, IReadOnlyCollection<(Guid Person, Guid Touch)> touches, Happening said, string by, CancellationToken stop)
    {
        var (kind, data) = EventKinds.Of(said);
        var words = JsonSerializer.Serialize(data);
        var (people, ids) = (touches.Select(t => t.Person).ToArray(), touches.Select(t => t.Touch).ToArray());
        return await db
            .Database.SqlQuery<long>(
                $"""
                INSERT INTO events (practice_id, person_id, at, kind, data, by)
                SELECT p.practice_id, p.id, {said.At}, {kind}, {words}::jsonb || jsonb_build_object('touch', touch::text), {by}
                FROM unnest({people}, {ids}) AS of(person, touch) JOIN people p ON p.id = of.person AND p.practice_id = {db.PracticeId}
                RETURNING id AS "Value"
                """
            )
            .ToListAsync(stop);
    }
}
