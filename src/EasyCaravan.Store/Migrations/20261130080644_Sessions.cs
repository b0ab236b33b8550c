using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class Sessions : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "CreatedBy",
                table: "tokens",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "EndsAt",
                table: "tokens",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "UsedAt",
                table: "tokens",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "sessions",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Hash = table.Column<string>(type: "TEXT", nullable: false),
                    TokenId = table.Column<long>(type: "INTEGER", nullable: false),
                    CreatedAt = table.Column<long>(type: "INTEGER", nullable: false),
                    EndsAt = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_sessions", x => x.Id);
                    table.ForeignKey(
                        name: "FK_sessions_tokens_TokenId",
                        column: x => x.TokenId,
                        principalTable: "tokens",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "IX_sessions_Hash",
                table: "sessions",
                column: "Hash",
                unique: true);

            migrationBuilder.CreateIndex(
                name: "IX_sessions_TokenId",
                table: "sessions",
                column: "TokenId");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "sessions");

            migrationBuilder.DropColumn(
                name: "CreatedBy",
                table: "tokens");

            migrationBuilder.DropColumn(
                name: "EndsAt",
                table: "tokens");

            migrationBuilder.DropColumn(
                name: "UsedAt",
                table: "tokens");
        }
    }
}
