using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace EasyCaravan.Store.Migrations
{
    /// <inheritdoc />
    public partial class ForwardTo : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<string>(
                name: "ForwardTo",
                table: "moves",
                type: "TEXT",
                nullable: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "ForwardTo",
                table: "moves");
        }
    }
}
