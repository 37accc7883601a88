using Germinal.Core.Time;
using Germinal.Service.People;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Pipelines;

/// <summary>Which of those lost are asked for. A null asks for all.</summary>
public sealed record LostFilter
{
    /// <summary>Of one pipeline.</summary>
    public string? Pipeline { get; init; }

    /// <summary>Lost from this stage, as <c>Pipeline/Stage</c>.</summary>
    public string? Stage { get; init; }

    /// <summary>For this reason.</summary>
    public string? Reason { get; init; }

    /// <summary>Of people in this city.</summary>
    public string? Place { get; init; }

    /// <summary>Lost before this day, as <c>YYYY-MM-DD</c>.</summary>
    public string? Before { get; init; }

    /// <summary>Whether archived people are looked at too.</summary>
    public bool? Archived { get; init; }
}

/// <summary>Somebody whose opportunity was lost; of several of theirs the last.</summary>
/// <param name="OpportunityId">The opportunity.</param>
/// <param name="Person">Whose.</param>
/// <param name="Title">What it was about.</param>
/// <param name="Stage">Where it stood, as <c>Pipeline/Stage</c>.</param>
/// <param name="Reason">Why it was lost; empty where nobody said.</param>
/// <param name="ClosedAt">When.</param>
/// <param name="Worth">What it was said to be worth; null where nobody had said.</param>
/// <param name="Place">The city they live in; null where nobody knows.</param>
/// <param name="Archived">Whether they are archived.</param>
/// <param name="StartedAt">When a program began for them last since then; null for none.</param>
/// <param name="Again">Whether another opportunity of theirs was opened since: open, won or lost; null for none.</param>
/// <param name="Brought">What the one that was won since brought; null where none was.</param>
public sealed record LostLine(
    Guid OpportunityId,
    PersonRef Person,
    string Title,
    string Stage,
    string Reason,
    string ClosedAt,
    decimal? Worth,
    string? Place,
    bool Archived,
    string? StartedAt,
    string? Again,
    decimal? Brought
);

/// <summary>Those lost, and what came of taking them up again.</summary>
/// <param name="Currency">The practice's currency (ISO 4217).</param>
/// <param name="Count">How many were lost and have no other opportunity since.</param>
/// <param name="Rows">The first of them, the longest ago first.</param>
/// <param name="Started">How many of all that were lost had a program begin since.</param>
/// <param name="OpenedAgain">How many had another opportunity opened since.</param>
/// <param name="WonAgain">How many of those were won.</param>
/// <param name="Brought">What these brought together.</param>
/// <param name="Came">Those with another opportunity since, the newest first.</param>
/// <param name="Reasons">The reasons that were given, the most given first.</param>
/// <param name="Stages">The stages they were lost from.</param>
/// <param name="Places">The cities they live in.</param>
public sealed record LostOnesDto(
    string Currency,
    int Count,
    IReadOnlyList<LostLine> Rows,
    int Started,
    int OpenedAgain,
    int WonAgain,
    decimal Brought,
    IReadOnlyList<LostLine> Came,
    IReadOnlyList<string> Reasons,
    IReadOnlyList<string> Stages,
    IReadOnlyList<string> Places
);

/// <summary>Lost ones, to be taken up again in one sitting.</summary>
public static class LostOnes
{
    /// <summary>The most lines.</summary>
    public const int Most = 300;

    private sealed record Lost(
        Guid Id,
        Guid PersonId,
        string? FirstName,
        string? LastName,
        string? Email,
        string? Mobile,
        string Title,
        string Stage,
        string? Reason,
        Instant ClosedAt,
        decimal? Worth,
        string? City,
        bool Archived,
        Instant? StartedAt,
        string? Again,
        decimal? Brought
    );

    /// <summary>Finds them. Those who are not to be contacted, or have died, are not among them.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="filter">Which of them.</param>
    /// <param name="zone">The practice's.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<LostOnesDto> ReadAsync(GerminalDb db, LostFilter filter, DateTimeZone zone, CancellationToken stop)
    {
        var before = Dates.TryParse(filter.Before) is { } day ? day.AtStartOfDayInZone(zone).ToInstant() : Instant.MaxValue;
        var all = await db
            .Database.SqlQuery<Lost>(
                $"""
                SELECT o.id, p.id AS person_id, p.first_name, p.last_name, p.email, p.mobile, o.title, o.stage, o.lost_reason AS reason, o.closed_at, o.worth, p.city, p.archived,
                  (SELECT max(r.started_at) FROM runs r WHERE r.person_id = p.id AND r.started_at >= o.closed_at) AS started_at,
                  (SELECT n.status FROM opportunities n WHERE n.person_id = p.id AND n.opened_at >= o.closed_at AND n.id <> o.id ORDER BY n.status = 'won' DESC, n.status = 'open' DESC, n.opened_at DESC LIMIT 1) AS again,
                  (SELECT sum(n.worth) FROM opportunities n WHERE n.person_id = p.id AND n.opened_at >= o.closed_at AND n.id <> o.id AND n.status = 'won') AS brought
                FROM (SELECT DISTINCT ON (person_id) * FROM opportunities WHERE practice_id = {db.PracticeId} AND status = 'lost' AND closed_at IS NOT NULL ORDER BY person_id, closed_at DESC, id) o
                JOIN people p ON p.id = o.person_id
                WHERE NOT p.died AND NOT p.do_not_contact
                ORDER BY o.closed_at, o.id
                """
            )
            .ToListAsync(stop);
        bool Fits(Lost o) =>
            (filter.Pipeline is null || o.Stage.StartsWith($"{filter.Pipeline}/", StringComparison.Ordinal))
            && (filter.Stage is null || o.Stage == filter.Stage)
            && (filter.Reason is null || string.Equals(o.Reason ?? "", filter.Reason, StringComparison.OrdinalIgnoreCase))
            && (filter.Place is null || string.Equals(o.City, filter.Place, StringComparison.OrdinalIgnoreCase))
            && o.ClosedAt < before
            && ((filter.Archived ?? false) || !o.Archived);
        var fitting = all.Where(Fits).ToList();
        var waiting = fitting.Where(o => o.Again is null).ToList();
        var came = fitting.Where(o => o.Again is not null).ToList();
        return new LostOnesDto(
            (await db.OwnPracticeAsync(stop)).Settings.Prices.Currency,
            waiting.Count,
            [.. waiting.Take(Most).Select(Line)],
            fitting.Count(o => o.StartedAt is not null),
            came.Count,
            came.Count(o => o.Again == "won"),
            came.Sum(o => o.Brought ?? 0),
            [.. came.OrderByDescending(o => o.ClosedAt).Take(Most).Select(Line)],
            [.. all.GroupBy(o => o.Reason ?? "", StringComparer.OrdinalIgnoreCase).OrderByDescending(g => g.Count()).Select(g => g.Key)],
            [.. all.Select(o => o.Stage).Distinct().Order(StringComparer.Ordinal)],
            [.. all.Select(o => o.City).OfType<string>().Where(c => c.Length > 0).Distinct(StringComparer.OrdinalIgnoreCase).Order(StringComparer.OrdinalIgnoreCase)]
        );
    }

    private static LostLine Line(Lost o) =>
        new(
            o.Id,
            new PersonRef(o.PersonId, Core.Contact.PersonName.Of(o.FirstName, o.LastName, o.Email, o.Mobile)),
            o.Title,
            o.Stage,
            o.Reason ?? "",
            o.ClosedAt.Iso(),
            o.Worth,
            o.City,
            o.Archived,
            o.StartedAt?.Iso(),
            o.Again,
            o.Brought
        );
}
