using Germinal.Core.Broadcasts;
using Germinal.Core.Engine;
using Germinal.Core.Programs;
using Germinal.Core.Results;
using Germinal.Core.Time;
using Germinal.Service.Broadcasts;
using Germinal.Service.Engine;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Programs;

/// <summary>How those stand who were ever on a program.</summary>
/// <param name="Started">Runs that began.</param>
/// <param name="Going">Under way.</param>
/// <param name="Paused">Of them held by a member.</param>
/// <param name="Waiting">Starts that wait for their turn.</param>
/// <param name="Finished">Come to the end.</param>
/// <param name="Stopped">Stopped, by reason.</param>
/// <param name="Refused">Starts that were refused, by reason.</param>
public sealed record RunsStand(int Started, int Going, int Paused, int Waiting, int Finished, IReadOnlyList<ResultReason> Stopped, IReadOnlyList<ResultReason> Refused);

/// <summary>What a step sent and what that did.</summary>
/// <param name="StepId">The step.</param>
/// <param name="Kind">Its kind.</param>
/// <param name="Name">What it says, in a line.</param>
/// <param name="Sent">How many went, or were done.</param>
/// <param name="Delivered">Sent less those that came back.</param>
/// <param name="Lines">Rates of a message: opened (emails), followed, answered, opted-out.</param>
/// <param name="NotGone">How many did not go.</param>
public sealed record StepResult(string StepId, string Kind, string Name, int Sent, int Delivered, IReadOnlyList<ResultLine> Lines, int NotGone);

/// <summary>A fork or a split, and how many went which way.</summary>
/// <param name="StepId">The step.</param>
/// <param name="Name">What it asks, by its id.</param>
/// <param name="Ways">Each way, with how many went it.</param>
public sealed record ForkResult(string StepId, string Name, IReadOnlyList<ResultReason> Ways);

/// <summary>How calls of a program ended.</summary>
/// <param name="Made">How many were made.</param>
/// <param name="Outcomes">How each ended, with its share of those made.</param>
public sealed record CallResult(int Made, IReadOnlyList<ResultLine> Outcomes);

/// <summary>A point of a curve: by so many days, what share had come, and the band in which the true one lies.</summary>
public sealed record CurvePoint(int Day, double Share, double Low, double High);

/// <summary>What followed for those on a program and those held out of it (rules 14.5, 14.6).</summary>
/// <param name="Goal">What is counted: a kind of <see cref="BroadcastGoal"/>.</param>
/// <param name="What">Its detail.</param>
/// <param name="Within">Within which span of the start, ISO 8601.</param>
/// <param name="OnIt">Of those on it whose span is over, for how many it came.</param>
/// <param name="HeldOut">The same of those held out; null where nobody is.</param>
/// <param name="Difference">On it less held out; null without a hold-out.</param>
/// <param name="Low">The lower end of its 95 % interval (Newcombe 1998, method 10).</param>
/// <param name="High">The upper end.</param>
/// <param name="Says">What can be said, in a sentence.</param>
public sealed record Lift(string Goal, string What, string Within, ResultLine OnIt, ResultLine? HeldOut, double? Difference, double? Low, double? High, string Says);

/// <summary>How many began and ended in a month.</summary>
public sealed record RunsMonth(string Month, int Started, int Finished, int Stopped);

