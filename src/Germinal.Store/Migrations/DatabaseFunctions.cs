using Microsoft.EntityFrameworkCore.Migrations;

namespace Germinal.Store.Migrations;

/// <summary>What the database does by itself: functions that rules are asked with, and triggers.</summary>
internal static class DatabaseFunctions
{
    /// <summary>The tables of the first migration whose changes a page may show; later ones say theirs themselves (<c>src/web/src/app/changes.ts</c> says what each means for it).</summary>
    private static readonly string[] Told =
    [
        "absences",
        "appointments",
        "consent",
        "events",
        "figure_tables",
        "forms",
        "households",
        "imports",
        "inquiries",
        "kept_files",
        "landings",
        "letters",
        "lists",
        "meeting_pages",
        "messages",
        "notices",
        "offers",
        "opportunities",
        "own_mails",
        "people",
        "programs",
        "providers",
        "received",
        "refusals",
        "relations",
        "runs",
        "segments",
        "submissions",
        "tags",
        "tasks",
        "touches",
    ];

    private static readonly (string When, string Rows)[] Changes = [("insert", "NEW"), ("update", "NEW"), ("delete", "OLD")];

    public static void Create(MigrationBuilder migration)
    {
        // Text as the rule language compares it. The two letters whose capital the database and .NET see differently (ı, ſ) are kept apart.
        migration.Sql(
            """
            -- Plain letters take the short way; not STRICT, so that it is written into the query it stands in.
            CREATE FUNCTION rule_fold(t text) RETURNS text LANGUAGE sql IMMUTABLE PARALLEL SAFE AS
            $$ SELECT CASE WHEN octet_length(t) = length(t) THEN upper(t) ELSE upper(translate(t, U&'\0131\017F', U&'\E000\E001')) END $$;

            CREATE FUNCTION rule_number(t text) RETURNS numeric LANGUAGE sql IMMUTABLE PARALLEL SAFE STRICT AS
            $$ SELECT CASE WHEN t ~ '^-?[0-9]{1,15}([.][0-9]{1,9})?$' THEN t::numeric END $$;

            CREATE FUNCTION rule_days_in_month(y int, m int) RETURNS int LANGUAGE sql IMMUTABLE PARALLEL SAFE STRICT AS
            $$ SELECT extract(day FROM make_date(y, m, 1) + interval '1 month - 1 day')::int $$;

            CREATE FUNCTION rule_date(t text) RETURNS date LANGUAGE sql IMMUTABLE PARALLEL SAFE STRICT AS
            $$ SELECT CASE WHEN t ~ '^[0-9]{4}-(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])$' AND left(t, 4) <> '0000' THEN
                 CASE WHEN right(t, 2)::int <= rule_days_in_month(left(t, 4)::int, substr(t, 6, 2)::int) THEN t::date END END $$;

            CREATE FUNCTION rule_month(t text) RETURNS int LANGUAGE sql IMMUTABLE PARALLEL SAFE STRICT AS
            $$ SELECT CASE WHEN t ~ '^--(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])$' THEN
                 CASE WHEN right(t, 2)::int <= rule_days_in_month(2000, substr(t, 3, 2)::int) THEN substr(t, 3, 2)::int END
               ELSE extract(month FROM rule_date(t))::int END $$;

            -- With their schema: an index is made again, by a restore, where no search path is set.
            CREATE FUNCTION rule_fold_all(t text[]) RETURNS text[] LANGUAGE sql IMMUTABLE PARALLEL SAFE STRICT AS
            $$ SELECT coalesce(array_agg(public.rule_fold(x)), '{}') FROM unnest(t) x $$;

            CREATE FUNCTION rule_own(own jsonb, name text) RETURNS text LANGUAGE sql IMMUTABLE PARALLEL SAFE STRICT AS
            $$ SELECT nullif(CASE WHEN own ? name THEN own ->> name ELSE (SELECT e.value FROM jsonb_each_text(own) e WHERE public.rule_fold(e.key) = public.rule_fold(name) LIMIT 1) END, '') $$;

            CREATE FUNCTION rule_own_pairs(own jsonb) RETURNS text[] LANGUAGE sql IMMUTABLE PARALLEL SAFE STRICT AS
            $$ SELECT coalesce(array_agg(pair), '{}') FROM (
                 SELECT public.rule_fold(e.key) || U&'\001F' || public.rule_fold(e.value) FROM jsonb_each_text(own) e
                 UNION ALL
                 SELECT public.rule_fold(e.key) || U&'\001E' || public.rule_fold(x) FROM jsonb_each_text(own) e, unnest(string_to_array(e.value, ';')) x
                 WHERE position(';' IN e.value) > 0 AND x <> ''
               ) AS p(pair) $$;

            CREATE INDEX ix_people_tags_folded ON people USING gin (rule_fold_all(tags));
            CREATE INDEX ix_people_lists_folded ON people USING gin (rule_fold_all(lists));
            CREATE INDEX ix_people_own_pairs ON people USING gin (rule_own_pairs(custom));
            """
        );

        // Everybody has a state from the first moment, however they came in, so that the calendar is worked out for them.
        migration.Sql(
            """
            CREATE FUNCTION person_gets_a_state() RETURNS trigger LANGUAGE plpgsql AS
            $$ BEGIN
              INSERT INTO person_states (person_id, practice_id, state, next_due)
                SELECT id, practice_id, '{}'::jsonb, 'infinity' FROM added ORDER BY id ON CONFLICT DO NOTHING;
              RETURN NULL;
            END $$;
            CREATE TRIGGER people_get_a_state AFTER INSERT ON people REFERENCING NEW TABLE AS added FOR EACH STATEMENT EXECUTE FUNCTION person_gets_a_state();
            """
        );

        // Once a statement, however many rows; equal notices of a transaction are one, and none leaves before it is committed.
        migration.Sql(
            """
            CREATE FUNCTION tell_practices() RETURNS trigger LANGUAGE plpgsql AS $$
            BEGIN
              PERFORM pg_notify('changed', practice_id || ' ' || TG_TABLE_NAME) FROM (SELECT DISTINCT practice_id FROM changed) c;
              RETURN NULL;
            END $$;
            CREATE FUNCTION tell_all() RETURNS trigger LANGUAGE plpgsql AS $$
            BEGIN
              PERFORM pg_notify('changed', '* ' || TG_TABLE_NAME);
              RETURN NULL;
            END $$;
            CREATE TRIGGER tell_update AFTER UPDATE ON clock FOR EACH STATEMENT EXECUTE FUNCTION tell_all();
            """
        );
        Tell(migration, Told);
    }

    /// <summary>Whatever changes in these tables is told to the pages that are open.</summary>
    public static void Tell(MigrationBuilder migration, params string[] tables)
    {
        foreach (var table in tables)
        {
            foreach (var (when, rows) in Changes)
            {
                migration.Sql(
                    $"CREATE TRIGGER tell_{when} AFTER {when} ON {table} REFERENCING {rows} TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION tell_practices();"
                );
            }
        }
    }

    public static void Drop(MigrationBuilder migration) =>
        migration.Sql(
            """
            DROP FUNCTION tell_practices() CASCADE;
            DROP FUNCTION tell_all() CASCADE;
            DROP FUNCTION person_gets_a_state() CASCADE;
            DROP FUNCTION rule_own_pairs(jsonb) CASCADE;
            DROP FUNCTION rule_own(jsonb, text);
            DROP FUNCTION rule_fold_all(text[]) CASCADE;
            DROP FUNCTION rule_month(text);
            DROP FUNCTION rule_date(text);
            DROP FUNCTION rule_days_in_month(int, int);
            DROP FUNCTION rule_number(text);
            DROP FUNCTION rule_fold(text);
            """
        );
}
