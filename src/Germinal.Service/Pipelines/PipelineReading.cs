using Germinal.Core.Practices;
using Germinal.Core.Time;
using Germinal.Service.Engine;
using Germinal.Service.People;
using Germinal.Store;
using Germinal.Store.Rows;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Pipelines;

/// <summary>An open opportunity as a line.</summary>
/// <param name="Id">The opportunity.</param>
/// <param name="Person">Whose.</param>
/// <param name="Title">What it is about.</param>
/// <param name="Worth">What it is worth; null where nobody has said.</param>
/// <param name="Days">Days it has stood in its stage, by the dates of the practice.</param>
/// <param name="Owner">Who looks after it; null for nobody.</param>
/// <param name="OwnerId">Their id.</param>
/// <param name="LastAnswer">When they last answered; null for never.</param>
/// <param name="NextTouch">When the next touch is due; null where nothing is planned.</param>
/// <param name="Appointment">Their next appointment; null for none.</param>
/// <param name="ExpectedOn">When it is expected to be closed, as a date.</param>
/// <param name="OpenedAt">When it was opened.</param>
public sealed record OpportunityLine(
    Guid Id,
    PersonRef Person,
    string Title,
    decimal? Worth,
    int Days,
    string? Owner,
    Guid? OwnerId,
    string? LastAnswer,
    string? NextTouch,
    string? Appointment,
    string? ExpectedOn,
    string OpenedAt
);

/// <summary>A stage with the opportunities that stand in it.</summary>
/// <param name="Stage">As opportunities name it, <c>Pipeline/Stage</c>.</param>
/// <param name="Name">The stage's own name.</param>
/// <param name="Count">How many stand in it.</param>
/// <param name="Worth">What they are worth together.</param>
/// <param name="UsualDays">Days until half have left it for a later one (rule 14.4); null where too few have been in it, or fewer than half leave it.</param>
/// <param name="Rows">The first of them, those that have stood longest first.</param>
public sealed record PipelineStage(string Stage, string Name, int Count, decimal Worth, int? UsualDays, IReadOnlyList<OpportunityLine> Rows);

/// <summary>What moved in one month.</summary>
/// <param name="Month">As <c>YYYY-MM</c>.</param>
/// <param name="Opened">How many were opened.</param>
/// <param name="Forward">How many moves to another stage there were.</param>
/// <param name="Won">How many were won.</param>
/// <param name="WonWorth">What those brought.</param>
/// <param name="Lost">How many were lost.</param>
public sealed record PipelineMonth(string Month, int Opened, int Forward, int Won, decimal WonWorth, int Lost);

/// <summary>A pipeline as a page.</summary>
/// <param name="Now">The practice's moment.</param>
/// <param name="Zone">Its zone.</param>
/// <param name="Currency">Its currency (ISO 4217).</param>
/// <param name="Pipelines">All pipelines of the practice.</param>
/// <param name="Pipeline">The one that is shown; null where the practice has none.</param>
/// <param name="Reasons">Why opportunities are lost, in the practice's words.</param>
/// <param name="Stages">Its stages in order; one that was taken out of the practice's list and still holds some stands last.</param>
/// <param name="Months">This month, then the three before.</param>
public sealed record PipelineDto(
    string Now,
    string Zone,
    string Currency,
    IReadOnlyList<string> Pipelines,
    string? Pipeline,
    IReadOnlyList<string> Reasons,
    IReadOnlyList<PipelineStage> Stages,
    IReadOnlyList<PipelineMonth> Months
);

/// <summary>Reads a pipeline: what stands in it, how long, and what moved.</summary>
public static class PipelineReading
{
    /// <summary>The most lines of one stage.</summary>
    public const int MostOfStage = 200;

    /// <summary>Months that are read: this one and those before it.</summary>
    private const int Months = 4;

