using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class Carrying : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<long>(
                name: "Moved",
                table: "passes",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<long>(
                name: "Removed",
                table: "passes",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<long>(
                name: "Rank",
                table: "moves",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.CreateTable(
                name: "item_keys",
                columns: table => new
                {
                    folder_id = table.Column<long>(type: "INTEGER", nullable: false),
                    number = table.Column<long>(type: "INTEGER", nullable: false),
                    move_id = table.Column<long>(type: "INTEGER", nullable: false),
                    low = table.Column<long>(type: "INTEGER", nullable: false),
                    high = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_item_keys", x => new { x.folder_id, x.number });
                    table.ForeignKey(
                        name: "FK_item_keys_ledger_folders_folder_id",
                        column: x => x.folder_id,
                        principalTable: "ledger_folders",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "strangers",
                columns: table => new
                {
                    folder_id = table.Column<long>(type: "INTEGER", nullable: false),
                    number = table.Column<long>(type: "INTEGER", nullable: false),
                    size = table.Column<long>(type: "INTEGER", nullable: false),
                    low = table.Column<long>(type: "INTEGER", nullable: false),
                    high = table.Column<long>(type: "INTEGER", nullable: false),
                    certain = table.Column<bool>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_strangers", x => new { x.folder_id, x.number });
                    table.ForeignKey(
                        name: "FK_strangers_ledger_folders_folder_id",
                        column: x => x.folder_id,
                        principalTable: "ledger_folders",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "IX_item_keys_move_id_low",
                table: "item_keys",
                columns: new[] { "move_id", "low" });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "item_keys");

            migrationBuilder.DropTable(
                name: "strangers");

            migrationBuilder.DropColumn(
                name: "Moved",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "Removed",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "Rank",
                table: "moves");
        }
    }
}
