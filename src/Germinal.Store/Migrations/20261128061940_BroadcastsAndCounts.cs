using System;
using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;
using Npgsql.EntityFrameworkCore.PostgreSQL.Metadata;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class BroadcastsAndCounts : Migration
    {
        private static readonly string[] Told = ["broadcasts"];

        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<bool>(
                name: "broadcast",
                table: "programs",
                type: "boolean",
                nullable: false,
                defaultValue: false);

            migrationBuilder.AddColumn<Instant>(
                name: "answered_at",
                table: "messages",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<Instant>(
                name: "complained_at",
                table: "messages",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<Instant>(
                name: "followed_at",
                table: "messages",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<Instant>(
                name: "machine_at",
                table: "messages",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<Instant>(
                name: "opted_out_at",
                table: "messages",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<Guid>(
                name: "program_id",
                table: "messages",
                type: "uuid",
                nullable: false,
                defaultValue: new Guid("00000000-0000-0000-0000-000000000000"));

            migrationBuilder.AddColumn<string>(
                name: "step_id",
                table: "messages",
                type: "text",
                nullable: false,
                defaultValue: "");

            migrationBuilder.CreateTable(
                name: "broadcasts",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    plan = table.Column<string>(type: "jsonb", nullable: false),
                    edition = table.Column<int>(type: "integer", nullable: false),
                    status = table.Column<string>(type: "text", nullable: false),
                    program_id = table.Column<Guid>(type: "uuid", nullable: true),
                    begins_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    began_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    people = table.Column<int>(type: "integer", nullable: false),
                    decide_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    decided = table.Column<string>(type: "jsonb", nullable: true),
                    again_of = table.Column<Guid>(type: "uuid", nullable: true),
                    series_id = table.Column<Guid>(type: "uuid", nullable: true),
                    series_date = table.Column<LocalDate>(type: "date", nullable: true),
                    member_id = table.Column<Guid>(type: "uuid", nullable: true),
                    by = table.Column<string>(type: "text", nullable: false),
                    sent_by = table.Column<string>(type: "text", nullable: true),
                    created_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    ended_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_broadcasts", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "tallies",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    program_id = table.Column<Guid>(type: "uuid", nullable: false),
                    step_id = table.Column<string>(type: "text", nullable: false),
                    what = table.Column<string>(type: "text", nullable: false),
                    detail = table.Column<string>(type: "text", nullable: false, defaultValue: ""),
                    hour = table.Column<short>(type: "smallint", nullable: false, defaultValue: (short)-1),
                    number = table.Column<int>(type: "integer", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_tallies", x => x.id);
                });

            migrationBuilder.CreateIndex(
                name: "ix_refusals_program_id",
                table: "refusals",
                column: "program_id");

            migrationBuilder.CreateIndex(
                name: "ix_messages_program_id_sent_at",
                table: "messages",
                columns: new[] { "program_id", "sent_at" });

            migrationBuilder.CreateIndex(
                name: "ix_broadcasts_again_of",
                table: "broadcasts",
                column: "again_of",
                unique: true,
                filter: "again_of IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_broadcasts_decide_at",
                table: "broadcasts",
                column: "decide_at",
                filter: "decide_at IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_broadcasts_going",
                table: "broadcasts",
                column: "practice_id",
                filter: "status = 'going'");

            migrationBuilder.CreateIndex(
                name: "ix_broadcasts_practice_id_created_at",
                table: "broadcasts",
                columns: new[] { "practice_id", "created_at" });

            migrationBuilder.CreateIndex(
                name: "ix_broadcasts_program_id",
                table: "broadcasts",
                column: "program_id",
                unique: true,
                filter: "program_id IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_broadcasts_series_id_series_date",
                table: "broadcasts",
                columns: new[] { "series_id", "series_date" },
                unique: true,
                filter: "series_id IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_broadcasts_waiting",
                table: "broadcasts",
                column: "begins_at",
                filter: "status = 'waiting'");

            migrationBuilder.CreateIndex(
                name: "ix_tallies_practice_id_program_id",
                table: "tallies",
                columns: new[] { "practice_id", "program_id" });

            TallyFunctions.Create(migrationBuilder);
            TallyFunctions.CatchUp(migrationBuilder);
            DatabaseFunctions.Tell(migrationBuilder, Told);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            TallyFunctions.Drop(migrationBuilder);

            migrationBuilder.DropTable(
                name: "broadcasts");

            migrationBuilder.DropTable(
                name: "tallies");

            migrationBuilder.DropIndex(
                name: "ix_refusals_program_id",
                table: "refusals");

            migrationBuilder.DropIndex(
                name: "ix_messages_program_id_sent_at",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "broadcast",
                table: "programs");

            migrationBuilder.DropColumn(
                name: "answered_at",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "complained_at",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "followed_at",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "machine_at",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "opted_out_at",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "program_id",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "step_id",
                table: "messages");
        }
    }
}
