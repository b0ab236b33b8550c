using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class Survey : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<long>(
                name: "Looked",
                table: "passes",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0L);

            migrationBuilder.AddColumn<string>(
                name: "FaultHelp",
                table: "moves",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "FromSecretReference",
                table: "moves",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "ToRoot",
                table: "moves",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "ToSecretReference",
                table: "moves",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "ToUnder",
                table: "moves",
                type: "TEXT",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "choices",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Scope = table.Column<int>(type: "INTEGER", nullable: false),
                    Place = table.Column<string>(type: "TEXT", nullable: false),
                    Code = table.Column<int>(type: "INTEGER", nullable: false),
                    Way = table.Column<int>(type: "INTEGER", nullable: false),
                    Value = table.Column<string>(type: "TEXT", nullable: true),
                    Who = table.Column<string>(type: "TEXT", nullable: false),
                    At = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_choices", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "consents",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Service = table.Column<string>(type: "TEXT", nullable: false),
                    Account = table.Column<string>(type: "TEXT", nullable: false),
                    Origin = table.Column<string>(type: "TEXT", nullable: false),
                    Token = table.Column<string>(type: "TEXT", nullable: false),
                    Scope = table.Column<string>(type: "TEXT", nullable: true),
                    Who = table.Column<string>(type: "TEXT", nullable: false),
                    At = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_consents", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "item_names",
                columns: table => new
                {
                    Id = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Service = table.Column<string>(type: "TEXT", nullable: false),
                    Account = table.Column<string>(type: "TEXT", nullable: false),
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    Number = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_item_names", x => x.Id);
                });

            migrationBuilder.CreateTable(
                name: "surveys",
                columns: table => new
                {
                    MoveId = table.Column<long>(type: "INTEGER", nullable: false),
                    TakenAt = table.Column<long>(type: "INTEGER", nullable: false),
                    Messages = table.Column<long>(type: "INTEGER", nullable: false),
                    Octets = table.Column<long>(type: "INTEGER", nullable: false),
                    Folders = table.Column<int>(type: "INTEGER", nullable: false),
                    ToMessages = table.Column<long>(type: "INTEGER", nullable: false),
                    Whole = table.Column<bool>(type: "INTEGER", nullable: false),
                    InventoryJson = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_surveys", x => x.MoveId);
                    table.ForeignKey(
                        name: "FK_surveys_moves_MoveId",
                        column: x => x.MoveId,
                        principalTable: "moves",
                        principalColumn: "Id",
                        onDelete: ReferentialAction.Cascade);
                });

            migrationBuilder.CreateIndex(
                name: "IX_choices_Scope_Place_Code",
                table: "choices",
                columns: new[] { "Scope", "Place", "Code" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "IX_consents_Service_Account_Origin",
                table: "consents",
                columns: new[] { "Service", "Account", "Origin" },
                unique: true);

            migrationBuilder.CreateIndex(
                name: "IX_item_names_Service_Account_Name",
                table: "item_names",
                columns: new[] { "Service", "Account", "Name" },
                unique: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "choices");

            migrationBuilder.DropTable(
                name: "consents");

            migrationBuilder.DropTable(
                name: "item_names");

            migrationBuilder.DropTable(
                name: "surveys");

            migrationBuilder.DropColumn(
                name: "Looked",
                table: "passes");

            migrationBuilder.DropColumn(
                name: "FaultHelp",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "FromSecretReference",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "ToRoot",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "ToSecretReference",
                table: "moves");

            migrationBuilder.DropColumn(
                name: "ToUnder",
                table: "moves");
        }
    }
}
