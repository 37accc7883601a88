using Germinal.Core.Results;
using Germinal.Service.Broadcasts;
using Germinal.Service.Engine;
using Germinal.Service.Today;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;
using NodaTime.Text;

namespace Germinal.Service.Numbers;

/// <summary>A number of the practice, month by month.</summary>
/// <param name="What">Its word: one of <see cref="NumberWords"/>, or one with what it is told apart by behind a colon.</param>
/// <param name="Title">In words.</param>
/// <param name="Kind">How it is read: count, share, money or hours.</param>
/// <param name="Values">Each month's; of a share how many; null where there is nothing to say.</param>
/// <param name="Of">Of a share: of how many; else null.</param>
/// <param name="Line">Of a share: the chosen month with its interval; else null.</param>
/// <param name="Usual">What a month of the twelve before has; null where there is nothing to say.</param>
/// <param name="Behind">Whether one can ask who that is.</param>
public sealed record NumbersRow(string What, string Title, string Kind, IReadOnlyList<decimal?> Values, IReadOnlyList<int>? Of, ResultLine? Line, decimal? Usual, bool Behind);

/// <summary>Numbers that belong together.</summary>
/// <param name="Name">Its word, by which one asks for it as a file.</param>
/// <param name="Title">In words.</param>
/// <param name="Note">What is counted, in a line; empty where it is plain.</param>
/// <param name="Rows">Its numbers.</param>
public sealed record NumbersTable(string Name, string Title, string Note, IReadOnlyList<NumbersRow> Rows);

/// <summary>Something that is different by more than noise.</summary>
/// <param name="What">The number's word.</param>
/// <param name="Text">In a sentence.</param>
/// <param name="P">How likely so great a difference is where there is none.</param>
/// <param name="Behind">Whether one can ask who that is.</param>
public sealed record Noteworthy(string What, string Text, double P, bool Behind);

/// <summary>The practice's numbers of a month and the twelve before it.</summary>
/// <param name="Month">The chosen month, <c>2027-02</c>.</param>
/// <param name="Months">The months the values are of, the oldest first: twelve, the chosen one, and the one that runs where that is the next.</param>
/// <param name="Running">Whether the last of them is not over yet.</param>
/// <param name="Member">Whose people these are of; null for everybody's.</param>
/// <param name="Currency">The practice's currency (ISO 4217).</param>
/// <param name="Looked">How many numbers were compared with the months before.</param>
/// <param name="Sentences">What changed by more than noise, the surest first, six at most.</param>
/// <param name="Tables">The numbers.</param>
public sealed record PracticeNumbersDto(
    string Month,
    IReadOnlyList<string> Months,
    bool Running,
    Guid? Member,
    string Currency,
    int Looked,
    IReadOnlyList<Noteworthy> Sentences,
    IReadOnlyList<NumbersTable> Tables
);

/// <summary>The practice's numbers, counted from what it did.</summary>
/// <param name="db">A context of the practice.</param>
/// <param name="zone">The practice's zone; its months are these.</param>
/// <param name="reached">Outcomes of calls that mean somebody was reached.</param>
/// <param name="member">Only of the people this member looks after; null for everybody.</param>
public sealed class PracticeNumbers(GerminalDb db, DateTimeZone zone, IReadOnlyList<string> reached, Guid? member)
{
    /// <summary>So many months a month is compared with.</summary>
    public const int Before = 12;

    /// <summary>So many sentences are said at most.</summary>
    public const int MostSentences = 6;

    private static readonly YearMonthPattern Pattern = YearMonthPattern.CreateWithInvariantCulture("uuuu-MM");

    /// <summary>A month as it is asked for, <c>2027-02</c>; null for what is none or lies outside of what is counted.</summary>
    public static YearMonth? MonthOf(string text) => Pattern.Parse(text).TryGetValue(default, out var month) && month.Year is >= 2000 and <= 2200 ? month : null;

    /// <summary>A month as it is written.</summary>
    public static string Written(YearMonth month) => Pattern.Format(month);

    /// <summary>The last month that is over.</summary>
    public static YearMonth LastWhole(LocalDate today) => today.ToYearMonth().PlusMonths(-1);

    /// <summary>The moments a month begins and ends.</summary>
    public static (Instant From, Instant Until) EndsOf(YearMonth month, DateTimeZone zone) =>
        (zone.AtStartOfDay(month.OnDayOfMonth(1)).ToInstant(), zone.AtStartOfDay(month.PlusMonths(1).OnDayOfMonth(1)).ToInstant());

