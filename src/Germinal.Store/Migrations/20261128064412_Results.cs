using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class Results : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            // Whether something that happened is a goal (rule 14.6).
            migrationBuilder.Sql(
                """
                CREATE FUNCTION goal_came(kind text, data jsonb, goal text, what text) RETURNS boolean LANGUAGE sql IMMUTABLE PARALLEL SAFE AS
                $$ SELECT CASE goal WHEN 'won' THEN kind = 'won' WHEN 'appointment' THEN kind = 'appointment-booked'
                     WHEN 'form' THEN kind = 'form-sent' AND (what = '' OR rule_fold(data ->> 'form') = rule_fold(what))
                     WHEN 'stage' THEN kind = 'stage-entered' AND rule_fold(data ->> 'stage') = rule_fold(what)
                     WHEN 'tag' THEN kind = 'tag-added' AND rule_fold(data ->> 'tag') = rule_fold(what) ELSE false END $$;
                """
            );
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder) =>
            migrationBuilder.Sql("DROP FUNCTION goal_came(text, jsonb, text, text);");
    }
}