/// <summary>A program's page of results.</summary>
/// <param name="Name">The program.</param>
/// <param name="HoldOut">The share held out now, in percent; 0 for none.</param>
/// <param name="Versions">The versions it has had.</param>
/// <param name="Version">The version these are of; null for all together.</param>
/// <param name="Runs">How those stand who were ever on it.</param>
/// <param name="Steps">Step by step.</param>
/// <param name="Weakest">The step that does worse than the others, where one is told apart; null for none.</param>
/// <param name="WeakestSays">What can be said of that, in a sentence.</param>
/// <param name="Forks">Forks and splits.</param>
/// <param name="Calls">Calls.</param>
/// <param name="Answers">The share that has answered by so many days after the start (Kaplan–Meier).</param>
/// <param name="AnswerDays">Days until half have; null where it does not come to that.</param>
/// <param name="Lift">What followed.</param>
/// <param name="Months">Over time.</param>
public sealed record ProgramResultsDto(
    string Name,
    int HoldOut,
    IReadOnlyList<int> Versions,
    int? Version,
    RunsStand Runs,
    IReadOnlyList<StepResult> Steps,
    string? Weakest,
    string WeakestSays,
    IReadOnlyList<ForkResult> Forks,
    CallResult Calls,
    IReadOnlyList<CurvePoint> Answers,
    int? AnswerDays,
    Lift Lift,
    IReadOnlyList<RunsMonth> Months
);

/// <summary>What a program did, from what it did.</summary>
/// <param name="db">A context of the practice.</param>
/// <param name="program">The program.</param>
/// <param name="version">Only runs of this version; null for all.</param>
/// <param name="now">Practice time.</param>
public sealed class ProgramResults(GerminalDb db, Guid program, int? version, Instant now)
{
    private const int LongestName = 80;

    /// <summary>Under so many delivered a step is not compared with the others.</summary>
    private const int Least = Verdict.Least;

    private IQueryable<RunRow> Runs => db.Runs.AsNoTracking().Where(r => r.ProgramId == program && (version == null || r.Version == version));

    private IQueryable<TouchRow> Touches => db.Touches.AsNoTracking().Where(t => t.ProgramId == program && (version == null || t.Version == version));

    /// <summary>All of it.</summary>
    /// <param name="definition">The program as it is published.</param>
    /// <param name="goal">What is counted as its goal.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<ProgramResultsDto> ReadAsync(ProgramDefinition definition, BroadcastGoal goal, CancellationToken stop)
    {
        var steps = await StepsAsync(definition, stop);
        var (weakest, says) = WeakestOf(steps);
        var (answers, half) = await AnswersAsync(stop);
        return new ProgramResultsDto(
            definition.Name,
            definition.HoldOut,
            await db.ProgramVersions.Where(v => v.ProgramId == program).OrderBy(v => v.Version).Select(v => v.Version).ToListAsync(stop),
            version,
            await StandAsync(stop),
            steps,
            weakest,
            says,
            await ForksAsync(definition, stop),
            await CallsAsync(stop),
            answers,
            half,
            await LiftAsync(goal, stop),
            await MonthsAsync(stop)
        );
    }

    private async Task<RunsStand> StandAsync(CancellationToken stop)
    {
        var ended = await Runs.Where(r => r.EndedAt != null).GroupBy(r => r.StopReason).Select(g => new { g.Key, Count = g.Count() }).ToListAsync(stop);
        var refused = await db.Refusals.Where(r => r.ProgramId == program).GroupBy(r => r.Reason).Select(g => new { g.Key, Count = g.Count() }).ToListAsync(stop);
        var (going, paused) = (await Runs.CountAsync(r => r.EndedAt == null, stop), await Runs.CountAsync(r => r.EndedAt == null && r.PausedAt != null, stop));
        var id = program.ToString();
        var waiting = await db
            .Database.SqlQuery<int>(
                $"SELECT count(*)::int AS \"Value\" FROM person_states WHERE practice_id = {db.PracticeId} AND state -> 'waiting' @> jsonb_build_array(jsonb_build_object('programId', {id}))"
            )
            .SingleAsync(stop);
        return new RunsStand(
            going + ended.Sum(e => e.Count),
            going,
            paused,
            waiting,
            ended.Where(e => e.Key is null).Sum(e => e.Count),
            [.. ended.Where(e => e.Key is not null).OrderByDescending(e => e.Count).Select(e => new ResultReason(e.Key!, Why.Reason(e.Key), e.Count))],
            [.. refused.OrderByDescending(r => r.Count).Select(r => new ResultReason(r.Key, Why.Reason(r.Key), r.Count))]
        );
    }

