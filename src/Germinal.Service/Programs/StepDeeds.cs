using Germinal.Core.Engine;
using Germinal.Core.Time;
using Germinal.Service.People;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Programs;

/// <summary>What a step has done, over all versions of its program.</summary>
/// <param name="StepId">The step.</param>
/// <param name="Reached">How many messages went, or tasks were done.</param>
/// <param name="Opened">How many of the messages a person opened; machines do not count (rule 14.2).</param>
/// <param name="Followed">How many had a link followed by a person.</param>
/// <param name="Answered">How many were answered.</param>
/// <param name="Waiting">How many are still to come, or stand open.</param>
public sealed record StepDeed(string StepId, int Reached, int Opened, int Followed, int Answered, int Waiting);

/// <summary>Somebody of a <see cref="StepDeed"/>, and when it was; for one who waits, when it is due.</summary>
public sealed record DeedOf(PersonRef Person, string At);

/// <summary>How many there are, and the first of them: the newest, of those who wait the next.</summary>
public sealed record DeedsOf(int Count, IReadOnlyList<DeedOf> People);

/// <summary>What each step of a program has done, and for whom.</summary>
public static class StepDeeds
{
    private const int Shown = 200;
    private const string ReplyKind = "reply";

    /// <summary>The words by which one asks who it was, in the order of <see cref="StepDeed"/>.</summary>
    public static IReadOnlyList<string> Words { get; } = ["reached", "opened", "followed", "answered", "waiting"];

    /// <summary>Counts them, by step.</summary>
    public static async Task<IReadOnlyList<StepDeed>> CountAsync(GerminalDb db, Guid program, CancellationToken stop) =>
        // One pass over the program's touches; what became of each message is joined to it.
        await db
            .Database.SqlQuery<StepDeed>(
                $"""
                SELECT t.step_id,
                  count(*) FILTER (WHERE t.status IN ('sent', 'done'))::int AS reached,
                  count(m.opened_at)::int AS opened,
                  count(v.touch_id)::int AS followed,
                  count(r.touch_id)::int AS answered,
                  count(*) FILTER (WHERE t.closed_at IS NULL AND (t.settled_at IS NULL OR t.status = 'open'))::int AS waiting
                FROM touches t
                LEFT JOIN messages m ON m.touch_id = t.id
                LEFT JOIN (SELECT DISTINCT touch_id FROM visits WHERE practice_id = {db.PracticeId} AND link IS NOT NULL AND NOT by_machine) v ON v.touch_id = t.id
                LEFT JOIN (SELECT DISTINCT touch_id FROM received WHERE practice_id = {db.PracticeId} AND kind = {ReplyKind}) r ON r.touch_id = t.id
                WHERE t.program_id = {program} AND t.practice_id = {db.PracticeId}
                GROUP BY t.step_id ORDER BY t.step_id
                """
            )
            .ToListAsync(stop);

    /// <summary>Who it was: those of one number.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="program">The program.</param>
    /// <param name="step">The step.</param>
    /// <param name="what">One of <see cref="Words"/>.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>Null for a word that is none of them.</returns>
    public static async Task<DeedsOf?> WhoAsync(GerminalDb db, Guid program, string step, string what, CancellationToken stop)
    {
        var touches = db.Touches.AsNoTracking().Where(t => t.ProgramId == program && t.StepId == step);
        var found = what switch
        {
            "reached" => touches.Where(t => t.Status == TouchStatus.Sent || t.Status == TouchStatus.Done).Select(t => new Found { PersonId = t.PersonId, At = t.ClosedAt ?? t.SettledAt ?? t.Due }),
            "opened" => from t in touches
                        join m in db.Messages on t.Id equals m.TouchId
                        where m.OpenedAt != null
                        select new Found { PersonId = t.PersonId, At = m.OpenedAt!.Value },
            "followed" => from t in touches
                          join v in db.Visits.Where(v => v.Link != null && !v.ByMachine).GroupBy(v => v.TouchId).Select(g => new { TouchId = g.Key, At = g.Min(v => v.At) }) on t.Id equals v.TouchId
                          select new Found { PersonId = t.PersonId, At = v.At },
            "answered" => from t in touches
                          join r in db.Received.Where(r => r.Kind == ReplyKind && r.TouchId != null).GroupBy(r => r.TouchId).Select(g => new { TouchId = g.Key!.Value, At = g.Min(r => r.At) }) on t.Id equals r.TouchId
                          select new Found { PersonId = t.PersonId, At = r.At },
            "waiting" => touches.Where(t => t.ClosedAt == null && (t.SettledAt == null || t.Status == TouchStatus.Open)).Select(t => new Found { PersonId = t.PersonId, At = t.Due }),
            _ => null,
        };
        if (found is null)
        {
            return null;
        }

        var count = await found.CountAsync(stop);
        var ordered = what == "waiting" ? found.OrderBy(f => f.At).ThenBy(f => f.PersonId) : found.OrderByDescending(f => f.At).ThenBy(f => f.PersonId);
        var rows = await ordered.Take(Shown).ToListAsync(stop);
        var names = await db.NamesAsync([.. rows.Select(r => r.PersonId).Distinct()], stop);
        return new DeedsOf(count, [.. rows.Select(r => new DeedOf(new PersonRef(r.PersonId, names[r.PersonId]), r.At.Iso()))]);
    }

    private sealed class Found
    {
        public Guid PersonId { get; init; }

        public Instant At { get; init; }
    }
}
