using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class PracticeEdition : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<int>(
                name: "edition",
                table: "practices",
                type: "integer",
                nullable: false,
                defaultValue: 0);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "edition",
                table: "practices");
        }
    }
}
