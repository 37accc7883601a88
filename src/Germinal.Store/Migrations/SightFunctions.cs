using Microsoft.EntityFrameworkCore.Migrations;

namespace Germinal.Store.Migrations;

/// <summary>Whose people a member sees, and the policies that keep the others from those who see only some (<see cref="Sight"/>).</summary>
internal static class SightFunctions
{
    public static void Create(MigrationBuilder migration)
    {
        migration.Sql(
            """
            CREATE FUNCTION sight_of(member uuid) RETURNS uuid[] LANGUAGE sql STABLE AS
            $$ SELECT CASE WHEN u.sees_own AND u.role <> 'principal' THEN ARRAY(
                 SELECT o.id FROM "AspNetUsers" o
                 WHERE o.practice_id = u.practice_id AND (o.id = u.id OR o.deputy_id = u.id OR (u.office <> '' AND o.office = u.office))
                 ORDER BY o.id) END
               FROM "AspNetUsers" u WHERE u.id = member $$;

            -- Asked once for each statement; without a word of who is seen, only nobody's people are.
            ALTER TABLE people ENABLE ROW LEVEL SECURITY;
            CREATE POLICY sight ON people USING (owner_id IS NULL OR owner_id = ANY ((SELECT nullif(current_setting('germinal.sees', true), '')::uuid[])::uuid[]));
            """
        );

        // What hangs on a person is seen where they are.
        migration.Sql(
            """
            DO $$ DECLARE t text; BEGIN
              FOR t IN SELECT c.table_name FROM information_schema.columns c JOIN information_schema.tables b USING (table_schema, table_name)
                WHERE c.table_schema = 'public' AND b.table_type = 'BASE TABLE' AND c.column_name = 'person_id' LOOP
                EXECUTE format('ALTER TABLE %I ENABLE ROW LEVEL SECURITY', t);
                EXECUTE format('CREATE POLICY sight ON %I USING (person_id IS NULL OR EXISTS (SELECT 1 FROM people p WHERE p.id = %I.person_id))', t, t);
              END LOOP;
            END $$;
            """
        );
    }

    public static void Drop(MigrationBuilder migration) =>
        migration.Sql(
            """
            DO $$ DECLARE t text; BEGIN
              FOR t IN SELECT tablename FROM pg_policies WHERE schemaname = 'public' AND policyname = 'sight' LOOP
                EXECUTE format('DROP POLICY sight ON %I', t);
                EXECUTE format('ALTER TABLE %I DISABLE ROW LEVEL SECURITY', t);
              END LOOP;
            END $$;
            DROP FUNCTION sight_of(uuid);
            """
        );
}