    /// <summary>Reads it.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="pipeline">Its name; null for the first.</param>
    /// <param name="member">Only what this member looks after.</param>
    /// <param name="people">Only opportunities of these people; null for all.</param>
    /// <param name="now">Practice time.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<PipelineDto> ReadAsync(GerminalDb db, string? pipeline, Guid? member, IQueryable<Guid>? people, Instant now, CancellationToken stop)
    {
        var (practice, settings) = await PracticeReading.LoadWithSettingsAsync(db, stop);
        var shown = practice.Pipelines.FirstOrDefault(p => p.Name == pipeline) ?? (practice.Pipelines is [var one, ..] ? one : null);
        var empty = new PipelineDto(now.Iso(), practice.Zone.Id, settings.Prices.Currency, [.. practice.Pipelines.Select(p => p.Name)], shown?.Name, settings.LostReasons, [], []);
        if (shown is null)
        {
            return empty;
        }

        var prefix = $"{shown.Name}/";
        var mine = db.Opportunities.AsNoTracking().Where(o => o.Stage.StartsWith(prefix) && (member == null || o.OwnerId == member));
        mine = people is null ? mine : mine.Where(o => people.Contains(o.PersonId));
        var counts = await mine
            .Where(o => o.Status == "open")
            .GroupBy(o => o.Stage)
            .Select(g => new
            {
                Stage = g.Key,
                Count = g.Count(),
                Worth = g.Sum(o => o.Worth ?? 0),
            })
            .ToDictionaryAsync(g => g.Stage, stop);
        var usual = (await PipelineHistory.LoadAsync(db, practice, shown, now, stop)).Times().ToDictionary(s => s.Stage, s => s.MedianDays);
        var stages = new List<PipelineStage>();
        foreach (var stage in shown.Stages.Select(s => prefix + s).Concat(counts.Keys.Order(StringComparer.Ordinal)).Distinct())
        {
            var counted = counts.GetValueOrDefault(stage);
            stages.Add(
                new PipelineStage(
                    stage,
                    stage[prefix.Length..],
                    counted?.Count ?? 0,
                    counted?.Worth ?? 0,
                    usual.GetValueOrDefault(stage),
                    counted is null ? [] : await LinesAsync(db, mine.Where(o => o.Status == "open" && o.Stage == stage), practice, now, stop)
                )
            );
        }

        return empty with
        {
            Stages = stages,
            Months = await MonthsAsync(db, mine, practice.Zone, now, stop),
        };
    }

    private static async Task<IReadOnlyList<OpportunityLine>> LinesAsync(GerminalDb db, IQueryable<OpportunityRow> of, Practice practice, Instant now, CancellationToken stop)
    {
        var rows = await of.OrderBy(o => o.StageSince)
            .ThenBy(o => o.Id)
            .Take(MostOfStage)
            .Join(db.People, o => o.PersonId, p => p.Id, (o, p) => new { Opportunity = o, Person = p })
            .Join(
                db.States,
                x => x.Person.Id,
                s => s.PersonId,
                (x, s) => new
                {
                    x.Opportunity,
                    x.Person,
                    s.LastReplyAt,
                    s.NextTouchAt,
                    Appointment = db.Appointments.Where(a => a.PersonId == x.Person.Id && a.CancelledAt == null && a.At > now).Min(a => (Instant?)a.At),
                }
            )
            .ToListAsync(stop);
        var today = now.InZone(practice.Zone).Date;
        return
        [
            .. rows.OrderBy(r => r.Opportunity.StageSince)
                .ThenBy(r => r.Opportunity.Id)
                .Select(r => new OpportunityLine(
                    r.Opportunity.Id,
                    new PersonRef(r.Person.Id, r.Person.Name),
                    r.Opportunity.Title,
                    r.Opportunity.Worth,
                    Period.DaysBetween(r.Opportunity.StageSince.InZone(practice.Zone).Date, today),
                    practice.Members.FirstOrDefault(m => m.Id == r.Opportunity.OwnerId)?.Name,
                    r.Opportunity.OwnerId,
                    r.LastReplyAt?.Iso(),
                    r.NextTouchAt == Instant.MaxValue ? null : r.NextTouchAt.Iso(),
                    r.Appointment?.Iso(),
                    r.Opportunity.ExpectedOn?.Iso(),
                    r.Opportunity.OpenedAt.Iso()
                )),
        ];
    }

    private static async Task<IReadOnlyList<PipelineMonth>> MonthsAsync(GerminalDb db, IQueryable<OpportunityRow> mine, DateTimeZone zone, Instant now, CancellationToken stop)
    {
        var first = now.InZone(zone).Date.With(DateAdjusters.StartOfMonth);
        var months = new List<PipelineMonth>();
        for (var i = 0; i < Months; i++)
        {
            var from = first.PlusMonths(-i);
            var (begins, ends) = (from.AtStartOfDayInZone(zone).ToInstant(), from.PlusMonths(1).AtStartOfDayInZone(zone).ToInstant());
            var closed = await mine
                .Where(o => o.ClosedAt >= begins && o.ClosedAt < ends)
                .GroupBy(o => o.Status)
                .Select(g => new
                {
                    Status = g.Key,
                    Count = g.Count(),
                    Worth = g.Sum(o => o.Worth ?? 0),
                })
                .ToDictionaryAsync(g => g.Status, stop);
            months.Add(
                new PipelineMonth(
                    from.Iso()[..7],
                    await mine.CountAsync(o => o.OpenedAt >= begins && o.OpenedAt < ends, stop),
                    await db.OpportunityMoves.CountAsync(
                        m =>
                            m.At >= begins
                            && m.At < ends
                            && m.Status == "open"
                            && mine.Any(o => o.Id == m.OpportunityId)
                            && db.OpportunityMoves.Any(before => before.OpportunityId == m.OpportunityId && before.Id < m.Id),
                        stop
                    ),
                    closed.GetValueOrDefault("won")?.Count ?? 0,
                    closed.GetValueOrDefault("won")?.Worth ?? 0,
                    closed.GetValueOrDefault("lost")?.Count ?? 0
                )
            );
        }

        return months;
    }
}
