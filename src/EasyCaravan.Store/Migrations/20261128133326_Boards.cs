using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class Boards : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "Rosters",
                table: "plans",
                type: "TEXT",
                nullable: true);

            migrationBuilder.CreateIndex(
                name: "IX_moves_Condition",
                table: "moves",
                column: "Condition");

            migrationBuilder.CreateIndex(
                name: "IX_moves_FaultCause",
                table: "moves",
                column: "FaultCause",
                filter: "\"FaultCause\" IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "IX_moves_boards",
                table: "moves",
                columns: new[] { "Batch", "Stage", "Condition", "WaitsFor", "Until", "Found", "Carried", "Paired", "Excluded", "LeftBehind", "OpenLeftBehind", "Undecided", "Octets" });

            migrationBuilder.CreateIndex(
                name: "IX_legs_FaultCause",
                table: "legs",
                column: "FaultCause",
                filter: "\"FaultCause\" IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "IX_left_behind_State",
                table: "left_behind",
                column: "State");

            migrationBuilder.CreateIndex(
                name: "IX_differences_State",
                table: "differences",
                column: "State");
        }
    }
}
