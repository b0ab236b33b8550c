using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class First : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "flag_sets",
                columns: table => new
                {
                    Id = table.Column<int>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Written = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_flag_sets", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "journal",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    At = table.Column<long>(type: "INTEGER", nullable: false),
                    Batch = table.Column<string>(type: "TEXT", nullable: true),
                    MoveId = table.Column<long>(type: "INTEGER", nullable: true),
                    Person = table.Column<string>(type: "TEXT", nullable: true),
                    Who = table.Column<string>(type: "TEXT", nullable: false),
                    Text = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_journal", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "moves",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Batch = table.Column<string>(type: "TEXT", nullable: false),
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    FromAccount = table.Column<string>(type: "TEXT", nullable: false),
                    ToAccount = table.Column<string>(type: "TEXT", nullable: false),
                    FromLogin = table.Column<string>(type: "TEXT", nullable: false),
                    ToLogin = table.Column<string>(type: "TEXT", nullable: false),
                    FromSecret = table.Column<string>(type: "TEXT", nullable: true),
                    ToSecret = table.Column<string>(type: "TEXT", nullable: true),
                    Note = table.Column<string>(type: "TEXT", nullable: true),
                    Stage = table.Column<int>(type: "INTEGER", nullable: false),
                    Condition = table.Column<int>(type: "INTEGER", nullable: false),
                    WaitsFor = table.Column<int>(type: "INTEGER", nullable: true),
                    Until = table.Column<long>(type: "INTEGER", nullable: true),
                    FaultCause = table.Column<int>(type: "INTEGER", nullable: true),
                    FaultWhom = table.Column<string>(type: "TEXT", nullable: true),
                    FaultWhat = table.Column<string>(type: "TEXT", nullable: true),
                    FaultCode = table.Column<string>(type: "TEXT", nullable: true),
                    Wanted = table.Column<int>(type: "INTEGER", nullable: true),
                    Attempts = table.Column<int>(type: "INTEGER", nullable: false),
                    DueAt = table.Column<long>(type: "INTEGER", nullable: true),
                    LeaseOwner = table.Column<string>(type: "TEXT", nullable: true),
                    LeaseUntil = table.Column<long>(type: "INTEGER", nullable: true),
                    Fence = table.Column<long>(type: "INTEGER", nullable: false),
                    Found = table.Column<long>(type: "INTEGER", nullable: false),
                    Carried = table.Column<long>(type: "INTEGER", nullable: false),
                    Paired = table.Column<long>(type: "INTEGER", nullable: false),
                    Excluded = table.Column<long>(type: "INTEGER", nullable: false),
                    LeftBehind = table.Column<long>(type: "INTEGER", nullable: false),
                    Octets = table.Column<long>(type: "INTEGER", nullable: false),
                    ChangedAt = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_moves", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "plans",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    File = table.Column<string>(type: "TEXT", nullable: false),
                    Text = table.Column<string>(type: "TEXT", nullable: false),
                    FilesJson = table.Column<string>(type: "TEXT", nullable: false),
                    AppliedAt = table.Column<long>(type: "INTEGER", nullable: false),
                    AppliedBy = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_plans", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "tokens",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    Hash = table.Column<string>(type: "TEXT", nullable: false),
                    CreatedAt = table.Column<long>(type: "INTEGER", nullable: false),
                    RevokedAt = table.Column<long>(type: "INTEGER", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_tokens", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "ledger_folders",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    From = table.Column<string>(type: "TEXT", nullable: false),
                    To = table.Column<string>(type: "TEXT", nullable: false),
                    FromEpoch = table.Column<long>(type: "INTEGER", nullable: true),
                    ToEpoch = table.Column<long>(type: "INTEGER", nullable: true),
                    ToBaseNext = table.Column<long>(type: "INTEGER", nullable: false),
                    CursorNext = table.Column<long>(type: "INTEGER", nullable: true),
                    CursorMark = table.Column<long>(type: "INTEGER", nullable: true),
                    CursorCount = table.Column<long>(type: "INTEGER", nullable: true),
                    Reopened = table.Column<bool>(type: "INTEGER", nullable: false),
                    Found = table.Column<long>(type: "INTEGER", nullable: false),
                    Carried = table.Column<long>(type: "INTEGER", nullable: false),
                    Paired = table.Column<long>(type: "INTEGER", nullable: false),
                    Excluded = table.Column<long>(type: "INTEGER", nullable: false),
                    LeftBehind = table.Column<long>(type: "INTEGER", nullable: false),
                    Gone = table.Column<long>(type: "INTEGER", nullable: false),
                    Missing = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_ledger_folders", x => x.Id);
                    table.ForeignKey(
                        name: "FK_ledger_folders_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "passes",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    Kind = table.Column<int>(type: "INTEGER", nullable: false),
                    StartedAt = table.Column<long>(type: "INTEGER", nullable: false),
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
                    Folder = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_passes", x => x.Id);
                    table.ForeignKey(
                        name: "FK_passes_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "ledger_items",
                columns: table => new
                {
                    folder_id = table.Column<long>(type: "INTEGER", nullable: false),
                    number = table.Column<long>(type: "INTEGER", nullable: false),
                    landed = table.Column<long>(type: "INTEGER", nullable: true),
                    outcome = table.Column<int>(type: "INTEGER", nullable: false),
                    gone = table.Column<bool>(type: "INTEGER", nullable: false),
                    flags = table.Column<int>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_ledger_items", x => new { x.folder_id, x.number });
                    table.ForeignKey(
                        name: "FK_ledger_items_ledger_folders_folder_id",
                        column: x => x.folder_id,
                        principalTable: "ledger_folders",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "left_behind",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    FolderId = table.Column<long>(type: "INTEGER", nullable: false),
                    Number = table.Column<long>(type: "INTEGER", nullable: false),
                    Cause = table.Column<int>(type: "INTEGER", nullable: false),
                    Whom = table.Column<string>(type: "TEXT", nullable: false),
                    What = table.Column<string>(type: "TEXT", nullable: false),
                    Code = table.Column<string>(type: "TEXT", nullable: true),
                    Size = table.Column<long>(type: "INTEGER", nullable: false),
                    Received = table.Column<string>(type: "TEXT", nullable: false),
                    Subject = table.Column<string>(type: "TEXT", nullable: false),
                    Sender = table.Column<string>(type: "TEXT", nullable: false),
                    State = table.Column<int>(type: "INTEGER", nullable: false),
                    AcceptedBy = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_left_behind", x => x.Id);
                    table.ForeignKey(
                        name: "FK_left_behind_ledger_folders_FolderId",
                        column: x => x.FolderId,
                        principalTable: "ledger_folders",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "IX_flag_sets_Written",
                table: "flag_sets",
                column: "Written",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "IX_journal_Batch_Id",
                table: "journal",
                columns: new[] { "Batch", "Id" });

            migrationBuilder.CreateIndex(
                name: "IX_journal_MoveId_Id",
                table: "journal",
                columns: new[] { "MoveId", "Id" });

            migrationBuilder.CreateIndex(
                name: "IX_ledger_folders_MoveId_From_To",
                table: "ledger_folders",
                columns: new[] { "MoveId", "From", "To" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "IX_left_behind_FolderId_Number",
                table: "left_behind",
                columns: new[] { "FolderId", "Number" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "IX_moves_Batch_FromAccount",
                table: "moves",
                columns: new[] { "Batch", "FromAccount" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "IX_moves_DueAt",
                table: "moves",
                column: "DueAt");

            migrationBuilder.CreateIndex(
                name: "IX_passes_MoveId",
                table: "passes",
                column: "MoveId");

            migrationBuilder.CreateIndex(
                name: "IX_tokens_Hash",
                table: "tokens",
                column: "Hash",
                unique: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "flag_sets");

            migrationBuilder.DropTable(
                name: "journal");

            migrationBuilder.DropTable(
                name: "ledger_items");

            migrationBuilder.DropTable(
                name: "left_behind");

            migrationBuilder.DropTable(
                name: "passes");

            migrationBuilder.DropTable(
                name: "plans");

            migrationBuilder.DropTable(
                name: "tokens");

            migrationBuilder.DropTable(
                name: "ledger_folders");

            migrationBuilder.DropTable(
                name: "moves");
        }
    }
}
