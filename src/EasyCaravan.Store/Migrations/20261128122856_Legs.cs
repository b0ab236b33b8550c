using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class Legs : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "legs",
                columns: table => new
                {
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    Kind = table.Column<int>(type: "INTEGER", nullable: false),
                    Position = table.Column<int>(type: "INTEGER", nullable: false),
                    Stage = table.Column<int>(type: "INTEGER", nullable: false),
                    Due = table.Column<long>(type: "INTEGER", nullable: true),
                    WaitsFor = table.Column<int>(type: "INTEGER", nullable: true),
                    FaultCause = table.Column<int>(type: "INTEGER", nullable: true),
                    FaultWhom = table.Column<string>(type: "TEXT", nullable: true),
                    FaultWhat = table.Column<string>(type: "TEXT", nullable: true),
                    FaultCode = table.Column<string>(type: "TEXT", nullable: true),
                    FaultHelp = table.Column<string>(type: "TEXT", nullable: true),
                    FaultService = table.Column<string>(type: "TEXT", nullable: true),
                    FaultNotBefore = table.Column<long>(type: "INTEGER", nullable: true),
                    FaultBeforeSignIn = table.Column<bool>(type: "INTEGER", nullable: true),
                    Attempts = table.Column<int>(type: "INTEGER", nullable: false),
                    EndedAt = table.Column<long>(type: "INTEGER", nullable: true),
                    Found = table.Column<long>(type: "INTEGER", nullable: false),
                    Carried = table.Column<long>(type: "INTEGER", nullable: false),
                    Paired = table.Column<long>(type: "INTEGER", nullable: false),
                    Excluded = table.Column<long>(type: "INTEGER", nullable: false),
                    LeftBehind = table.Column<long>(type: "INTEGER", nullable: false),
                    OpenLeftBehind = table.Column<long>(type: "INTEGER", nullable: false),
                    Undecided = table.Column<long>(type: "INTEGER", nullable: false),
                    Octets = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_legs", x => new { x.MoveId, x.Kind });
                    table.ForeignKey(
                        name: "FK_legs_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "pass_legs",
                columns: table => new
                {
                    PassId = table.Column<long>(type: "INTEGER", nullable: false),
                    Kind = table.Column<int>(type: "INTEGER", nullable: false),
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    EndedAt = table.Column<long>(type: "INTEGER", nullable: true),
                    Stopped = table.Column<bool>(type: "INTEGER", nullable: false),
                    Fault = table.Column<string>(type: "TEXT", nullable: true),
                    Expected = table.Column<long>(type: "INTEGER", nullable: false),
                    Carried = table.Column<long>(type: "INTEGER", nullable: false),
                    Paired = table.Column<long>(type: "INTEGER", nullable: false),
                    Excluded = table.Column<long>(type: "INTEGER", nullable: false),
                    LeftBehind = table.Column<long>(type: "INTEGER", nullable: false),
                    Octets = table.Column<long>(type: "INTEGER", nullable: false),
                    FlagsChanged = table.Column<long>(type: "INTEGER", nullable: false),
                    Moved = table.Column<long>(type: "INTEGER", nullable: false),
                    Removed = table.Column<long>(type: "INTEGER", nullable: false),
                    Looked = table.Column<long>(type: "INTEGER", nullable: false),
                    Differences = table.Column<long>(type: "INTEGER", nullable: false),
                    Folder = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_pass_legs", x => new { x.PassId, x.Kind });
                    table.ForeignKey(
                        name: "FK_pass_legs_passes_PassId",
                        column: x => x.PassId,
                        principalTable: "passes",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            // One leg, mail, for each move that the store holds: it stands where the move stood. Before the columns that it is made from are dropped.
            migrationBuilder.Sql(
                """
                INSERT INTO legs ("MoveId", "Kind", "Position", "Stage", "Due", "WaitsFor", "FaultCause", "FaultWhom", "FaultWhat", "FaultCode", "FaultHelp",
                    "FaultService", "FaultBeforeSignIn", "Attempts", "EndedAt", "Found", "Carried", "Paired", "Excluded", "LeftBehind", "OpenLeftBehind",
                    "Undecided", "Octets")
                SELECT m."Id", 0, 0,
                    CASE WHEN m."Stage" IN (0, 1) THEN 0 WHEN m."Stage" = 2 THEN 2 WHEN m."Stage" = 7 THEN CASE WHEN m."Carried" > 0 THEN 2 ELSE 0 END ELSE 3 END,
                    CASE
                        WHEN m."Stage" NOT IN (2, 3) THEN NULL
                        WHEN m."Wanted" IN (2, 3) OR m."Condition" IN (1, 2, 4) OR (m."Condition" = 3 AND m."WaitsFor" = 0) THEN m."ChangedAt"
                        WHEN m."Condition" = 3 THEN m."Until"
                        WHEN m."Condition" = 0 THEN m."DueAt"
                    END,
                    CASE WHEN f."Id" IS NOT NULL AND m."Condition" = 3 THEN m."WaitsFor" END,
                    f."FaultCause", f."FaultWhom", f."FaultWhat", f."FaultCode", f."FaultHelp", f."FaultService", CASE WHEN f."Id" IS NOT NULL THEN FALSE END,
                    CASE WHEN m."Wanted" IN (2, 3) THEN 0 ELSE m."Attempts" END,
                    (SELECT MAX(p."EndedAt") FROM passes p WHERE p."MoveId" = m."Id" AND p."Kind" IN (0, 1) AND NOT p."Stopped" AND p."Fault" IS NULL),
                    m."Found", m."Carried", m."Paired", m."Excluded", m."LeftBehind", m."OpenLeftBehind", m."Undecided", m."Octets"
                FROM moves m LEFT JOIN moves f ON f."Id" = m."Id" AND f."FaultCause" IS NOT NULL AND f."Wanted" IN (0, 1)
                    AND (f."Condition" = 5 OR (f."Condition" = 3 AND f."WaitsFor" IN (1, 2)))
                """);
            migrationBuilder.Sql(
                """
                INSERT INTO pass_legs ("PassId", "Kind", "MoveId", "EndedAt", "Stopped", "Fault", "Expected", "Carried", "Paired", "Excluded", "LeftBehind",
                    "Octets", "FlagsChanged", "Moved", "Removed", "Looked", "Differences", "Folder")
                SELECT "Id", 0, "MoveId", "EndedAt", "Stopped", "Fault", "Expected", "Carried", "Paired", "Excluded", "LeftBehind",
                    "Octets", "FlagsChanged", "Moved", "Removed", "Looked", "Differences", "Folder" FROM passes
                """);
            migrationBuilder.Sql("""UPDATE passes SET "Fault" = NULL WHERE "Kind" IN (0, 1)""");

            migrationBuilder.DropForeignKey(
                name: "FK_strangers_ledger_folders_folder_id",
                table: "strangers");

            migrationBuilder.DropIndex(
                name: "IX_ledger_folders_MoveId_From_To",
                table: "ledger_folders");

            migrationBuilder.DropPrimaryKey(
                name: "PK_strangers",
                table: "strangers");

            migrationBuilder.DropPrimaryKey(
                name: "PK_choices",
                table: "choices");

            migrationBuilder.DropColumn(
                name: "Carried",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "Differences",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "Excluded",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "Expected",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "FlagsChanged",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "Folder",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "LeftBehind",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "Looked",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "Moved",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "Octets",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "Paired",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "Removed",
                table: "passes");

            migrationBuilder.RenameTable(
                name: "strangers",
                newName: "unclaimed_messages");

            migrationBuilder.RenameTable(
                name: "choices",
                newName: "decisions");

            migrationBuilder.RenameIndex(
                name: "IX_choices_Scope_Place_Code",
                table: "decisions",
                newName: "IX_decisions_Scope_Place_Code");

            migrationBuilder.AddColumn<int>(
                name: "ConditionLeg",
                table: "moves",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<bool>(
                name: "FaultBeforeSignIn",
                table: "moves",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "FaultNotBefore",
                table: "moves",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "Kind",
                table: "ledger_folders",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0);

            migrationBuilder.AddPrimaryKey(
                name: "PK_unclaimed_messages",
                table: "unclaimed_messages",
                columns: new[] { "folder_id", "number" });

            migrationBuilder.AddPrimaryKey(
                name: "PK_decisions",
                table: "decisions",
                column: "Id");

            migrationBuilder.CreateIndex(
                name: "IX_ledger_folders_MoveId_Kind_From_To",
                table: "ledger_folders",
                columns: new[] { "MoveId", "Kind", "From", "To" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "IX_pass_legs_MoveId_Kind_PassId",
                table: "pass_legs",
                columns: new[] { "MoveId", "Kind", "PassId" });

            migrationBuilder.AddForeignKey(
                name: "FK_unclaimed_messages_ledger_folders_folder_id",
                table: "unclaimed_messages",
                column: "folder_id",
                principalTable: "ledger_folders",
                principalColumn: "Id",
                onDelete: ReferentialAction.Cascade);

            migrationBuilder.Sql("""UPDATE moves SET "ConditionLeg" = 0 WHERE EXISTS (SELECT 1 FROM legs l WHERE l."MoveId" = moves."Id" AND l."FaultCause" IS NOT NULL)""");
            migrationBuilder.Sql("""UPDATE moves SET "FaultBeforeSignIn" = FALSE WHERE "FaultCause" IS NOT NULL""");
        }

    }
}
