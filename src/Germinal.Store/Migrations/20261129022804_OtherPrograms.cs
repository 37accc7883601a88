using System;
using System.Collections.Generic;
using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;
using Npgsql.EntityFrameworkCore.PostgreSQL.Metadata;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class OtherPrograms : Migration
    {
        private static readonly string[] Told = ["hooks", "hook_calls", "api_keys"];

        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "api_keys",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    member_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    begins = table.Column<string>(type: "text", nullable: false),
                    mark = table.Column<string>(type: "text", nullable: false),
                    rights = table.Column<List<string>>(type: "text[]", nullable: false),
                    created_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    expires_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    used_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    ended_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_api_keys", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "hooks",
                columns: table => new
                {
                    id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    address = table.Column<string>(type: "text", nullable: false),
                    sealed_secret = table.Column<string>(type: "text", nullable: false),
                    kinds = table.Column<List<string>>(type: "text[]", nullable: false),
                    created_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    ended_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    why = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_hooks", x => x.id);
                });

            migrationBuilder.CreateTable(
                name: "kept_answers",
                columns: table => new
                {
                    key_id = table.Column<Guid>(type: "uuid", nullable: false),
                    name = table.Column<string>(type: "text", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    print = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    status = table.Column<int>(type: "integer", nullable: true),
                    content_type = table.Column<string>(type: "text", nullable: false),
                    body = table.Column<byte[]>(type: "bytea", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_kept_answers", x => new { x.key_id, x.name });
                    table.ForeignKey(
                        name: "fk_kept_answers_api_keys_key_id",
                        column: x => x.key_id,
                        principalTable: "api_keys",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "hook_calls",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    hook_id = table.Column<Guid>(type: "uuid", nullable: false),
                    person_id = table.Column<Guid>(type: "uuid", nullable: false),
                    kind = table.Column<string>(type: "text", nullable: false),
                    body = table.Column<string>(type: "text", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    next_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    attempts = table.Column<int>(type: "integer", nullable: false),
                    taken_at = table.Column<Instant>(type: "timestamp with time zone", nullable: true),
                    last_answer = table.Column<string>(type: "text", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_hook_calls", x => x.id);
                    table.ForeignKey(
                        name: "fk_hook_calls_hooks_hook_id",
                        column: x => x.hook_id,
                        principalTable: "hooks",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "ix_api_keys_mark",
                table: "api_keys",
                column: "mark",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_api_keys_practice_id",
                table: "api_keys",
                column: "practice_id");

            migrationBuilder.CreateIndex(
                name: "ix_hook_calls_due",
                table: "hook_calls",
                column: "next_at",
                filter: "taken_at IS NULL");

            migrationBuilder.CreateIndex(
                name: "ix_hook_calls_hook_id",
                table: "hook_calls",
                column: "hook_id");

            migrationBuilder.CreateIndex(
                name: "ix_hook_calls_person_id",
                table: "hook_calls",
                column: "person_id");

            migrationBuilder.CreateIndex(
                name: "ix_hook_calls_practice_id_id",
                table: "hook_calls",
                columns: new[] { "practice_id", "id" });

            migrationBuilder.CreateIndex(
                name: "ix_hooks_practice_id",
                table: "hooks",
                column: "practice_id");

            migrationBuilder.CreateIndex(
                name: "ix_kept_answers_at",
                table: "kept_answers",
                column: "at");
            HookFunctions.Create(migrationBuilder);
            DatabaseFunctions.Tell(migrationBuilder, Told);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            HookFunctions.Drop(migrationBuilder);

            migrationBuilder.DropTable(
                name: "hook_calls");

            migrationBuilder.DropTable(
                name: "kept_answers");

            migrationBuilder.DropTable(
                name: "hooks");

            migrationBuilder.DropTable(
                name: "api_keys");
        }
    }
}
