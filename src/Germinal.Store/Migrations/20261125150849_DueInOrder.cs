using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class DueInOrder : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "ix_person_states_next_due",
                table: "person_states");

            migrationBuilder.DropIndex(
                name: "ix_people_practice_id_last_touch_at_id",
                table: "people");

            migrationBuilder.DropIndex(
                name: "ix_people_practice_id_next_touch_at_id",
                table: "people");

            migrationBuilder.AddColumn<Instant>(
                name: "last_reply_at",
                table: "person_states",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<Instant>(
                name: "last_touch_at",
                table: "person_states",
                type: "timestamp with time zone",
                nullable: false,
                defaultValueSql: "'-infinity'");

            migrationBuilder.AddColumn<Instant>(
                name: "next_touch_at",
                table: "person_states",
                type: "timestamp with time zone",
                nullable: false,
                defaultValueSql: "'infinity'");

            // What lists sort by moves to the engine's own row, so that a message that goes does not touch every index of people.
            migrationBuilder.Sql(
                """
                UPDATE person_states s SET last_reply_at = p.last_reply_at, last_touch_at = p.last_touch_at, next_touch_at = p.next_touch_at
                FROM people p WHERE p.id = s.person_id;
                """);

            migrationBuilder.DropColumn(
                name: "last_reply_at",
                table: "people");

            migrationBuilder.DropColumn(
                name: "last_touch_at",
                table: "people");

            migrationBuilder.DropColumn(
                name: "next_touch_at",
                table: "people");

            migrationBuilder.CreateIndex(
                name: "ix_person_states_next_due_person_id",
                table: "person_states",
                columns: new[] { "next_due", "person_id" });

            migrationBuilder.CreateIndex(
                name: "ix_person_states_practice_id_last_touch_at_person_id",
                table: "person_states",
                columns: new[] { "practice_id", "last_touch_at", "person_id" });

            migrationBuilder.CreateIndex(
                name: "ix_person_states_practice_id_next_touch_at_person_id",
                table: "person_states",
                columns: new[] { "practice_id", "next_touch_at", "person_id" });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "ix_person_states_next_due_person_id",
                table: "person_states");

            migrationBuilder.DropIndex(
                name: "ix_person_states_practice_id_last_touch_at_person_id",
                table: "person_states");

            migrationBuilder.DropIndex(
                name: "ix_person_states_practice_id_next_touch_at_person_id",
                table: "person_states");

            migrationBuilder.AddColumn<Instant>(
                name: "last_reply_at",
                table: "people",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<Instant>(
                name: "last_touch_at",
                table: "people",
                type: "timestamp with time zone",
                nullable: false,
                defaultValue: NodaTime.Instant.FromUnixTimeTicks(0L));

            migrationBuilder.AddColumn<Instant>(
                name: "next_touch_at",
                table: "people",
                type: "timestamp with time zone",
                nullable: false,
                defaultValue: NodaTime.Instant.FromUnixTimeTicks(0L));

            migrationBuilder.Sql(
                """
                UPDATE people p SET last_reply_at = s.last_reply_at, last_touch_at = s.last_touch_at, next_touch_at = s.next_touch_at
                FROM person_states s WHERE p.id = s.person_id;
                """);

            migrationBuilder.DropColumn(
                name: "last_reply_at",
                table: "person_states");

            migrationBuilder.DropColumn(
                name: "last_touch_at",
                table: "person_states");

            migrationBuilder.DropColumn(
                name: "next_touch_at",
                table: "person_states");

            migrationBuilder.CreateIndex(
                name: "ix_person_states_next_due",
                table: "person_states",
                column: "next_due");

            migrationBuilder.CreateIndex(
                name: "ix_people_practice_id_last_touch_at_id",
                table: "people",
                columns: new[] { "practice_id", "last_touch_at", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_people_practice_id_next_touch_at_id",
                table: "people",
                columns: new[] { "practice_id", "next_touch_at", "id" });
        }
    }
}
