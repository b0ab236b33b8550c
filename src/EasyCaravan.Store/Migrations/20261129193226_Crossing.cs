using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class Crossing : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "arrival_looks",
                columns: table => new
                {
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    Place = table.Column<string>(type: "TEXT", nullable: false),
                    Epoch = table.Column<long>(type: "INTEGER", nullable: false),
                    Next = table.Column<long>(type: "INTEGER", nullable: false),
                    Count = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_arrival_looks", x => new { x.MoveId, x.Place });
                    table.ForeignKey(
                        name: "FK_arrival_looks_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "arrivals",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    Place = table.Column<string>(type: "TEXT", nullable: false),
                    Epoch = table.Column<long>(type: "INTEGER", nullable: false),
                    Number = table.Column<long>(type: "INTEGER", nullable: false),
                    Size = table.Column<long>(type: "INTEGER", nullable: false),
                    Low = table.Column<long>(type: "INTEGER", nullable: false),
                    High = table.Column<long>(type: "INTEGER", nullable: false),
                    Certain = table.Column<bool>(type: "INTEGER", nullable: false),
                    Gone = table.Column<bool>(type: "INTEGER", nullable: false),
                    Matched = table.Column<bool>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_arrivals", x => x.Id);
                    table.ForeignKey(
                        name: "FK_arrivals_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "batch_crossings",
                columns: table => new
                {
                    Batch = table.Column<string>(type: "TEXT", nullable: false),
                    AskedAt = table.Column<long>(type: "INTEGER", nullable: false),
                    AskedBy = table.Column<string>(type: "TEXT", nullable: false),
                    CutoverAt = table.Column<long>(type: "INTEGER", nullable: true),
                    Wave = table.Column<int>(type: "INTEGER", nullable: false),
                    State = table.Column<int>(type: "INTEGER", nullable: false),
                    Because = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_batch_crossings", x => x.Batch);
                });

            migrationBuilder.CreateTable(
                name: "crossing_acts",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    Act = table.Column<int>(type: "INTEGER", nullable: false),
                    What = table.Column<string>(type: "TEXT", nullable: false),
                    BegunAt = table.Column<long>(type: "INTEGER", nullable: false),
                    EndedAt = table.Column<long>(type: "INTEGER", nullable: true),
                    Outcome = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_crossing_acts", x => x.Id);
                    table.ForeignKey(
                        name: "FK_crossing_acts_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "crossing_gates",
                columns: table => new
                {
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    Kind = table.Column<int>(type: "INTEGER", nullable: false),
                    Colour = table.Column<int>(type: "INTEGER", nullable: false),
                    Facts = table.Column<string>(type: "TEXT", nullable: false),
                    Remedy = table.Column<string>(type: "TEXT", nullable: true),
                    AcceptedBy = table.Column<string>(type: "TEXT", nullable: true),
                    AcceptedBecause = table.Column<string>(type: "TEXT", nullable: true),
                    AcceptedAt = table.Column<long>(type: "INTEGER", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_crossing_gates", x => new { x.MoveId, x.Kind });
                    table.ForeignKey(
                        name: "FK_crossing_gates_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "crossings",
                columns: table => new
                {
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    Goal = table.Column<int>(type: "INTEGER", nullable: false),
                    Step = table.Column<int>(type: "INTEGER", nullable: false),
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
                    ClosingSince = table.Column<long>(type: "INTEGER", nullable: true),
                    LookedAt = table.Column<long>(type: "INTEGER", nullable: true),
                    BegunAt = table.Column<long>(type: "INTEGER", nullable: true),
                    SettledAt = table.Column<long>(type: "INTEGER", nullable: true),
                    Wave = table.Column<int>(type: "INTEGER", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_crossings", x => x.MoveId);
                    table.ForeignKey(
                        name: "FK_crossings_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "forwardings",
                columns: table => new
                {
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    Way = table.Column<int>(type: "INTEGER", nullable: false),
                    To = table.Column<string>(type: "TEXT", nullable: true),
                    Ours = table.Column<byte[]>(type: "BLOB", nullable: true),
                    ActiveBefore = table.Column<string>(type: "TEXT", nullable: true),
                    Before = table.Column<byte[]>(type: "BLOB", nullable: true),
                    OnAt = table.Column<long>(type: "INTEGER", nullable: true),
                    NumbersBefore = table.Column<string>(type: "TEXT", nullable: true),
                    NumbersAfter = table.Column<string>(type: "TEXT", nullable: true),
                    SaidOn = table.Column<bool>(type: "INTEGER", nullable: false),
                    SaidOff = table.Column<bool>(type: "INTEGER", nullable: false),
                    PutBack = table.Column<bool>(type: "INTEGER", nullable: false),
                    Confirmation = table.Column<int>(type: "INTEGER", nullable: true),
                    ConfirmationAskedAt = table.Column<long>(type: "INTEGER", nullable: true),
                    ConfirmationCode = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_forwardings", x => x.MoveId);
                    table.ForeignKey(
                        name: "FK_forwardings_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "late_mail",
                columns: table => new
                {
                    FolderId = table.Column<long>(type: "INTEGER", nullable: false),
                    Number = table.Column<long>(type: "INTEGER", nullable: false),
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    At = table.Column<long>(type: "INTEGER", nullable: false),
                    Sender = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_late_mail", x => new { x.FolderId, x.Number });
                    table.ForeignKey(
                        name: "FK_late_mail_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "probes",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    Way = table.Column<int>(type: "INTEGER", nullable: false),
                    MessageId = table.Column<string>(type: "TEXT", nullable: false),
                    Sender = table.Column<string>(type: "TEXT", nullable: false),
                    Digest = table.Column<byte[]>(type: "BLOB", nullable: false),
                    State = table.Column<int>(type: "INTEGER", nullable: false),
                    PlannedAt = table.Column<long>(type: "INTEGER", nullable: false),
                    SentAt = table.Column<long>(type: "INTEGER", nullable: true),
                    ArrivedAt = table.Column<long>(type: "INTEGER", nullable: true),
                    Folder = table.Column<string>(type: "TEXT", nullable: true),
                    KeptAt = table.Column<long>(type: "INTEGER", nullable: true),
                    RemovedAt = table.Column<long>(type: "INTEGER", nullable: true),
                    Said = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_probes", x => x.Id);
                    table.ForeignKey(
                        name: "FK_probes_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "IX_arrivals_MoveId",
                table: "arrivals",
                column: "MoveId");

            migrationBuilder.CreateIndex(
                name: "IX_crossing_acts_MoveId_Id",
                table: "crossing_acts",
                columns: new[] { "MoveId", "Id" });

            migrationBuilder.CreateIndex(
                name: "IX_crossings_FaultCause",
                table: "crossings",
                column: "FaultCause",
                filter: "\"FaultCause\" IS NOT NULL");

            migrationBuilder.CreateIndex(
                name: "IX_crossings_SettledAt",
                table: "crossings",
                column: "SettledAt");

            migrationBuilder.CreateIndex(
                name: "IX_late_mail_MoveId_At",
                table: "late_mail",
                columns: new[] { "MoveId", "At" });

            migrationBuilder.CreateIndex(
                name: "IX_probes_MoveId_Id",
                table: "probes",
                columns: new[] { "MoveId", "Id" });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "arrival_looks");

            migrationBuilder.DropTable(
                name: "arrivals");

            migrationBuilder.DropTable(
                name: "batch_crossings");

            migrationBuilder.DropTable(
                name: "crossing_acts");

            migrationBuilder.DropTable(
                name: "crossing_gates");

            migrationBuilder.DropTable(
                name: "crossings");

            migrationBuilder.DropTable(
                name: "forwardings");

            migrationBuilder.DropTable(
                name: "late_mail");

            migrationBuilder.DropTable(
                name: "probes");
        }
    }
}
