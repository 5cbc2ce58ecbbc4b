using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Crumpet.Storage.Migrations
{
    /// <summary>Deliveries keep the target they were made for; and inputs of targets are those of a model, which <see cref="TargetUpgrade"/> does.</summary>
    public partial class TargetModels : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder) =>
            migrationBuilder.AddColumn<string>(name: "TargetJson", table: "Deliveries", type: "TEXT", nullable: true);

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder) => throw new NotSupportedException("Open the copy that was made before this upgrade with the program that made it.");
    }
}
