using System;
using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;
using Npgsql.EntityFrameworkCore.PostgreSQL.Metadata;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class Journal : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "journal",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    member_id = table.Column<Guid>(type: "uuid", nullable: false),
                    by = table.Column<string>(type: "text", nullable: false),
                    words = table.Column<string>(type: "text", nullable: false),
                    about = table.Column<string>(type: "text", nullable: false),
                    kind = table.Column<string>(type: "text", nullable: true),
                    subject_id = table.Column<Guid>(type: "uuid", nullable: true),
                    concerns_id = table.Column<Guid>(type: "uuid", nullable: true),
                    program_id = table.Column<Guid>(type: "uuid", nullable: true),
                    more = table.Column<string>(type: "text", nullable: false),
                    act_id = table.Column<Guid>(type: "uuid", nullable: true),
                    ended = table.Column<string>(type: "text", nullable: false),
                    from_address = table.Column<string>(type: "text", nullable: false),
                    from_program = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_journal", x => x.id);
                });

            migrationBuilder.CreateIndex(
                name: "ix_journal_act_id",
                table: "journal",
                column: "act_id",
                filter: "act_id IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_journal_concerns_id_id",
                table: "journal",
                columns: new[] { "concerns_id", "id" },
                filter: "concerns_id IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_journal_practice_id_id",
                table: "journal",
                columns: new[] { "practice_id", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_journal_practice_id_member_id_id",
                table: "journal",
                columns: new[] { "practice_id", "member_id", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_journal_program_id_id",
                table: "journal",
                columns: new[] { "program_id", "id" },
                filter: "program_id IS NOT NULL");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "journal");
        }
    }
}
