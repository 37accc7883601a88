using System;
using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class SolidGround : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "ix_visits_touch_id",
                table: "visits");

            migrationBuilder.DropIndex(
                name: "ix_people_practice_id_email",
                table: "people");

            migrationBuilder.DropIndex(
                name: "ix_people_practice_id_mobile",
                table: "people");

            migrationBuilder.AddColumn<int>(
                name: "count",
                table: "visits",
                type: "integer",
                nullable: false,
                defaultValue: 1);

            migrationBuilder.AddColumn<Instant>(
                name: "last_at",
                table: "visits",
                type: "timestamp with time zone",
                nullable: false,
                defaultValueSql: "'-infinity'");

            migrationBuilder.AddColumn<Instant>(
                name: "confirmed_at",
                table: "messages",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<Instant>(
                name: "blocked_at",
                table: "AspNetUsers",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "received_files",
                columns: table => new
                {
                    received_id = table.Column<long>(type: "bigint", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    content_type = table.Column<string>(type: "text", nullable: false),
                    content = table.Column<byte[]>(type: "bytea", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_received_files", x => x.received_id);
                    table.ForeignKey(
                        name: "fk_received_files_received_received_id",
                        column: x => x.received_id,
                        principalTable: "received",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "sessions",
                columns: table => new
                {
                    id = table.Column<string>(type: "text", nullable: false),
                    member_id = table.Column<Guid>(type: "uuid", nullable: false),
                    ticket = table.Column<byte[]>(type: "bytea", nullable: false),
                    stamp = table.Column<string>(type: "text", nullable: false),
                    role = table.Column<string>(type: "text", nullable: false),
                    created_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    expires_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_sessions", x => x.id);
                    table.ForeignKey(
                        name: "fk_sessions_asp_net_users_member_id",
                        column: x => x.member_id,
                        principalTable: "AspNetUsers",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            // What was stored one by one is counted from now on.
            migrationBuilder.Sql(
                """
                UPDATE visits v SET count = c.n, last_at = c.last FROM (
                  SELECT min(id) AS id, count(*)::int AS n, max(at) AS last FROM visits GROUP BY touch_id, link, by_machine) c WHERE v.id = c.id;
                DELETE FROM visits v USING visits o WHERE o.touch_id = v.touch_id AND o.link IS NOT DISTINCT FROM v.link AND o.by_machine = v.by_machine AND o.id < v.id;
                """);

            migrationBuilder.CreateIndex(
                name: "ix_visits_touch_id_link_by_machine",
                table: "visits",
                columns: new[] { "touch_id", "link", "by_machine" },
                unique: true)
                .Annotation("Npgsql:NullsDistinct", false);

            migrationBuilder.CreateIndex(
                name: "ix_touches_calls_made",
                table: "touches",
                columns: new[] { "practice_id", "closed_at" },
                filter: "kind = 'call' AND status = 'done'");

            migrationBuilder.CreateIndex(
                name: "ix_people_email_practice_id",
                table: "people",
                columns: new[] { "email", "practice_id" });

            migrationBuilder.CreateIndex(
                name: "ix_people_mobile_practice_id",
                table: "people",
                columns: new[] { "mobile", "practice_id" });

            migrationBuilder.CreateIndex(
                name: "ix_people_other_phone_practice_id",
                table: "people",
                columns: new[] { "other_phone", "practice_id" },
                filter: "other_phone IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "ix_messages_channel_to_address_sent_at",
                table: "messages",
                columns: new[] { "channel", "to_address", "sent_at" });

            migrationBuilder.CreateIndex(
                name: "ix_sessions_member_id",
                table: "sessions",
                column: "member_id");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "received_files");

            migrationBuilder.DropTable(
                name: "sessions");

            migrationBuilder.DropIndex(
                name: "ix_visits_touch_id_link_by_machine",
                table: "visits");

            migrationBuilder.DropIndex(
                name: "ix_touches_calls_made",
                table: "touches");

            migrationBuilder.DropIndex(
                name: "ix_people_email_practice_id",
                table: "people");

            migrationBuilder.DropIndex(
                name: "ix_people_mobile_practice_id",
                table: "people");

            migrationBuilder.DropIndex(
                name: "ix_people_other_phone_practice_id",
                table: "people");

            migrationBuilder.DropIndex(
                name: "ix_messages_channel_to_address_sent_at",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "count",
                table: "visits");

            migrationBuilder.DropColumn(
                name: "last_at",
                table: "visits");

            migrationBuilder.DropColumn(
                name: "confirmed_at",
                table: "messages");

            migrationBuilder.DropColumn(
                name: "blocked_at",
                table: "AspNetUsers");

            migrationBuilder.CreateIndex(
                name: "ix_visits_touch_id",
                table: "visits",
                column: "touch_id");

            migrationBuilder.CreateIndex(
                name: "ix_people_practice_id_email",
                table: "people",
                columns: new[] { "practice_id", "email" });

            migrationBuilder.CreateIndex(
                name: "ix_people_practice_id_mobile",
                table: "people",
                columns: new[] { "practice_id", "mobile" });
        }
    }
}