    private sealed record Counted(string StepId, int Sent, int NotGone, int Bounced, int Opened, int Followed, int Answered, int OptedOut);

    private async Task<IReadOnlyList<StepResult>> StepsAsync(ProgramDefinition definition, CancellationToken stop)
    {
        var counted = version is null ? FromTallies(await Tallies.OfAsync(db, program, stop)) : await FromTouchesAsync(stop);
        return
        [
            .. definition
                .AllSteps.Where(s => s.Channel is not null)
                .Select(s => (Step: s, Count: counted.GetValueOrDefault(s.Id, new Counted(s.Id, 0, 0, 0, 0, 0, 0, 0))))
                .Select(s => Result(s.Step, s.Count)),
        ];
    }

    private static StepResult Result(Step step, Counted count)
    {
        var delivered = count.Sent - count.Bounced;
        IReadOnlyList<ResultLine> lines = step.IsMessage
            ?
            [
                .. step is EmailStep ? new[] { ResultLine.Some(ResultWords.Opened, count.Opened, delivered) } : [],
                ResultLine.Some(ResultWords.Followed, count.Followed, delivered),
                ResultLine.Some(ResultWords.Answered, count.Answered, delivered),
                ResultLine.Some(ResultWords.OptedOut, count.OptedOut, delivered),
            ]
            : [];
        return new StepResult(step.Id, step.Kind, NameOf(step), count.Sent, delivered, lines, count.NotGone);
    }

    private static string NameOf(Step step)
    {
        var words = step.Templates is [var first, ..] && first.Text.Length > 0 ? first.Text.ReplaceLineEndings(" ") : (step as EmailStep)?.Letter ?? step.Id;
        return words.Length > LongestName ? words[..LongestName] + "…" : words;
    }

    private static Dictionary<string, Counted> FromTallies(IReadOnlyList<Tally> tallies) =>
        tallies
            .GroupBy(t => t.StepId)
            .ToDictionary(
                g => g.Key,
                g =>
                {
                    int Sum(params string[] words) => g.Where(t => words.Contains(t.What)).Sum(t => t.Number);
                    return new Counted(g.Key, Sum("sent", "done"), Sum("skipped", "given-up", "cancelled"), Sum("bounced"), Sum("opened"), Sum("followed"), Sum("answered"), Sum("opted-out"));
                },
                StringComparer.Ordinal
            );

    /// <summary>Of one version, which the counts do not tell apart, from the touches themselves.</summary>
    private async Task<Dictionary<string, Counted>> FromTouchesAsync(CancellationToken stop) =>
        await db
            .Database.SqlQuery<Counted>(
                $"""
                SELECT t.step_id, count(*) FILTER (WHERE t.status IN ('sent', 'done'))::int AS sent, count(*) FILTER (WHERE t.status IN ('skipped', 'given-up', 'cancelled'))::int AS not_gone,
                  count(m.bounced_at)::int AS bounced, count(m.opened_at)::int AS opened, count(m.followed_at)::int AS followed, count(m.answered_at)::int AS answered, count(m.opted_out_at)::int AS opted_out
                FROM touches t LEFT JOIN messages m ON m.touch_id = t.id AND m.member_id IS NULL
                WHERE t.program_id = {program} AND t.practice_id = {db.PracticeId} AND t.version = {version} GROUP BY 1
                """
            )
            .ToDictionaryAsync(c => c.StepId, stop);