    /// <summary>The months that are shown: those before, the chosen one, and the one that runs where that is the next.</summary>
    public static IReadOnlyList<YearMonth> Shown(YearMonth month, LocalDate today) =>
        [.. Enumerable.Range(-Before, Before + (month.PlusMonths(1) == today.ToYearMonth() ? 2 : 1)).Select(month.PlusMonths)];

    /// <summary>Of the practice a context is of.</summary>
    public static async Task<PracticeNumbers> ForAsync(GerminalDb db, Guid? member, CancellationToken stop)
    {
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        return new PracticeNumbers(db, practice.Zone, CallOutcomes.Reaching(settings), member);
    }

    /// <summary>Counts.</summary>
    /// <param name="month">The month.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public async Task<PracticeNumbersDto> ReadAsync(YearMonth month, Instant now, CancellationToken stop)
    {
        var months = Shown(month, now.InZone(zone).Date);
        var from = EndsOf(months[0], zone).From;
        var until = EndsOf(months[^1], zone).Until;
        var grid = new MonthGrid(months, await CountsAsync(from, until, stop), await WaitsAsync(from, until, now, stop));
        var currency = (await db.OwnPracticeAsync(stop)).Settings.Prices.Currency;
        var (sentences, looked) = NumberWords.Sentences(grid);
        return new PracticeNumbersDto(Written(month), [.. months.Select(Written)], months.Count > Before + 1, member, currency, looked, sentences, NumberWords.Tables(grid));
    }

    private sealed record Counted(LocalDate Month, string What, long Number, decimal Money);

