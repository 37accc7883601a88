using Microsoft.EntityFrameworkCore.Migrations;

namespace Germinal.Store.Migrations;

/// <summary>What other programs are told is written in the transaction in which it happens: nothing is told that did not happen, and nothing is forgotten.</summary>
internal static class HookFunctions
{
    public static void Create(MigrationBuilder migration)
    {
        migration.Sql(
            """
            CREATE FUNCTION tell_hooks(practice uuid, person uuid, kind text, at timestamptz, details jsonb) RETURNS void LANGUAGE sql AS $$
              INSERT INTO hook_calls (practice_id, hook_id, person_id, kind, body, at, next_at, attempts, last_answer)
              SELECT practice, h.id, person, kind,
                jsonb_build_object('type', kind, 'timestamp', to_char(at AT TIME ZONE 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"'), 'data', jsonb_build_object('person', person) || details)::text,
                clock_timestamp(), clock_timestamp(), 0, ''
              FROM hooks h WHERE h.practice_id = practice AND h.ended_at IS NULL AND kind = ANY (h.kinds)
            $$;

            -- Once a statement; where nobody is told anything, that is all that is asked.
            CREATE FUNCTION events_tell_hooks() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
              IF EXISTS (SELECT 1 FROM hooks WHERE ended_at IS NULL) THEN
                PERFORM tell_hooks(e.practice_id, e.person_id, e.kind, e.at, jsonb_build_object('details', e.data)) FROM added e;
              END IF;
              RETURN NULL;
            END $$;
            CREATE FUNCTION messages_tell_hooks() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
              IF EXISTS (SELECT 1 FROM hooks WHERE ended_at IS NULL) THEN
                PERFORM tell_hooks(m.practice_id, m.person_id, 'message-sent', m.sent_at,
                  jsonb_build_object('details', jsonb_build_object('channel', m.channel, 'touch', m.touch_id, 'program', m.program_id, 'step', m.step_id, 'subject', m.subject))) FROM added m;
              END IF;
              RETURN NULL;
            END $$;
            CREATE FUNCTION runs_tell_hooks() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
              IF EXISTS (SELECT 1 FROM hooks WHERE ended_at IS NULL) THEN
                PERFORM tell_hooks(r.practice_id, r.person_id, 'run-started', r.started_at, jsonb_build_object('details', jsonb_build_object('program', r.program_id, 'run', r.id))) FROM added r;
              END IF;
              RETURN NULL;
            END $$;
            CREATE FUNCTION run_ends_tell_hooks() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN
              IF EXISTS (SELECT 1 FROM hooks WHERE ended_at IS NULL) THEN
                PERFORM tell_hooks(r.practice_id, r.person_id, 'run-ended', r.ended_at,
                  jsonb_build_object('details', jsonb_build_object('program', r.program_id, 'run', r.id, 'stopped', r.stop_reason)))
                FROM now_so r JOIN was w ON w.id = r.id WHERE r.ended_at IS NOT NULL AND w.ended_at IS NULL;
              END IF;
              RETURN NULL;
            END $$;
            CREATE TRIGGER tell_hooks AFTER INSERT ON events REFERENCING NEW TABLE AS added FOR EACH STATEMENT EXECUTE FUNCTION events_tell_hooks();
            CREATE TRIGGER tell_hooks AFTER INSERT ON messages REFERENCING NEW TABLE AS added FOR EACH STATEMENT EXECUTE FUNCTION messages_tell_hooks();
            CREATE TRIGGER tell_hooks AFTER INSERT ON runs REFERENCING NEW TABLE AS added FOR EACH STATEMENT EXECUTE FUNCTION runs_tell_hooks();
            CREATE TRIGGER tell_hook_ends AFTER UPDATE ON runs REFERENCING OLD TABLE AS was NEW TABLE AS now_so FOR EACH STATEMENT EXECUTE FUNCTION run_ends_tell_hooks();

            ALTER TABLE hook_calls ENABLE ROW LEVEL SECURITY;
            CREATE POLICY sight ON hook_calls USING (EXISTS (SELECT 1 FROM people p WHERE p.id = hook_calls.person_id));
            """
        );
    }

    public static void Drop(MigrationBuilder migration) =>
        migration.Sql(
            """
            DROP FUNCTION run_ends_tell_hooks() CASCADE;
            DROP FUNCTION runs_tell_hooks() CASCADE;
            DROP FUNCTION messages_tell_hooks() CASCADE;
            DROP FUNCTION events_tell_hooks() CASCADE;
            DROP FUNCTION tell_hooks(uuid, uuid, text, timestamptz, jsonb);
            """
        );
}
