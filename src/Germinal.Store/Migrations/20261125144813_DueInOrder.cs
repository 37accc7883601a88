using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Germinal.Store.Migrations
{
    /// <inheritdoc />
    public partial class DueInOrder : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "ix_person_states_next_due",
                table: "person_states");

            migrationBuilder.CreateIndex(
                name: "ix_person_states_next_due_person_id",
                table: "person_states",
                columns: new[] { "next_due", "person_id" });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "ix_person_states_next_due_person_id",
                table: "person_states");

            migrationBuilder.CreateIndex(
                name: "ix_person_states_next_due",
                table: "person_states",
                column: "next_due");
        }
    }
}
