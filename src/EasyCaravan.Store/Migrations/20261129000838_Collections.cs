using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class Collections : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "collection_homes",
                columns: table => new
                {
                    Service = table.Column<string>(type: "TEXT", nullable: false),
                    Account = table.Column<string>(type: "TEXT", nullable: false),
                    Kind = table.Column<int>(type: "INTEGER", nullable: false),
                    Url = table.Column<string>(type: "TEXT", nullable: false),
                    Found = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_collection_homes", x => new { x.Service, x.Account, x.Kind });
                });

            migrationBuilder.CreateTable(
                name: "collection_items",
                columns: table => new
                {
                    folder_id = table.Column<long>(type: "INTEGER", nullable: false),
                    number = table.Column<long>(type: "INTEGER", nullable: false),
                    from_path = table.Column<string>(type: "TEXT", nullable: false),
                    from_tag = table.Column<long>(type: "INTEGER", nullable: true),
                    from_digest = table.Column<long>(type: "INTEGER", nullable: true),
                    to_path = table.Column<string>(type: "TEXT", nullable: true),
                    to_tag = table.Column<byte[]>(type: "BLOB", nullable: true),
                    to_digest = table.Column<long>(type: "INTEGER", nullable: true),
                    shapings = table.Column<int>(type: "INTEGER", nullable: false),
                    is_foreign = table.Column<bool>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_collection_items", x => new { x.folder_id, x.number });
                    table.ForeignKey(
                        name: "FK_collection_items_ledger_folders_folder_id",
                        column: x => x.folder_id,
                        principalTable: "ledger_folders",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "collection_pages",
                columns: table => new
                {
                    FolderId = table.Column<long>(type: "INTEGER", nullable: false),
                    From = table.Column<string>(type: "TEXT", nullable: false),
                    To = table.Column<string>(type: "TEXT", nullable: true),
                    FromToken = table.Column<string>(type: "TEXT", nullable: true),
                    FromTag = table.Column<string>(type: "TEXT", nullable: true),
                    ToToken = table.Column<string>(type: "TEXT", nullable: true),
                    ToTag = table.Column<string>(type: "TEXT", nullable: true),
                    HasStrangers = table.Column<bool>(type: "INTEGER", nullable: false),
                    SchedulingIsOff = table.Column<bool>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_collection_pages", x => x.FolderId);
                    table.ForeignKey(
                        name: "FK_collection_pages_ledger_folders_FolderId",
                        column: x => x.FolderId,
                        principalTable: "ledger_folders",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "item_forms",
                columns: table => new
                {
                    FolderId = table.Column<long>(type: "INTEGER", nullable: false),
                    Number = table.Column<long>(type: "INTEGER", nullable: false),
                    Before = table.Column<byte[]>(type: "BLOB", nullable: false),
                    After = table.Column<byte[]>(type: "BLOB", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_item_forms", x => new { x.FolderId, x.Number });
                    table.ForeignKey(
                        name: "FK_item_forms_ledger_folders_FolderId",
                        column: x => x.FolderId,
                        principalTable: "ledger_folders",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "collection_homes");

            migrationBuilder.DropTable(
                name: "collection_items");

            migrationBuilder.DropTable(
                name: "collection_pages");

            migrationBuilder.DropTable(
                name: "item_forms");
        }
    }
}