    /// <summary>
    /// The email that is opened least, where it is told apart from the others together; each is asked about, so the answers are corrected for that
    /// (<see cref="ManyLooks"/>).
    /// </summary>
    internal static (string? Step, string Says) WeakestOf(IReadOnlyList<StepResult> steps)
    {
        var emails = steps.Where(s => s.Kind == "email" && s.Delivered >= Least).Select(s => (Step: s, Opened: s.Lines.Single(l => l.What == ResultWords.Opened).Number)).ToList();
        if (emails.Count < 2)
        {
            return (null, Say($"Under two emails have arrived {Least} times yet; which is the weakest cannot be said."));
        }

        var (delivered, opened) = (emails.Sum(e => e.Step.Delivered), emails.Sum(e => e.Opened));
        var found = emails.Select(e => Comparison.Of(e.Opened, e.Step.Delivered, opened - e.Opened, delivered - e.Step.Delivered, Trust.NinetyFive)).ToList();
        var believed = ManyLooks.Believed([.. found.Select(f => f.P)], 0.05);
        var at = Enumerable.Range(0, emails.Count).Where(i => believed[i] && found[i].Difference < 0).OrderBy(i => found[i].Difference).Select(i => (int?)i).FirstOrDefault();
        return at is { } weakest
            ? (emails[weakest].Step.StepId, Say($"“{emails[weakest].Step.Name}” is opened less than the others together, and chance alone would hardly do that."))
            : (null, Said("No email is told apart from the others by how often it is opened."));
    }

    private async Task<IReadOnlyList<ForkResult>> ForksAsync(ProgramDefinition definition, CancellationToken stop)
    {
        var went = await Touches
            .Where(t => t.Status == TouchStatus.Forked || t.Status == TouchStatus.Split)
            .GroupBy(t => new { t.StepId, t.Reason })
            .Select(g => new { g.Key.StepId, g.Key.Reason, Count = g.Count() })
            .ToListAsync(stop);
        return
        [
            .. definition
                .AllSteps.Where(s => s is ForkStep or SplitStep)
                .Select(s => new ForkResult(
                    s.Id,
                    s.Kind,
                    [.. went.Where(w => w.StepId == s.Id).OrderBy(w => w.Reason, StringComparer.Ordinal).Select(w => new ResultReason(w.Reason ?? "", s is ForkStep ? w.Reason ?? "" : Say($"passage {w.Reason}"), w.Count))]
                )),
        ];
    }

    private async Task<CallResult> CallsAsync(CancellationToken stop)
    {
        var calls = await Touches
            .Where(t => t.Kind == "call" && t.Status == TouchStatus.Done)
            .GroupBy(t => t.CallOutcome)
            .Select(g => new { g.Key, Count = g.Count() })
            .ToListAsync(stop);
        var made = calls.Sum(c => c.Count);
        return new CallResult(made, [.. calls.OrderByDescending(c => c.Count).Select(c => ResultLine.Some(c.Key ?? "done", c.Count, made))]);
    }

    private sealed record Answered(decimal Days, bool Ended);

    /// <summary>From a run's start to the first answer to one of its messages; who has not answered is still waited for, until the run ended or now.</summary>
    private async Task<(IReadOnlyList<CurvePoint> Curve, int? Half)> AnswersAsync(CancellationToken stop)
    {
        var waits = await db
            .Database.SqlQuery<Answered>(
                $"""
                SELECT floor(extract(epoch FROM coalesce(a.at, r.ended_at, {now}) - r.started_at) / 86400) AS days, a.at IS NOT NULL AS ended
                FROM runs r LEFT JOIN LATERAL (SELECT min(m.answered_at) AS at FROM touches t JOIN messages m ON m.touch_id = t.id
                  WHERE t.run_id = r.id AND t.person_id = r.person_id AND m.answered_at IS NOT NULL) a ON true
                WHERE r.program_id = {program} AND r.practice_id = {db.PracticeId} AND ({version}::int IS NULL OR r.version = {version}::int)
                """
            )
            .ToListAsync(stop);
        var curve = KaplanMeier.Curve(waits.Select(w => new Wait(Math.Max(0, w.Days), w.Ended)));
        var band = KaplanMeier.Band(curve, Trust.NinetyFive);
        return (
            waits.Count < Least ? [] : [.. band.Select(b => new CurvePoint((int)b.Step.Time, 1 - (double)b.Step.Waiting, 1 - b.High, 1 - b.Low))],
            waits.Count < Least ? null : (int?)KaplanMeier.Median(curve)
        );
    }

