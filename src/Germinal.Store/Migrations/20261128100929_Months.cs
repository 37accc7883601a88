using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class Months : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<Instant>(
                name: "monthly_due",
                table: "AspNetUsers",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.CreateIndex(
                name: "ix_touches_made",
                table: "touches",
                columns: new[] { "practice_id", "closed_at", "kind" },
                filter: "status = 'done' AND kind IN ('call', 'note', 'post')");

            migrationBuilder.CreateIndex(
                name: "ix_messages_practice_id_sent_at",
                table: "messages",
                columns: new[] { "practice_id", "sent_at" });

            migrationBuilder.CreateIndex(
                name: "ix_asp_net_users_monthly_due",
                table: "AspNetUsers",
                column: "monthly_due",
                filter: "monthly_due IS NOT NULL");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "ix_touches_made",
                table: "touches");

            migrationBuilder.DropIndex(
                name: "ix_messages_practice_id_sent_at",
                table: "messages");

            migrationBuilder.DropIndex(
                name: "ix_asp_net_users_monthly_due",
                table: "AspNetUsers");

            migrationBuilder.DropColumn(
                name: "monthly_due",
                table: "AspNetUsers");
        }
    }
}