    /// <summary>Everything that is counted, by month and word, in one round trip.</summary>
    private async Task<IReadOnlyList<MonthCell>> CountsAsync(Instant from, Instant until, CancellationToken stop)
    {
        var (name, reachedBy) = (zone.Id, reached.ToArray());
        var rows = await db
            .Database.SqlQuery<Counted>(
                $"""
                WITH theirs AS (SELECT id FROM people WHERE practice_id = {db.PracticeId} AND owner_id = {member}::uuid),
                sent AS (
                  SELECT date_trunc('month', sent_at AT TIME ZONE {name})::date AS month, channel, count(*) AS sent, count(bounced_at) AS bounced, count(opened_at) AS opened, count(followed_at) AS followed,
                    count(answered_at) AS answered, count(opted_out_at) AS opted_out, count(complained_at) AS complained
                  FROM messages WHERE practice_id = {db.PracticeId} AND sent_at >= {from} AND sent_at < {until} AND member_id IS NULL
                    AND ({member}::uuid IS NULL OR person_id IN (SELECT id FROM theirs)) GROUP BY 1, 2),
                made AS (
                  SELECT closed_at AS at, kind, call_outcome AS outcome, program_id AS program FROM touches
                  WHERE practice_id = {db.PracticeId} AND closed_at >= {from} AND closed_at < {until} AND status = 'done' AND kind IN ('call', 'note', 'post')
                    AND ({member}::uuid IS NULL OR person_id IN (SELECT id FROM theirs))
                  UNION ALL
                  SELECT done_at, CASE WHEN kind IN ('call', 'note') THEN kind ELSE 'task' END, outcome, NULL FROM tasks
                  WHERE practice_id = {db.PracticeId} AND done_at >= {from} AND done_at < {until}
                    AND ({member}::uuid IS NULL OR person_id IN (SELECT id FROM theirs) OR (person_id IS NULL AND member_id = {member}::uuid))),
                left_ AS (
                  SELECT at, CASE WHEN coalesce(trim(reason), '') = '' OR reason LIKE 'touch %' THEN source ELSE trim(reason) END AS reason FROM consent
                  WHERE practice_id = {db.PracticeId} AND NOT is_in AND taken_back_at IS NULL AND at >= {from} AND at < {until}
                    AND ({member}::uuid IS NULL OR person_id IN (SELECT id FROM theirs)))
                SELECT s.month, v.what, v.number, 0.0 AS money FROM sent s, LATERAL (VALUES
                  (s.channel, s.sent), ('delivered', s.sent - s.bounced), ('bounced', s.bounced), ('followed', s.followed), ('answered', s.answered), ('opted-out', s.opted_out), ('complained', s.complained),
                  ('sent', s.sent), ('arrived', CASE WHEN s.channel = 'email' THEN s.sent - s.bounced ELSE 0 END), ('opened', CASE WHEN s.channel = 'email' THEN s.opened ELSE 0 END)) v(what, number)
                UNION ALL
                SELECT date_trunc('month', at AT TIME ZONE {name})::date, v.what, count(*), 0 FROM made, LATERAL (VALUES
                  (kind), (CASE WHEN kind = 'call' AND outcome = ANY({reachedBy}) THEN 'reached' END), (CASE WHEN program IS NOT NULL THEN 'by-program:' || program END)) v(what) WHERE v.what IS NOT NULL GROUP BY 1, 2
                UNION ALL
                SELECT date_trunc('month', added_at AT TIME ZONE {name})::date, 'new-people', count(*), 0 FROM people
                WHERE practice_id = {db.PracticeId} AND added_at >= {from} AND added_at < {until} AND ({member}::uuid IS NULL OR owner_id = {member}::uuid) GROUP BY 1
                UNION ALL
                SELECT date_trunc('month', received_at AT TIME ZONE {name})::date, 'inquiries', count(*), 0 FROM inquiries
                WHERE practice_id = {db.PracticeId} AND received_at >= {from} AND received_at < {until} AND ({member}::uuid IS NULL OR person_id IN (SELECT id FROM theirs)) GROUP BY 1
                UNION ALL
                SELECT date_trunc('month', at AT TIME ZONE {name})::date, v.what, sum(v.number)::bigint, 0 FROM appointments, LATERAL (VALUES
                  ('appointments', 1), ('missed', CASE WHEN missed_at IS NULL THEN 0 ELSE 1 END), ('meeting-minutes', CASE WHEN missed_at IS NULL THEN minutes ELSE 0 END)) v(what, number)
                WHERE practice_id = {db.PracticeId} AND cancelled_at IS NULL AND at >= {from} AND at < {until} AND ({member}::uuid IS NULL OR person_id IN (SELECT id FROM theirs)) GROUP BY 1, 2
                UNION ALL
                SELECT date_trunc('month', opened_at AT TIME ZONE {name})::date, 'opportunities', count(*), 0 FROM opportunities
                WHERE practice_id = {db.PracticeId} AND opened_at >= {from} AND opened_at < {until} AND ({member}::uuid IS NULL OR person_id IN (SELECT id FROM theirs)) GROUP BY 1
                UNION ALL
                SELECT date_trunc('month', closed_at AT TIME ZONE {name})::date, status, count(*), coalesce(sum(worth), 0) FROM opportunities
                WHERE practice_id = {db.PracticeId} AND status IN ('won', 'lost') AND closed_at >= {from} AND closed_at < {until} AND ({member}::uuid IS NULL OR person_id IN (SELECT id FROM theirs)) GROUP BY 1, 2
                UNION ALL
                SELECT date_trunc('month', at AT TIME ZONE {name})::date, v.what, count(*), 0 FROM left_, LATERAL (VALUES ('left'), ('left:' || reason)) v(what) GROUP BY 1, 2
                """
            )
            .ToListAsync(stop);
        var programs = await db.ProgramsAndBroadcasts.AsNoTracking().Select(p => new { p.Id, p.Name }).ToDictionaryAsync(p => NumberWords.ByProgram + p.Id, p => p.Name, stop);
        return [.. rows.Select(r => new MonthCell(r.Month.ToYearMonth(), r.What, r.Number, r.Money, programs.GetValueOrDefault(r.What)))];
    }

    private sealed record Waited(LocalDate Month, decimal Hours, bool Ended);

    /// <summary>How long each inquiry waited for its answer; one that still waits has waited until now.</summary>
    private async Task<IReadOnlyList<MonthWait>> WaitsAsync(Instant from, Instant until, Instant now, CancellationToken stop)
    {
        var name = zone.Id;
        var rows = await db
            .Database.SqlQuery<Waited>(
                $"""
                SELECT date_trunc('month', received_at AT TIME ZONE {name})::date AS month, round(extract(epoch FROM greatest(coalesce(answered_at, {now}) - received_at, interval '0')) / 3600, 2) AS hours, answered_at IS NOT NULL AS ended
                FROM inquiries WHERE practice_id = {db.PracticeId} AND received_at >= {from} AND received_at < {until}
                  AND ({member}::uuid IS NULL OR person_id IN (SELECT id FROM people WHERE practice_id = {db.PracticeId} AND owner_id = {member}::uuid))
                """
            )
            .ToListAsync(stop);
        return [.. rows.Select(r => new MonthWait(r.Month.ToYearMonth(), new Wait(r.Hours, r.Ended)))];
    }
}
