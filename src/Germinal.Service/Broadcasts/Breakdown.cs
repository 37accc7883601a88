using Germinal.Core.Broadcasts;
using Germinal.Core.Time;
using Germinal.Store;
using Microsoft.EntityFrameworkCore;

namespace Germinal.Service.Broadcasts;

/// <summary>A place where people live (their address, rule 14.7), and what they did.</summary>
/// <param name="State">The state's code; empty where it is not known.</param>
/// <param name="City">The city; empty where it is not known.</param>
/// <param name="Country">The country's code; empty where it is the practice's own, or not known.</param>
/// <param name="Delivered">How many messages arrived there.</param>
/// <param name="Opened">How many were opened by a person.</param>
/// <param name="Followed">Of how many a link was followed.</param>
public sealed record ByPlace(string State, string City, string Country, int Delivered, int Opened, int Followed);

/// <summary>A mail provider, by the domain people are written to at.</summary>
/// <param name="Domain">The domain.</param>
/// <param name="Sent">How many went there.</param>
/// <param name="Bounced">How many came back.</param>
/// <param name="Opened">How many were opened by a person.</param>
/// <param name="Complained">How many complained.</param>
public sealed record ByProvider(string Domain, int Sent, int Bounced, int Opened, int Complained);

/// <summary>A link of the message, and by how many people it was followed.</summary>
public sealed record ByLink(string Name, string Address, int People);

/// <summary>What followed (rule 14.6): each person once, within a span of their touch. Nothing here is said to be an effect.</summary>
/// <param name="Within">The span, ISO 8601.</param>
/// <param name="Opened">Opportunities were opened: of how many people.</param>
/// <param name="Won">Were won: of how many people.</param>
/// <param name="Money">What the first of each brought, in the practice's money.</param>
/// <param name="Appointments">Appointments were made: with how many people.</param>
/// <param name="Goal">Its own goal: for how many people it came; null where it has none.</param>
/// <param name="Currency">The currency's code (ISO 4217).</param>
public sealed record FollowedBy(string Within, int Opened, int Won, decimal Money, int Appointments, int? Goal, string Currency);

/// <summary>A program's messages by place, by mail provider and by link, and what followed.</summary>
/// <param name="Places">By place; those where most live first.</param>
/// <param name="Providers">By mail provider; the largest first.</param>
/// <param name="Links">By link; the most followed first.</param>
/// <param name="Followed">What followed.</param>
public sealed record BreakdownDto(IReadOnlyList<ByPlace> Places, IReadOnlyList<ByProvider> Providers, IReadOnlyList<ByLink> Links, FollowedBy Followed);

/// <summary>Counts by what people and messages are, from the rows themselves: asked for apart from the numbers that are kept up.</summary>
public static class Breakdown
{
    private const int MostPlaces = 200;
    private const int MostProviders = 40;
    private const int MostLinks = 100;

    /// <summary>All of it.</summary>
    /// <param name="db">A context of the practice.</param>
    /// <param name="program">The program.</param>
    /// <param name="goal">Its goal; null for none.</param>
    /// <param name="stop">Gives up.</param>
    public static async Task<BreakdownDto> OfAsync(GerminalDb db, Guid program, BroadcastGoal? goal, CancellationToken stop) =>
        new(
            await db
                .Database.SqlQuery<ByPlace>(
                    $"""
                    SELECT coalesce(p.state, '') AS state, coalesce(p.city, '') AS city, coalesce(p.country, '') AS country, count(*)::int AS delivered, count(m.opened_at)::int AS opened, count(m.followed_at)::int AS followed
                    FROM messages m JOIN people p ON p.id = m.person_id WHERE m.program_id = {program} AND m.practice_id = {db.PracticeId} AND m.member_id IS NULL AND m.bounced_at IS NULL
                    GROUP BY 1, 2, 3 ORDER BY 4 DESC, 1, 2 LIMIT {MostPlaces}
                    """
                )
                .ToListAsync(stop),
            await db
                .Database.SqlQuery<ByProvider>(
                    $"""
                    SELECT lower(split_part(to_address, '@', 2)) AS domain, count(*)::int AS sent, count(bounced_at)::int AS bounced, count(opened_at)::int AS opened, count(complained_at)::int AS complained
                    FROM messages WHERE program_id = {program} AND practice_id = {db.PracticeId} AND member_id IS NULL AND channel = 'email'
                    GROUP BY 1 ORDER BY 2 DESC, 1 LIMIT {MostProviders}
                    """
                )
                .ToListAsync(stop),
            await db
                .Database.SqlQuery<ByLink>(
                    $"""
                    SELECT coalesce(m.links -> v.link ->> 'name', '') AS name, coalesce(m.links -> v.link ->> 'address', '') AS address, count(DISTINCT v.person_id)::int AS people
                    FROM visits v JOIN messages m ON m.touch_id = v.touch_id
                    WHERE m.program_id = {program} AND m.practice_id = {db.PracticeId} AND m.member_id IS NULL AND v.link IS NOT NULL AND NOT v.by_machine
                    GROUP BY 1, 2 ORDER BY 3 DESC, 1 LIMIT {MostLinks}
                    """
                )
                .ToListAsync(stop),
            await FollowedAsync(db, program, goal, stop)
        );

    private sealed record Counted(int Opened, int Won, decimal Money, int Appointments, int Goal);

    /// <summary>What followed within the goal's span of the first touch that reached each person.</summary>
    public static async Task<FollowedBy> FollowedAsync(GerminalDb db, Guid program, BroadcastGoal? goal, CancellationToken stop)
    {
        var within = goal?.Within ?? BroadcastGoal.Span;
        var span = Distance.Parse(within).Text;
        var (kind, what) = (goal?.Kind ?? "", goal?.What ?? "");
        var found = (
            await db
                .Database.SqlQuery<Counted>(
                    $"""
                    WITH touched AS MATERIALIZED (
                      SELECT person_id, min(settled_at) AS since, min(settled_at) + {span}::interval AS until FROM touches
                      WHERE program_id = {program} AND practice_id = {db.PracticeId} AND status IN ('sent', 'done') GROUP BY 1),
                    won AS (SELECT DISTINCT ON (o.person_id) o.worth FROM opportunities o JOIN touched t USING (person_id)
                      WHERE o.status = 'won' AND o.closed_at >= t.since AND o.closed_at < t.until ORDER BY o.person_id, o.closed_at)
                    SELECT (SELECT count(DISTINCT o.person_id)::int FROM opportunities o JOIN touched t USING (person_id) WHERE o.opened_at >= t.since AND o.opened_at < t.until) AS opened,
                      (SELECT count(*)::int FROM won) AS won, (SELECT coalesce(sum(worth), 0) FROM won) AS money,
                      (SELECT count(DISTINCT e.person_id)::int FROM events e JOIN touched t USING (person_id) WHERE e.kind = 'appointment-booked' AND e.at >= t.since AND e.at < t.until) AS appointments,
                      (SELECT count(DISTINCT e.person_id)::int FROM events e JOIN touched t USING (person_id) WHERE e.at >= t.since AND e.at < t.until AND goal_came(e.kind, e.data, {kind}, {what})) AS goal
                    """
                )
                .ToListAsync(stop)
        ).Single();
        var currency = (await db.OwnPracticeAsync(stop)).Settings.Prices.Currency;
        return new FollowedBy(within, found.Opened, found.Won, found.Money, found.Appointments, goal is null ? null : found.Goal, currency);
    }
}
