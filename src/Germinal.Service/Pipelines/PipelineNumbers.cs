using Germinal.Core.Results;
using Germinal.Service.Engine;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Pipelines;

/// <summary>A point of a stage's curve: after so many days the share still stands in it, with its 80 % band.</summary>
public sealed record StagePoint(int Days, double Share, double Low, double High);

/// <summary>How long one stage takes.</summary>
/// <param name="Name">The stage's own name.</param>
/// <param name="Count">How many came into it.</param>
/// <param name="WentOn">How many went on from it: to a later stage, or won.</param>
/// <param name="Enough">False where that is too few to say anything.</param>
/// <param name="MedianDays">Days until half went on; null where it does not come to that.</param>
/// <param name="Curve">Step by step; empty where there are too few.</param>
public sealed record StageTimeDto(string Name, int Count, int WentOn, bool Enough, int? MedianDays, IReadOnlyList<StagePoint> Curve);

/// <summary>How many of those closed were won, with the 95 % interval.</summary>
/// <param name="Name">What they have in common; empty for all.</param>
/// <param name="Closed">How many were closed.</param>
/// <param name="Won">How many of them were won.</param>
/// <param name="Share">The share; null where there are too few to say.</param>
/// <param name="Low">The interval's lower end.</param>
/// <param name="High">Its upper end.</param>
public sealed record WonShare(string Name, int Closed, int Won, double? Share, double Low, double High);

/// <summary>What may come in within some days, of what is open now.</summary>
/// <param name="Days">Within so many days.</param>
/// <param name="Range">In eight of ten plays it is between its ends; null where there is too little history.</param>
public sealed record MoneyAhead(int Days, MoneyRange? Range);

/// <summary>A reason with how often it was given.</summary>
public sealed record LostFor(string Reason, int Count);

/// <summary>A pipeline's numbers, from the last three years.</summary>
/// <param name="Pipeline">The pipeline.</param>
/// <param name="Currency">The practice's currency (ISO 4217).</param>
/// <param name="Least">Under so many cases nothing is said.</param>
/// <param name="Stages">How long each stage takes.</param>
/// <param name="Won">Of all that were closed.</param>
/// <param name="BySource">By where the people came from.</param>
/// <param name="ByOwner">By who looks after them.</param>
/// <param name="Reasons">Why they were lost, the most given first.</param>
/// <param name="Open">How many are open and have a worth.</param>
/// <param name="Unvalued">How many are open and have none: they stand in no range.</param>
/// <param name="Ahead">What may come in.</param>
public sealed record PipelineNumbersDto(
    string Pipeline,
    string Currency,
    int Least,
    IReadOnlyList<StageTimeDto> Stages,
    WonShare Won,
    IReadOnlyList<WonShare> BySource,
    IReadOnlyList<WonShare> ByOwner,
    IReadOnlyList<LostFor> Reasons,
    int Open,
    int Unvalued,
    IReadOnlyList<MoneyAhead> Ahead
);

/// <summary>A pipeline's numbers: how long, how many, and what may come in.</summary>
public static class PipelineNumbers
{
    private static readonly int[] Within = [30, 90, 180];

    /// <summary>Works them out.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="pipeline">Its name; null for the first.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    /// <returns>Null where there is no such pipeline.</returns>
    public static async Task<PipelineNumbersDto?> ReadAsync(GerminalDb db, string? pipeline, Instant now, CancellationToken stop)
    {
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        if ((pipeline is null ? practice.Pipelines is [var one, ..] ? one : null : practice.Pipelines.FirstOrDefault(p => p.Name == pipeline)) is not { } shown)
        {
            return null;
        }

        var history = await PipelineHistory.LoadAsync(db, practice, shown, now, stop);
        var prefix = $"{shown.Name}/";
        var open = await db
            .Opportunities.AsNoTracking()
            .Where(o => o.Status == "open" && o.Stage.StartsWith(prefix))
            .Select(o => new
            {
                o.Stage,
                o.StageSince,
                o.Worth,
            })
            .ToListAsync(stop);
        var today = now.InZone(practice.Zone).Date;
        var courses = open.Select(o => o.Stage).Distinct().ToDictionary(s => s, history.CoursesFrom);
        List<OpenOne> valued =
        [
            .. open.Where(o => o.Worth is not null)
                .Select(o => new OpenOne(Period.DaysBetween(o.StageSince.InZone(practice.Zone).Date, today), o.Worth!.Value, courses[o.Stage])),
        ];

        // The same all day, and another tomorrow.
        var seed = Period.DaysBetween(new LocalDate(2000, 1, 1), today);
        return new PipelineNumbersDto(
            shown.Name,
            settings.Prices.Currency,
            StageHistory.Least,
            [.. history.Times().Select(t => TimeOf(t, prefix))],
            ShareOf("", history.Ways),
            SharesBy(history.Ways, w => w.Source),
            SharesBy(history.Ways, w => w.Owner),
            [
                .. history
                    .Ways.Where(w => w.Won == false)
                    .GroupBy(w => w.LostReason, StringComparer.OrdinalIgnoreCase)
                    .Select(g => new LostFor(g.Key, g.Count()))
                    .OrderByDescending(r => r.Count)
                    .ThenBy(r => r.Reason, StringComparer.Ordinal),
            ],
            valued.Count,
            open.Count - valued.Count,
            [.. Within.Select(days => new MoneyAhead(days, Forecast.Won(valued, days, new Random(seed).Next)))]
        );
    }

    private static StageTimeDto TimeOf(StageTime time, string prefix) =>
        new(
            time.Stage[prefix.Length..],
            time.Count,
            time.WentOn,
            time.Count >= StageHistory.Least,
            time.MedianDays,
            [.. time.Curve.Select(s => new StagePoint((int)s.Step.Time, (double)s.Step.Waiting, s.Low, s.High))]
        );

    private static IReadOnlyList<WonShare> SharesBy(IEnumerable<OpportunityWay> ways, Func<OpportunityWay, string> by) =>
        [
            .. ways.GroupBy(by, StringComparer.OrdinalIgnoreCase)
                .Select(g => ShareOf(g.Key, g))
                .Where(s => s.Closed > 0)
                .OrderByDescending(s => s.Closed)
                .ThenBy(s => s.Name, StringComparer.Ordinal),
        ];

    private static WonShare ShareOf(string name, IEnumerable<OpportunityWay> ways)
    {
        var share = StageHistory.WonOf(ways);
        return new WonShare(name, share.Of, share.Some, share.Of < StageHistory.Least ? null : share.Share, share.Low, share.High);
    }
}
