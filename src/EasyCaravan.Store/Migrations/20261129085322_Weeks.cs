using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class Weeks : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "IX_moves_DueAt",
                table: "moves");

            migrationBuilder.DropIndex(
                name: "IX_moves_Rank_DueAt_Id",
                table: "moves");

            migrationBuilder.RenameColumn(
                name: "Rank",
                table: "moves",
                newName: "Handicap");

            migrationBuilder.AddColumn<string>(
                name: "FromLoginBefore",
                table: "moves",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "FromSecretBefore",
                table: "moves",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "Priority",
                table: "moves",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "Since",
                table: "moves",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "ToLoginBefore",
                table: "moves",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "ToSecretBefore",
                table: "moves",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "Turn",
                table: "moves",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "InStepSince",
                table: "legs",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "AcceptedBecause",
                table: "left_behind",
                type: "TEXT",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "batch_hours",
                columns: table => new
                {
                    Batch = table.Column<string>(type: "TEXT", nullable: false),
                    Hour = table.Column<long>(type: "INTEGER", nullable: false),
                    StagesJson = table.Column<string>(type: "TEXT", nullable: false),
                    NeedsYou = table.Column<int>(type: "INTEGER", nullable: false),
                    Found = table.Column<long>(type: "INTEGER", nullable: false),
                    Settled = table.Column<long>(type: "INTEGER", nullable: false),
                    Octets = table.Column<long>(type: "INTEGER", nullable: false),
                    ForecastEarliest = table.Column<long>(type: "INTEGER", nullable: true),
                    ForecastLatest = table.Column<long>(type: "INTEGER", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_batch_hours", x => new { x.Batch, x.Hour });
                });

            migrationBuilder.CreateTable(
                name: "batch_starts",
                columns: table => new
                {
                    Batch = table.Column<string>(type: "TEXT", nullable: false),
                    StartsAt = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_batch_starts", x => new { x.Batch, x.StartsAt });
                });

            migrationBuilder.CreateTable(
                name: "drains",
                columns: table => new
                {
                    Service = table.Column<string>(type: "TEXT", nullable: false),
                    StopsRunning = table.Column<bool>(type: "INTEGER", nullable: false),
                    Who = table.Column<string>(type: "TEXT", nullable: false),
                    At = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_drains", x => x.Service);
                });

            migrationBuilder.CreateTable(
                name: "looks",
                columns: table => new
                {
                    Who = table.Column<string>(type: "TEXT", nullable: false),
                    At = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_looks", x => x.Who);
                });

            // Sizes become times: every move lets others go first for as long as the usual priority says (4 h).
            migrationBuilder.Sql("""UPDATE moves SET "Handicap" = 14400000, "Since" = "DueAt";""");
            migrationBuilder.Sql("""UPDATE legs SET "InStepSince" = "EndedAt" WHERE "Stage" = 3;""");

            migrationBuilder.CreateIndex(
                name: "IX_passes_EndedAt",
                table: "passes",
                column: "EndedAt");

            migrationBuilder.CreateIndex(
                name: "IX_pass_legs_EndedAt",
                table: "pass_legs",
                column: "EndedAt");

            migrationBuilder.CreateIndex(
                name: "IX_moves_DueAt",
                table: "moves",
                column: "DueAt",
                filter: "\"Turn\" IS NULL AND \"DueAt\" IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "IX_moves_Turn_Id_Batch",
                table: "moves",
                columns: new[] { "Turn", "Id", "Batch" },
                filter: "\"Turn\" IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "IX_legs_InStepSince",
                table: "legs",
                column: "InStepSince");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "batch_hours");

            migrationBuilder.DropTable(
                name: "batch_starts");

            migrationBuilder.DropTable(
                name: "drains");

            migrationBuilder.DropTable(
                name: "looks");

            migrationBuilder.DropIndex(
                name: "IX_passes_EndedAt",
                table: "passes");

            migrationBuilder.DropIndex(
                name: "IX_pass_legs_EndedAt",
                table: "pass_legs");

            migrationBuilder.DropIndex(
                name: "IX_moves_DueAt",
                table: "moves");

            migrationBuilder.DropIndex(
                name: "IX_moves_Turn_Id_Batch",
                table: "moves");

            migrationBuilder.DropIndex(
                name: "IX_legs_InStepSince",
                table: "legs");

            migrationBuilder.DropColumn(
                name: "FromLoginBefore",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "FromSecretBefore",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "Priority",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "Since",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "ToLoginBefore",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "ToSecretBefore",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "Turn",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "InStepSince",
                table: "legs");

            migrationBuilder.DropColumn(
                name: "AcceptedBecause",
                table: "left_behind");

            migrationBuilder.RenameColumn(
                name: "Handicap",
                table: "moves",
                newName: "Rank");

            migrationBuilder.CreateIndex(
                name: "IX_moves_DueAt",
                table: "moves",
                column: "DueAt");

            migrationBuilder.CreateIndex(
                name: "IX_moves_Rank_DueAt_Id",
                table: "moves",
                columns: new[] { "Rank", "DueAt", "Id" });
        }
    }
}