    private sealed record Conversion(bool Held, int People, int Came);

    private async Task<Lift> LiftAsync(BroadcastGoal goal, CancellationToken stop)
    {
        var span = Distance.Parse(goal.Within).Text;
        var heldOut = Reason.HeldOut.Word();
        var found = await db
            .Database.SqlQuery<Conversion>(
                $"""
                WITH begun AS (
                  SELECT person_id, min(started_at) AS since, false AS held FROM runs WHERE program_id = {program} AND practice_id = {db.PracticeId} AND ({version}::int IS NULL OR version = {version}::int) GROUP BY 1
                  UNION ALL
                  SELECT person_id, min(at), true FROM refusals WHERE program_id = {program} AND practice_id = {db.PracticeId} AND reason = {heldOut} GROUP BY 1)
                SELECT b.held, count(*)::int AS people, count(*) FILTER (WHERE EXISTS (SELECT 1 FROM events e
                  WHERE e.person_id = b.person_id AND e.at >= b.since AND e.at < b.since + {span}::interval AND goal_came(e.kind, e.data, {goal.Kind}, {goal.What})))::int AS came
                FROM begun b WHERE b.since + {span}::interval <= {now} GROUP BY 1
                """
            )
            .ToListAsync(stop);
        var on = found.Find(f => !f.Held) ?? new Conversion(false, 0, 0);
        var held = found.Find(f => f.Held);
        var onIt = ResultLine.Some("on-it", on.Came, on.People);
        if (held is null || held.People == 0 || on.People == 0)
        {
            return new Lift(goal.Kind, goal.What, goal.Within, onIt, null, null, null, null, Said("What the program brought cannot be said without a hold-out: nobody knows what would have come anyway."));
        }

        var beside = Comparison.Of(on.Came, on.People, held.Came, held.People, Trust.NinetyFive);
        var says =
            beside.Low > 0 ? Said("More came of those on it than of those held out, and chance alone would hardly do that.")
            : beside.High < 0 ? Said("Less came of those on it than of those held out, and chance alone would hardly do that.")
            : Said("Those on it and those held out cannot be told apart: such a difference comes about by chance alone too often.");
        return new Lift(goal.Kind, goal.What, goal.Within, onIt, ResultLine.Some("held-out", held.Came, held.People), beside.Difference, beside.Low, beside.High, says);
    }

    private async Task<IReadOnlyList<RunsMonth>> MonthsAsync(CancellationToken stop)
    {
        var zone = await db.Practices.Where(p => p.Id == db.PracticeId).Select(p => p.ZoneId).SingleAsync(stop);
        return await db
            .Database.SqlQuery<RunsMonth>(
                $"""
                SELECT to_char(m, 'YYYY-MM') AS month, sum(started)::int AS started, sum(finished)::int AS finished, sum(stopped)::int AS stopped FROM (
                  SELECT date_trunc('month', started_at AT TIME ZONE {zone}) AS m, 1 AS started, 0 AS finished, 0 AS stopped FROM runs WHERE program_id = {program} AND practice_id = {db.PracticeId} AND ({version}::int IS NULL OR version = {version}::int)
                  UNION ALL
                  SELECT date_trunc('month', ended_at AT TIME ZONE {zone}), 0, (stop_reason IS NULL)::int, (stop_reason IS NOT NULL)::int FROM runs WHERE program_id = {program} AND practice_id = {db.PracticeId} AND ended_at IS NOT NULL AND ({version}::int IS NULL OR version = {version}::int)) c
                GROUP BY 1 ORDER BY 1
                """
            )
            .ToListAsync(stop);
    }
}
