using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class CollectionsBesideMail : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<long>(
                name: "Updated",
                table: "pass_legs",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<int>(
                name: "Kind",
                table: "comparisons",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Lost",
                table: "collection_pages",
                type: "TEXT",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "service_speeds",
                columns: table => new
                {
                    Service = table.Column<string>(type: "TEXT", nullable: false),
                    Kind = table.Column<int>(type: "INTEGER", nullable: false),
                    MultiGet = table.Column<double>(type: "REAL", nullable: true),
                    Query = table.Column<double>(type: "REAL", nullable: true),
                    WritingLanes = table.Column<int>(type: "INTEGER", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_service_speeds", x => new { x.Service, x.Kind });
                });

            migrationBuilder.CreateIndex(
                name: "IX_collection_items_folder_id_shapings",
                table: "collection_items",
                columns: new[] { "folder_id", "shapings" },
                filter: "shapings <> 0");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "service_speeds");

            migrationBuilder.DropIndex(
                name: "IX_collection_items_folder_id_shapings",
                table: "collection_items");

            migrationBuilder.DropColumn(
                name: "Updated",
                table: "pass_legs");

            migrationBuilder.DropColumn(
                name: "Kind",
                table: "comparisons");

            migrationBuilder.DropColumn(
                name: "Lost",
                table: "collection_pages");
        }
    }
}
