using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Crumpet.Storage.Migrations
{
    /// <summary>Marks that feeds of recipes have lists of maps and letters for channels; <see cref="TargetUpgrade"/> does it.</summary>
    public partial class Recipes : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder) => throw new NotSupportedException("Open the copy that was made before this upgrade with the program that made it.");
    }
}
