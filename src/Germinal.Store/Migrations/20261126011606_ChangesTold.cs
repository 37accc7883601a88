using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class ChangesTold : Migration
    {
        /// <summary>The tables whose changes a page may show (<c>src/web/src/app/changes.ts</c> says what each means for it).</summary>
        private static readonly string[] Told =
            ["appointments", "consent", "events", "imports", "inquiries", "messages", "notices", "opportunities", "people", "programs", "providers", "received", "refusals", "runs", "tags", "tasks", "touches"];

        private static readonly (string When, string Rows)[] Changes = [("insert", "NEW"), ("update", "NEW"), ("delete", "OLD")];

        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            // Once a statement, however many rows; equal notices of a transaction are one, and none leaves before it is committed.
            migrationBuilder.Sql(
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
                """);
            foreach (var table in Told)
            {
                foreach (var (when, rows) in Changes)
                {
                    migrationBuilder.Sql($"CREATE TRIGGER tell_{when} AFTER {when} ON {table} REFERENCING {rows} TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION tell_practices();");
                }
            }
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder) =>
            migrationBuilder.Sql("DROP FUNCTION tell_practices() CASCADE; DROP FUNCTION tell_all() CASCADE;");
    }
}
