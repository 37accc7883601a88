using System;
using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class InTheHand : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "moved_to",
                table: "opportunities",
                type: "text",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "stage_before",
                table: "opportunities",
                type: "text",
                nullable: true);

            migrationBuilder.AddColumn<Guid>(
                name: "act_id",
                table: "events",
                type: "uuid",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "acts",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    kind = table.Column<string>(type: "text", nullable: false),
                    what = table.Column<string>(type: "text", nullable: false),
                    undone_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_acts", x => x.id);
                });

            migrationBuilder.CreateIndex(
                name: "ix_events_act_id",
                table: "events",
                column: "act_id",
                filter: "act_id IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_acts_practice_id_at",
                table: "acts",
                columns: new[] { "practice_id", "at" });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "acts");

            migrationBuilder.DropIndex(
                name: "ix_events_act_id",
                table: "events");

            migrationBuilder.DropColumn(
                name: "moved_to",
                table: "opportunities");

            migrationBuilder.DropColumn(
                name: "stage_before",
                table: "opportunities");

            migrationBuilder.DropColumn(
                name: "act_id",
                table: "events");
        }
    }
}
