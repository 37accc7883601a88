using Microsoft.EntityFrameworkCore.Migrations;

namespace Germinal.Store.Migrations;

/// <summary>
/// How the database keeps up what became of messages, and the counts of it: whatever writes a visit, an answer, a touch or a message, and whatever takes
/// one away, the counts change in the same transaction.
/// </summary>
internal static class TallyFunctions
{
    public static void Create(MigrationBuilder migration)
    {
        migration.Sql(
            """
            -- What became of a message, as counts name it.
            CREATE FUNCTION message_marks(sent timestamptz, bounced timestamptz, how text, opened timestamptz, machine timestamptz, followed timestamptz,
              answered timestamptz, opted_out timestamptz, complained timestamptz) RETURNS TABLE (what text, detail text, hour smallint) LANGUAGE sql IMMUTABLE AS
            $$ SELECT v.what, v.detail, CASE WHEN v.timed THEN least(48, greatest(0, floor(extract(epoch FROM v.at - sent) / 3600)))::smallint ELSE (-1)::smallint END
               FROM (VALUES ('bounced', coalesce(how, ''), bounced, false), ('opened', '', opened, true), ('by-machine', '', machine, false), ('followed', '', followed, true),
                 ('answered', '', answered, false), ('opted-out', '', opted_out, false), ('complained', '', complained, false)) AS v(what, detail, at, timed)
               WHERE v.at IS NOT NULL $$;

            -- What a member does with a message is nothing a person did.
            CREATE VIEW tallies_afresh AS
              SELECT practice_id, program_id, step_id, status AS what, coalesce(reason, '') AS detail, (-1)::smallint AS hour, count(*)::int AS number
              FROM touches GROUP BY 1, 2, 3, 4, 5
              UNION ALL
              SELECT m.practice_id, m.program_id, m.step_id, w.what, w.detail, w.hour, count(*)::int
              FROM messages m, message_marks(m.sent_at, m.bounced_at, m.bounce, m.opened_at, m.machine_at, m.followed_at, m.answered_at, m.opted_out_at, m.complained_at) w
              WHERE m.member_id IS NULL GROUP BY 1, 2, 3, 4, 5, 6;

            CREATE FUNCTION tally_touches() RETURNS trigger LANGUAGE plpgsql AS $$
            BEGIN
              IF TG_OP = 'INSERT' THEN
                INSERT INTO tallies (practice_id, program_id, step_id, what, detail, number)
                  SELECT practice_id, program_id, step_id, status, coalesce(reason, ''), count(*) FROM come GROUP BY 1, 2, 3, 4, 5;
              ELSIF TG_OP = 'DELETE' THEN
                INSERT INTO tallies (practice_id, program_id, step_id, what, detail, number)
                  SELECT practice_id, program_id, step_id, status, coalesce(reason, ''), -count(*) FROM gone GROUP BY 1, 2, 3, 4, 5;
              ELSE
                INSERT INTO tallies (practice_id, program_id, step_id, what, detail, number)
                  SELECT practice_id, program_id, step_id, status, coalesce(reason, ''), sum(n) FROM (
                    SELECT practice_id, program_id, step_id, status, reason, 1 AS n FROM come UNION ALL SELECT practice_id, program_id, step_id, status, reason, -1 FROM gone) c
                  GROUP BY 1, 2, 3, 4, 5 HAVING sum(n) <> 0;
              END IF;
              RETURN NULL;
            END $$;
            CREATE TRIGGER tally_insert AFTER INSERT ON touches REFERENCING NEW TABLE AS come FOR EACH STATEMENT EXECUTE FUNCTION tally_touches();
            CREATE TRIGGER tally_update AFTER UPDATE ON touches REFERENCING OLD TABLE AS gone NEW TABLE AS come FOR EACH STATEMENT EXECUTE FUNCTION tally_touches();
            CREATE TRIGGER tally_delete AFTER DELETE ON touches REFERENCING OLD TABLE AS gone FOR EACH STATEMENT EXECUTE FUNCTION tally_touches();

            CREATE FUNCTION tally_messages() RETURNS trigger LANGUAGE plpgsql AS $$
            BEGIN
              IF TG_OP = 'INSERT' THEN
                INSERT INTO tallies (practice_id, program_id, step_id, what, detail, hour, number)
                  SELECT m.practice_id, m.program_id, m.step_id, w.what, w.detail, w.hour, count(*)
                  FROM come m, message_marks(m.sent_at, m.bounced_at, m.bounce, m.opened_at, m.machine_at, m.followed_at, m.answered_at, m.opted_out_at, m.complained_at) w
                  WHERE m.member_id IS NULL GROUP BY 1, 2, 3, 4, 5, 6;
              ELSIF TG_OP = 'DELETE' THEN
                INSERT INTO tallies (practice_id, program_id, step_id, what, detail, hour, number)
                  SELECT m.practice_id, m.program_id, m.step_id, w.what, w.detail, w.hour, -count(*)
                  FROM gone m, message_marks(m.sent_at, m.bounced_at, m.bounce, m.opened_at, m.machine_at, m.followed_at, m.answered_at, m.opted_out_at, m.complained_at) w
                  WHERE m.member_id IS NULL GROUP BY 1, 2, 3, 4, 5, 6;
              ELSE
                INSERT INTO tallies (practice_id, program_id, step_id, what, detail, hour, number)
                  SELECT m.practice_id, m.program_id, m.step_id, w.what, w.detail, w.hour, sum(m.n)
                  FROM (SELECT c.*, 1 AS n FROM come c UNION ALL SELECT g.*, -1 FROM gone g) m,
                    message_marks(m.sent_at, m.bounced_at, m.bounce, m.opened_at, m.machine_at, m.followed_at, m.answered_at, m.opted_out_at, m.complained_at) w
                  WHERE m.member_id IS NULL GROUP BY 1, 2, 3, 4, 5, 6 HAVING sum(m.n) <> 0;
              END IF;
              RETURN NULL;
            END $$;
            CREATE TRIGGER tally_insert AFTER INSERT ON messages REFERENCING NEW TABLE AS come FOR EACH STATEMENT EXECUTE FUNCTION tally_messages();
            CREATE TRIGGER tally_update AFTER UPDATE ON messages REFERENCING OLD TABLE AS gone NEW TABLE AS come FOR EACH STATEMENT EXECUTE FUNCTION tally_messages();
            CREATE TRIGGER tally_delete AFTER DELETE ON messages REFERENCING OLD TABLE AS gone FOR EACH STATEMENT EXECUTE FUNCTION tally_messages();

            -- The first time of each is kept with the message; of several at one moment one is the first.
            CREATE FUNCTION mark_visited() RETURNS trigger LANGUAGE plpgsql AS $$
            BEGIN
              IF NEW.by_machine THEN
                UPDATE messages SET machine_at = NEW.at WHERE touch_id = NEW.touch_id AND machine_at IS NULL;
              ELSIF NEW.link IS NOT NULL THEN
                UPDATE messages SET followed_at = NEW.at WHERE touch_id = NEW.touch_id AND followed_at IS NULL;
              END IF;
              RETURN NULL;
            END $$;
            CREATE TRIGGER mark_message AFTER INSERT ON visits FOR EACH ROW EXECUTE FUNCTION mark_visited();

            CREATE FUNCTION mark_answered() RETURNS trigger LANGUAGE plpgsql AS $$
            BEGIN
              IF NEW.kind = 'reply' THEN
                UPDATE messages SET answered_at = NEW.at WHERE touch_id = NEW.touch_id AND answered_at IS NULL;
              ELSIF NEW.kind = 'complaint' THEN
                UPDATE messages SET complained_at = NEW.at WHERE touch_id = NEW.touch_id AND complained_at IS NULL;
              ELSIF NEW.kind = 'opt-out' THEN
                UPDATE messages SET opted_out_at = NEW.at WHERE touch_id = NEW.touch_id AND opted_out_at IS NULL;
              END IF;
              RETURN NULL;
            END $$;
            CREATE TRIGGER mark_message AFTER INSERT OR UPDATE OF touch_id, kind ON received FOR EACH ROW WHEN (NEW.touch_id IS NOT NULL) EXECUTE FUNCTION mark_answered();

            -- Whoever says no on the page of a letter is written into the ledger with the touch as the reason.
            CREATE FUNCTION touch_in(reason text) RETURNS uuid LANGUAGE sql IMMUTABLE AS
            $$ SELECT CASE WHEN reason ~ '^touch [0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$' THEN substr(reason, 7)::uuid END $$;
            CREATE FUNCTION mark_opted_out() RETURNS trigger LANGUAGE plpgsql AS $$
            BEGIN
              UPDATE messages SET opted_out_at = NEW.at WHERE touch_id = touch_in(NEW.reason) AND opted_out_at IS NULL;
              RETURN NULL;
            END $$;
            CREATE TRIGGER mark_message AFTER INSERT ON consent FOR EACH ROW WHEN (NOT NEW.is_in AND NEW.reason LIKE 'touch %') EXECUTE FUNCTION mark_opted_out();
            """
        );
    }

