using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Crumpet.Storage.Migrations
{
    /// <inheritdoc />
    public partial class RunStarts : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.AddColumn<int>(
                name: "Starts",
                table: "Runs",
                type: "INTEGER",
                nullable: false,
                defaultValue: 0);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropColumn(
                name: "Starts",
                table: "Runs");
        }
    }
}
