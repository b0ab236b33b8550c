using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class ParcelTermsAndOutlines : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "parcel_terms",
                columns: table => new
                {
                    Place = table.Column<string>(type: "TEXT", nullable: false),
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    KeepUntil = table.Column<long>(type: "INTEGER", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_parcel_terms", x => new { x.Place, x.Name });
                });

            migrationBuilder.AddColumn<int>(
                name: "Items",
                table: "item_files",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0);

            migrationBuilder.AddColumn<int>(
                name: "ReadAs",
                table: "item_files",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "Title",
                table: "item_files",
                type: "TEXT",
                nullable: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "parcel_terms");

            migrationBuilder.DropColumn(
                name: "Items",
                table: "item_files");

            migrationBuilder.DropColumn(
                name: "ReadAs",
                table: "item_files");

            migrationBuilder.DropColumn(
                name: "Title",
                table: "item_files");
        }
    }
}
