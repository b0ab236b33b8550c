using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class Correspondents : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "ForwardTo",
                table: "moves",
                type: "TEXT",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "correspondences",
                columns: table => new
                {
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    Since = table.Column<long>(type: "INTEGER", nullable: false),
                    AskedAt = table.Column<long>(type: "INTEGER", nullable: false),
                    CountedAt = table.Column<long>(type: "INTEGER", nullable: true),
                    Messages = table.Column<long>(type: "INTEGER", nullable: false),
                    Note = table.Column<int>(type: "INTEGER", nullable: true),
                    NoteAskedAt = table.Column<long>(type: "INTEGER", nullable: true),
                    NoteAskedBy = table.Column<string>(type: "TEXT", nullable: true),
                    NoteBecause = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_correspondences", x => x.MoveId);
                    table.ForeignKey(
                        name: "FK_correspondences_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateTable(
                name: "correspondents",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    Address = table.Column<string>(type: "TEXT", nullable: false),
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    Received = table.Column<long>(type: "INTEGER", nullable: false),
                    Sent = table.Column<long>(type: "INTEGER", nullable: false),
                    LastAt = table.Column<long>(type: "INTEGER", nullable: false),
                    IsColleague = table.Column<bool>(type: "INTEGER", nullable: false),
                    Note = table.Column<int>(type: "INTEGER", nullable: true),
                    NoteAt = table.Column<long>(type: "INTEGER", nullable: true),
                    NoteSaid = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_correspondents", x => x.Id);
                    table.ForeignKey(
                        name: "FK_correspondents_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "IX_correspondents_MoveId_Address",
                table: "correspondents",
                columns: new[] { "MoveId", "Address" },
                unique: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "correspondences");

            migrationBuilder.DropTable(
                name: "correspondents");

            migrationBuilder.DropColumn(
                name: "ForwardTo",
                table: "moves");
        }
    }
}
