using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class Claiming : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateIndex(
                name: "IX_moves_LeaseUntil",
                table: "moves",
                column: "LeaseUntil",
                filter: "\"LeaseUntil\" IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "IX_moves_Rank_DueAt_Id",
                table: "moves",
                columns: new[] { "Rank", "DueAt", "Id" });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "IX_moves_LeaseUntil",
                table: "moves");

            migrationBuilder.DropIndex(
                name: "IX_moves_Rank_DueAt_Id",
                table: "moves");
        }
    }
}
