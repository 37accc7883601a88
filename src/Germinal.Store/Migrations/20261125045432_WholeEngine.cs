using System.Collections.Generic;
using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class WholeEngine : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "custom",
                table: "people",
                type: "jsonb",
                nullable: false,
                defaultValueSql: "'{}'::jsonb");

            migrationBuilder.AddColumn<Instant>(
                name: "last_reply_at",
                table: "people",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<List<string>>(
                name: "lists",
                table: "people",
                type: "text[]",
                nullable: false,
                defaultValueSql: "ARRAY[]::text[]");

            migrationBuilder.AddColumn<string>(
                name: "lost_reason",
                table: "people",
                type: "text",
                nullable: true);
            // Text as the rule language compares it. The two letters whose capital the database and .NET see differently (ı, ſ) are kept apart.
            migrationBuilder.Sql(
                """
                CREATE FUNCTION rule_fold(t text) RETURNS text LANGUAGE sql IMMUTABLE PARALLEL SAFE STRICT AS
                $$ SELECT upper(translate(t, U&'\0131\017F', U&'\E000\E001')) $$;

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
                """);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.Sql("DROP FUNCTION rule_month(text); DROP FUNCTION rule_date(text); DROP FUNCTION rule_days_in_month(int, int); DROP FUNCTION rule_number(text); DROP FUNCTION rule_fold(text);");
            migrationBuilder.DropColumn(
                name: "custom",
                table: "people");

            migrationBuilder.DropColumn(
                name: "last_reply_at",
                table: "people");

            migrationBuilder.DropColumn(
                name: "lists",
                table: "people");

            migrationBuilder.DropColumn(
                name: "lost_reason",
                table: "people");
        }
    }
}
