using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Crumpet.Storage.Migrations
{
    /// <summary>Marks that plans, rules and decisions say of the target what bakes and rules said before; <see cref="TargetUpgrade"/> does it.</summary>
    public partial class Targets : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder) => throw new NotSupportedException("Open the copy that was made before this upgrade with the program that made it.");
    }
}
