using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class TouchesByPerson : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "ix_touches_program_id_status",
                table: "touches");

            migrationBuilder.DropIndex(
                name: "ix_touches_run_id",
                table: "touches");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateIndex(
                name: "ix_touches_program_id_status",
                table: "touches",
                columns: new[] { "program_id", "status" });

            migrationBuilder.CreateIndex(
                name: "ix_touches_run_id",
                table: "touches",
                column: "run_id");
        }
    }
}