    /// <summary>What has been so far, for rows that were there before the columns and counts were.</summary>
    public static void CatchUp(MigrationBuilder migration) =>
        migration.Sql(
            """
            ALTER TABLE messages DISABLE TRIGGER USER;
            UPDATE messages m SET program_id = t.program_id, step_id = t.step_id,
              machine_at = (SELECT min(v.at) FROM visits v WHERE v.touch_id = m.touch_id AND v.by_machine),
              followed_at = (SELECT min(v.at) FROM visits v WHERE v.touch_id = m.touch_id AND v.link IS NOT NULL AND NOT v.by_machine),
              answered_at = r.answered, complained_at = r.complained, opted_out_at = least(r.opted_out, c.opted_out)
            FROM touches t
              LEFT JOIN (SELECT touch_id, min(at) FILTER (WHERE kind = 'reply') AS answered, min(at) FILTER (WHERE kind = 'complaint') AS complained,
                min(at) FILTER (WHERE kind = 'opt-out') AS opted_out FROM received WHERE touch_id IS NOT NULL GROUP BY 1) r ON r.touch_id = t.id
              LEFT JOIN (SELECT touch_in(reason) AS touch_id, min(at) AS opted_out FROM consent WHERE NOT is_in AND reason LIKE 'touch %' GROUP BY 1) c ON c.touch_id = t.id
            WHERE t.id = m.touch_id;
            ALTER TABLE messages ENABLE TRIGGER USER;
            INSERT INTO tallies (practice_id, program_id, step_id, what, detail, hour, number)
              SELECT practice_id, program_id, step_id, what, detail, hour, number FROM tallies_afresh;
            """
        );

    public static void Drop(MigrationBuilder migration) =>
        migration.Sql(
            """
            DROP FUNCTION mark_opted_out() CASCADE;
            DROP FUNCTION touch_in(text);
            DROP FUNCTION mark_answered() CASCADE;
            DROP FUNCTION mark_visited() CASCADE;
            DROP FUNCTION tally_messages() CASCADE;
            DROP FUNCTION tally_touches() CASCADE;
            DROP VIEW tallies_afresh;
            DROP FUNCTION message_marks(timestamptz, timestamptz, text, timestamptz, timestamptz, timestamptz, timestamptz, timestamptz, timestamptz);
            """
        );
}
