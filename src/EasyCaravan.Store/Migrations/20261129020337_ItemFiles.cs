using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class ItemFiles : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<byte[]>(
                name: "ForecastsPacked",
                table: "surveys",
                type: "BLOB",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "Choice",
                table: "left_behind",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "item_files",
                columns: table => new
                {
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    Packed = table.Column<byte[]>(type: "BLOB", nullable: false),
                    Length = table.Column<long>(type: "INTEGER", nullable: false),
                    Digest = table.Column<string>(type: "TEXT", nullable: false),
                    ReceivedAt = table.Column<long>(type: "INTEGER", nullable: false),
                    ColumnsJson = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_item_files", x => x.Name);
                });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "item_files");

            migrationBuilder.DropColumn(
                name: "ForecastsPacked",
                table: "surveys");

            migrationBuilder.DropColumn(
                name: "Choice",
                table: "left_behind");
        }
    }
}
