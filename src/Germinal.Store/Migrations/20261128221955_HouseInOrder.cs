using Microsoft.EntityFrameworkCore.Migrations;
using NodaTime;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class HouseInOrder : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<Instant>(
                name: "ends_at",
                table: "practices",
                type: "timestamp with time zone",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "office",
                table: "AspNetUsers",
                type: "text",
                nullable: false,
                defaultValue: "");

            migrationBuilder.AddColumn<bool>(
                name: "sees_own",
                table: "AspNetUsers",
                type: "boolean",
                nullable: false,
                defaultValue: false);

            migrationBuilder.AddColumn<string>(
                name: "sends_from",
                table: "AspNetUsers",
                type: "text",
                nullable: false,
                defaultValue: "");

            SightFunctions.Create(migrationBuilder);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            SightFunctions.Drop(migrationBuilder);

            migrationBuilder.DropColumn(
                name: "ends_at",
                table: "practices");

            migrationBuilder.DropColumn(
                name: "office",
                table: "AspNetUsers");

            migrationBuilder.DropColumn(
                name: "sees_own",
                table: "AspNetUsers");

            migrationBuilder.DropColumn(
                name: "sends_from",
                table: "AspNetUsers");
        }
    }
}
