using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class Keepers : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<Instant>(
                name: "stopped_at",
                table: "practices",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "stopped_why",
                table: "practices",
                type: "text",
                nullable: false,
                defaultValue: "");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "stopped_at",
                table: "practices");

            migrationBuilder.DropColumn(
                name: "stopped_why",
                table: "practices");
        }
    }
}
