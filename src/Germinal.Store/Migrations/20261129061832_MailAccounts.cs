using System;
using System.Collections.Generic;
using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;
using Npgsql.EntityFrameworkCore.PostgreSQL.Metadata;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class MailAccounts : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "mail_accounts",
                columns: table => new
                {
                    member_id = table.Column<Guid>(type: "uuid", nullable: false),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    address = table.Column<string>(type: "text", nullable: false),
                    @out = table.Column<string>(name: "out", type: "jsonb", nullable: false),
                    @in = table.Column<string>(name: "in", type: "jsonb", nullable: false),
                    issuer = table.Column<string>(type: "text", nullable: false),
                    client_id = table.Column<string>(type: "text", nullable: false),
                    sealed_client_secret = table.Column<string>(type: "text", nullable: false),
                    sealed_refresh = table.Column<string>(type: "text", nullable: false),
                    sealed_access = table.Column<string>(type: "text", nullable: false),
                    access_until = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    per_day = table.Column<int>(type: "integer", nullable: true),
                    takes_in = table.Column<bool>(type: "boolean", nullable: false),
                    @private = table.Column<List<string>>(name: "private", type: "text[]", nullable: false),
                    worked_at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    trouble = table.Column<string>(type: "text", nullable: false),
                    inbox_validity = table.Column<long>(type: "bigint", nullable: false),
                    inbox_next = table.Column<long>(type: "bigint", nullable: false),
                    sent_validity = table.Column<long>(type: "bigint", nullable: false),
                    sent_next = table.Column<long>(type: "bigint", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_mail_accounts", x => x.member_id);
                    table.ForeignKey(
                        name: "fk_mail_accounts_asp_net_users_member_id",
                        column: x => x.member_id,
                        principalTable: "AspNetUsers",
                        principalColumn: "id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "sent_copies",
                columns: table => new
                {
                    id = table.Column<long>(type: "bigint", nullable: false)
                        .Annotation("Npgsql:ValueGenerationStrategy", NpgsqlValueGenerationStrategy.IdentityByDefaultColumn),
                    practice_id = table.Column<Guid>(type: "uuid", nullable: false),
                    member_id = table.Column<Guid>(type: "uuid", nullable: false),
                    message_id = table.Column<string>(type: "text", nullable: false),
                    content = table.Column<byte[]>(type: "bytea", nullable: false),
                    at = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    next_try = table.Column<Instant>(type: "timestamp with time zone", nullable: false),
                    attempts = table.Column<int>(type: "integer", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("pk_sent_copies", x => x.id);
                    table.ForeignKey(
                        name: "fk_sent_copies_mail_accounts_member_id",
                        column: x => x.member_id,
                        principalTable: "mail_accounts",
                        principalColumn: "member_id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "ix_mail_accounts_practice_id",
                table: "mail_accounts",
                column: "practice_id");

            migrationBuilder.CreateIndex(
                name: "ix_sent_copies_member_id",
                table: "sent_copies",
                column: "member_id");

            migrationBuilder.CreateIndex(
                name: "ix_sent_copies_message_id",
                table: "sent_copies",
                column: "message_id",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "ix_sent_copies_next_try",
                table: "sent_copies",
                column: "next_try");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "sent_copies");

            migrationBuilder.DropTable(
                name: "mail_accounts");
        }
    }
}
