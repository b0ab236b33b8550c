using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class TakeBacksAndNotices : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "Language",
                table: "moves",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Notify",
                table: "moves",
                type: "TEXT",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "item_originals",
                columns: table => new
                {
                    FolderId = table.Column<long>(type: "INTEGER", nullable: false),
                    Number = table.Column<long>(type: "INTEGER", nullable: false),
                    Octets = table.Column<byte[]>(type: "BLOB", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_item_originals", x => new { x.FolderId, x.Number });
                    table.ForeignKey(
                        name: "FK_item_originals_ledger_folders_FolderId",
                        column: x => x.FolderId,
                        principalTable: "ledger_folders",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "made_places",
                columns: table => new
                {
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    Kind = table.Column<int>(type: "INTEGER", nullable: false),
                    As = table.Column<int>(type: "INTEGER", nullable: false),
                    Place = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_made_places", x => new { x.MoveId, x.Kind, x.As, x.Place });
                    table.ForeignKey(
                        name: "FK_made_places_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "notice_marks",
                columns: table => new
                {
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    Value = table.Column<long>(type: "INTEGER", nullable: false),
                    Next = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_notice_marks", x => x.Name);
                });

            migrationBuilder.CreateTable(
                name: "notice_switches",
                columns: table => new
                {
                    Batch = table.Column<string>(type: "TEXT", nullable: false),
                    OffSince = table.Column<long>(type: "INTEGER", nullable: false),
                    By = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_notice_switches", x => x.Batch);
                });

            migrationBuilder.CreateTable(
                name: "notices",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Key = table.Column<string>(type: "TEXT", nullable: false),
                    About = table.Column<int>(type: "INTEGER", nullable: false),
                    Way = table.Column<int>(type: "INTEGER", nullable: false),
                    To = table.Column<string>(type: "TEXT", nullable: false),
                    Language = table.Column<string>(type: "TEXT", nullable: false),
                    Batch = table.Column<string>(type: "TEXT", nullable: true),
                    Account = table.Column<string>(type: "TEXT", nullable: true),
                    Facts = table.Column<string>(type: "TEXT", nullable: false),
                    State = table.Column<int>(type: "INTEGER", nullable: false),
                    MadeAt = table.Column<long>(type: "INTEGER", nullable: false),
                    DueAt = table.Column<long>(type: "INTEGER", nullable: false),
                    EndedAt = table.Column<long>(type: "INTEGER", nullable: true),
                    Attempts = table.Column<int>(type: "INTEGER", nullable: false),
                    Answer = table.Column<string>(type: "TEXT", nullable: true),
                    Subject = table.Column<string>(type: "TEXT", nullable: true),
                    MessageId = table.Column<string>(type: "TEXT", nullable: true),
                    LeaseOwner = table.Column<string>(type: "TEXT", nullable: true),
                    LeaseUntil = table.Column<long>(type: "INTEGER", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_notices", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "take_backs",
                columns: table => new
                {
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    AskedAt = table.Column<long>(type: "INTEGER", nullable: false),
                    AskedBy = table.Column<string>(type: "TEXT", nullable: false),
                    Account = table.Column<string>(type: "TEXT", nullable: false),
                    IsCheck = table.Column<bool>(type: "INTEGER", nullable: false),
                    EndedAt = table.Column<long>(type: "INTEGER", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_take_backs", x => x.MoveId);
                    table.ForeignKey(
                        name: "FK_take_backs_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "take_back_folders",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    Kind = table.Column<int>(type: "INTEGER", nullable: false),
                    Place = table.Column<string>(type: "TEXT", nullable: false),
                    State = table.Column<int>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_take_back_folders", x => x.Id);
                    table.ForeignKey(
                        name: "FK_take_back_folders_take_backs_MoveId",
                        column: x => x.MoveId,
                        principalTable: "take_backs",
                        principalColumn: "MoveId",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "take_back_items",
                columns: table => new
                {
                    folder_id = table.Column<long>(type: "INTEGER", nullable: false),
                    page = table.Column<long>(type: "INTEGER", nullable: false),
                    number = table.Column<long>(type: "INTEGER", nullable: false),
                    state = table.Column<int>(type: "INTEGER", nullable: false),
                    because = table.Column<int>(type: "INTEGER", nullable: true),
                    title = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_take_back_items", x => new { x.folder_id, x.page, x.number });
                    table.ForeignKey(
                        name: "FK_take_back_items_take_back_folders_folder_id",
                        column: x => x.folder_id,
                        principalTable: "take_back_folders",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "IX_notices_Batch_Id",
                table: "notices",
                columns: new[] { "Batch", "Id" });

            migrationBuilder.CreateIndex(
                name: "IX_notices_EndedAt",
                table: "notices",
                column: "EndedAt");

            migrationBuilder.CreateIndex(
                name: "IX_notices_Key",
                table: "notices",
                column: "Key",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "IX_notices_MessageId",
                table: "notices",
                column: "MessageId");

            migrationBuilder.CreateIndex(
                name: "IX_notices_State_Way_DueAt",
                table: "notices",
                columns: new[] { "State", "Way", "DueAt" });

            migrationBuilder.CreateIndex(
                name: "IX_take_back_folders_MoveId_Kind_Place",
                table: "take_back_folders",
                columns: new[] { "MoveId", "Kind", "Place" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "IX_take_back_items_folder_id_state",
                table: "take_back_items",
                columns: new[] { "folder_id", "state" });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "item_originals");

            migrationBuilder.DropTable(
                name: "made_places");

            migrationBuilder.DropTable(
                name: "notice_marks");

            migrationBuilder.DropTable(
                name: "notice_switches");

            migrationBuilder.DropTable(
                name: "notices");

            migrationBuilder.DropTable(
                name: "take_back_items");

            migrationBuilder.DropTable(
                name: "take_back_folders");

            migrationBuilder.DropTable(
                name: "take_backs");

            migrationBuilder.DropColumn(
                name: "Language",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "Notify",
                table: "moves");
        }
    }
}
