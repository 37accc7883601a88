using Germinal.Store;
using Microsoft.EntityFrameworkCore;
using NodaTime;

namespace Germinal.Service.Installation;

/// <summary>How large a practice is and how it fares, in numbers and moments only: nothing that stands in any of its rows.</summary>
/// <param name="Members">Who belongs to it, invited ones included.</param>
/// <param name="People">Those who were put away included.</param>
/// <param name="ProgramsOn">Programs that are on.</param>
/// <param name="Messages">Letters, texts and notes that have gone, ever.</param>
/// <param name="MessagesLately">Of those, in the last thirty days of the practice's clock.</param>
/// <param name="FileBytes">What its files, pictures and films take.</param>
/// <param name="TableBytes">About what the rest takes: its share of the largest tables, by the number of rows.</param>
/// <param name="SeenAt">When a member was last seen, by the machine's clock; null where nobody is signed in.</param>
/// <param name="WaitsSince">Since when the oldest touch waits that should have been looked at; null where none does.</param>
/// <param name="SetAside">On how many people work is set aside because of an error.</param>
/// <param name="Away">How many of its servers (mail, texts) do not take what is handed to them.</param>
/// <param name="HasPrincipal">Whether a principal has joined.</param>
public sealed record PracticeSize(
    Guid Id,
    string Name,
    string ZoneId,
    Instant? StoppedAt,
    string StoppedWhy,
    Instant? EndsAt,
    int Members,
    bool HasPrincipal,
    long People,
    int ProgramsOn,
    long Messages,
    long MessagesLately,
    long FileBytes,
    long TableBytes,
    Instant? SeenAt,
    Instant? WaitsSince,
    int SetAside,
    int Away
);

/// <summary>The sizes of all practices, for whoever keeps the installation.</summary>
public static class PracticeSizes
{
    private static readonly Duration Lately = Duration.FromDays(30);

    /// <summary>A touch waits that long before it is called waiting: a round of the workers.</summary>
    private static readonly Duration Round = Duration.FromMinutes(2);

    /// <summary>Asks for all of them at once.</summary>
    /// <param name="db">A context of no practice, or of the house.</param>
    /// <param name="now">By the clock practices go by.</param>
    /// <param name="stop">Gives up.</param>
    public static Task<List<PracticeSize>> AllAsync(GerminalDb db, Instant now, CancellationToken stop) =>
        db
            .Database.SqlQuery<PracticeSize>(
                $"""
                WITH counted AS (
                  SELECT 'people' AS tab, practice_id, count(*) AS n FROM people GROUP BY 2
                  UNION ALL SELECT 'touches', practice_id, count(*) FROM touches GROUP BY 2
                  UNION ALL SELECT 'messages', practice_id, count(*) FROM messages GROUP BY 2
                  UNION ALL SELECT 'events', practice_id, count(*) FROM events GROUP BY 2
                  UNION ALL SELECT 'journal', practice_id, count(*) FROM journal GROUP BY 2),
                whole AS (SELECT tab, sum(n) AS n, pg_total_relation_size(tab::regclass) AS bytes FROM counted GROUP BY tab),
                share AS (SELECT c.practice_id, sum(w.bytes * c.n / w.n)::bigint AS bytes FROM counted c JOIN whole w USING (tab) GROUP BY 1),
                files AS (
                  SELECT practice_id, sum(bytes)::bigint AS bytes FROM (
                    SELECT practice_id, octet_length(content) AS bytes FROM kept_files
                    UNION ALL SELECT practice_id, octet_length(content) FROM images
                    UNION ALL SELECT practice_id, octet_length(content) FROM film_pieces
                    UNION ALL SELECT practice_id, octet_length(content) FROM submitted_files
                    UNION ALL SELECT practice_id, octet_length(content) FROM received_files) f GROUP BY 1),
                team AS (
                  SELECT practice_id, count(*)::int AS members, bool_or(role = 'principal' AND password_hash IS NOT NULL) AS has_principal FROM "AspNetUsers" WHERE left_at IS NULL GROUP BY 1),
                seen AS (SELECT u.practice_id, max(s.seen_at) AS at FROM sessions s JOIN "AspNetUsers" u ON u.id = s.member_id GROUP BY 1)
                SELECT p.id, p.name, p.zone_id, p.stopped_at, p.stopped_why, p.ends_at, coalesce(t.members, 0) AS members, coalesce(t.has_principal, false) AS has_principal,
                  coalesce((SELECT n FROM counted c WHERE c.tab = 'people' AND c.practice_id = p.id), 0) AS people,
                  (SELECT count(*)::int FROM programs g WHERE g.practice_id = p.id AND g.status = 'on' AND NOT g.broadcast) AS programs_on,
                  coalesce((SELECT n FROM counted c WHERE c.tab = 'messages' AND c.practice_id = p.id), 0) AS messages,
                  (SELECT count(*) FROM messages m WHERE m.practice_id = p.id AND m.sent_at > {now - Lately}) AS messages_lately,
                  coalesce(f.bytes, 0) AS file_bytes, coalesce(s.bytes, 0) AS table_bytes, seen.at AS seen_at,
                  (SELECT min(next_due) FROM person_states x WHERE x.practice_id = p.id AND x.set_aside IS NULL AND x.next_due < {now - Round}) AS waits_since,
                  (SELECT count(*)::int FROM person_states x WHERE x.practice_id = p.id AND x.set_aside IS NOT NULL) AS set_aside,
                  (SELECT count(*)::int FROM providers v WHERE v.practice_id = p.id AND v.trouble <> '') AS away
                FROM practices p LEFT JOIN team t ON t.practice_id = p.id LEFT JOIN share s ON s.practice_id = p.id LEFT JOIN files f ON f.practice_id = p.id
                  LEFT JOIN seen ON seen.practice_id = p.id
                WHERE p.id <> {Store.Rows.PracticeRow.House} ORDER BY lower(p.name), p.id
                """
            )
            .ToListAsync(stop);

    /// <summary>What the whole database takes, in bytes.</summary>
    public static Task<long> OfDatabaseAsync(GerminalDb db, CancellationToken stop) =>
        db.Database.SqlQuery<long>($"SELECT pg_database_size(current_database()) AS \"Value\"").SingleAsync(stop);
}
