using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class Differences : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<long>(
                name: "Differences",
                table: "passes",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<string>(
                name: "FaultService",
                table: "moves",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "OpenLeftBehind",
                table: "moves",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<long>(
                name: "Undecided",
                table: "moves",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<string>(
                name: "Help",
                table: "left_behind",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "Messages",
                table: "left_behind",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<long>(
                name: "size",
                table: "ledger_items",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<long>(
                name: "Altered",
                table: "ledger_folders",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<bool>(
                name: "LeftWhole",
                table: "ledger_folders",
                type: "INTEGER",
                nullable: false,
                defaultValue: false);

            migrationBuilder.AddColumn<long>(
                name: "Octets",
                table: "ledger_folders",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<long>(
                name: "OctetsBefore",
                table: "ledger_folders",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<string>(
                name: "RenamedFrom",
                table: "ledger_folders",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "SeenCount",
                table: "ledger_folders",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "SeenNext",
                table: "ledger_folders",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "Twice",
                table: "ledger_folders",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<long>(
                name: "Undecided",
                table: "ledger_folders",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.CreateTable(
                name: "comparisons",
                columns: table => new
                {
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    AskedAt = table.Column<long>(type: "INTEGER", nullable: false),
                    AskedBy = table.Column<string>(type: "TEXT", nullable: false),
                    EndedAt = table.Column<long>(type: "INTEGER", nullable: true),
                    Share = table.Column<double>(type: "REAL", nullable: false),
                    Page = table.Column<long>(type: "INTEGER", nullable: false),
                    Number = table.Column<long>(type: "INTEGER", nullable: false),
                    Compared = table.Column<long>(type: "INTEGER", nullable: false),
                    Octets = table.Column<long>(type: "INTEGER", nullable: false),
                    Differing = table.Column<long>(type: "INTEGER", nullable: false),
                    FlagsChanged = table.Column<long>(type: "INTEGER", nullable: false),
                    Arrived = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_comparisons", x => x.MoveId);
                    table.ForeignKey(
                        name: "FK_comparisons_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "differences",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    FolderId = table.Column<long>(type: "INTEGER", nullable: false),
                    Kind = table.Column<int>(type: "INTEGER", nullable: false),
                    Number = table.Column<long>(type: "INTEGER", nullable: false),
                    Landed = table.Column<long>(type: "INTEGER", nullable: false),
                    What = table.Column<string>(type: "TEXT", nullable: false),
                    Size = table.Column<long>(type: "INTEGER", nullable: false),
                    Received = table.Column<string>(type: "TEXT", nullable: true),
                    Subject = table.Column<string>(type: "TEXT", nullable: false),
                    Sender = table.Column<string>(type: "TEXT", nullable: false),
                    State = table.Column<int>(type: "INTEGER", nullable: false),
                    DecidedBy = table.Column<string>(type: "TEXT", nullable: true),
                    SeenAt = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_differences", x => x.Id);
                    table.ForeignKey(
                        name: "FK_differences_ledger_folders_FolderId",
                        column: x => x.FolderId,
                        principalTable: "ledger_folders",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "IX_differences_FolderId_Kind_Number_Landed",
                table: "differences",
                columns: new[] { "FolderId", "Kind", "Number", "Landed" },
                unique: true);

            // What stands in the store already is carried over: one message each, sizes known in sum only.
            migrationBuilder.Sql("""UPDATE left_behind SET "Messages" = 1""");
            migrationBuilder.Sql("""UPDATE moves SET "OpenLeftBehind" = "LeftBehind" """);
            migrationBuilder.Sql(
                """
                UPDATE moves SET "LeftBehind" = (SELECT COUNT(*) FROM left_behind i JOIN ledger_folders f ON f."Id" = i."FolderId" WHERE f."MoveId" = moves."Id")
                """);
            migrationBuilder.Sql(
                """
                UPDATE ledger_folders SET "OctetsBefore" = COALESCE((SELECT m."Octets" * ledger_folders."Carried" / m."Carried" FROM moves m WHERE m."Id" = ledger_folders."MoveId" AND m."Carried" > 0), 0)
                """);
            migrationBuilder.Sql("""UPDATE ledger_folders SET "Octets" = "OctetsBefore", "Missing" = 0""");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "comparisons");

            migrationBuilder.DropTable(
                name: "differences");

            migrationBuilder.DropColumn(
                name: "Differences",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "FaultService",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "OpenLeftBehind",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "Undecided",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "Help",
                table: "left_behind");

            migrationBuilder.DropColumn(
                name: "Messages",
                table: "left_behind");

            migrationBuilder.DropColumn(
                name: "size",
                table: "ledger_items");

            migrationBuilder.DropColumn(
                name: "Altered",
                table: "ledger_folders");

            migrationBuilder.DropColumn(
                name: "LeftWhole",
                table: "ledger_folders");

            migrationBuilder.DropColumn(
                name: "Octets",
                table: "ledger_folders");

            migrationBuilder.DropColumn(
                name: "OctetsBefore",
                table: "ledger_folders");

            migrationBuilder.DropColumn(
                name: "RenamedFrom",
                table: "ledger_folders");

            migrationBuilder.DropColumn(
                name: "SeenCount",
                table: "ledger_folders");

            migrationBuilder.DropColumn(
                name: "SeenNext",
                table: "ledger_folders");

            migrationBuilder.DropColumn(
                name: "Twice",
                table: "ledger_folders");

            migrationBuilder.DropColumn(
                name: "Undecided",
                table: "ledger_folders");
        }
    }
}
