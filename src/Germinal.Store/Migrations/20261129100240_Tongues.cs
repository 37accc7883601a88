using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class Tongues : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "tongue",
                table: "people",
                type: "text",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "tongue",
                table: "AspNetUsers",
                type: "text",
                nullable: false,
                defaultValue: "");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "tongue",
                table: "people");

            migrationBuilder.DropColumn(
                name: "tongue",
                table: "AspNetUsers");
        }
    }
}
