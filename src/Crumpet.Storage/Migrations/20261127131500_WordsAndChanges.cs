using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Crumpet.Storage.Migrations
{
    /// <summary>Enumerations by word, decisions as what they changed, versions of what was decided, and what runs worked.</summary>
    public partial class WordsAndChanges : Migration
    {
        private static readonly string[] Stations = ["Intake", "Pairs", "Layout", "Bake", "Pack", "Convert", "Bind", "Deliver"];
        private static readonly string[] States = ["Queued", "Running", "Done", "Blocked", "Failed", "Cancelled"];
        private static readonly string[] Severities = ["Stop", "Warn", "Note"];
        private static readonly string[] Sides = ["Unknown", "Low", "High", "Cage", "Hull", "Lod", "Aside"];

        private static readonly (string Table, string Column, string[] Words, bool MayBeNull)[] Columns =
        [
            ("Marks", "Station", Stations, false), ("Findings", "Station", Stations, false), ("Findings", "Severity", Severities, false), ("Runs", "UpTo", Stations, false),
            ("Runs", "Station", Stations, false), ("Runs", "State", States, false), ("Sources", "ForcedSide", Sides, true),
        ];

        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            foreach (var (table, column, words, _) in Columns)
                migrationBuilder.Sql($"UPDATE \"{table}\" SET \"{column}\" = CASE \"{column}\" {string.Join(' ', words.Select((w, i) => $"WHEN {i} THEN '{w}'"))} ELSE \"{column}\" END;");
            migrationBuilder.AddColumn<string>(name: "ChangeJson", table: "Decisions", type: "TEXT", nullable: false, defaultValue: "");
            // What was worked out of them before this began.
            migrationBuilder.Sql("CREATE TABLE IF NOT EXISTS \"DecisionChanges\" (\"Id\" INTEGER PRIMARY KEY, \"ChangeJson\" TEXT NOT NULL);");
            migrationBuilder.Sql("UPDATE \"Decisions\" SET \"ChangeJson\" = COALESCE((SELECT c.\"ChangeJson\" FROM \"DecisionChanges\" c WHERE c.\"Id\" = \"Decisions\".\"Id\"), '');");
            migrationBuilder.Sql("DROP TABLE \"DecisionChanges\";");
            migrationBuilder.AddColumn<int>(name: "Version", table: "Assets", type: "INTEGER", nullable: false, defaultValue: 0);
            migrationBuilder.AddColumn<int>(name: "Version", table: "Kits", type: "INTEGER", nullable: false, defaultValue: 0);
            migrationBuilder.AddColumn<string>(name: "PlanJson", table: "Kits", type: "TEXT", nullable: true);
            migrationBuilder.AddColumn<string>(name: "JobsJson", table: "Runs", type: "TEXT", nullable: true);
            migrationBuilder.DropColumn(name: "BeforeJson", table: "Decisions");
            migrationBuilder.DropColumn(name: "AfterJson", table: "Decisions");
            foreach (var (table, column, _, mayBeNull) in Columns)
            {
                if (mayBeNull)
                    migrationBuilder.AlterColumn<string>(name: column, table: table, type: "TEXT", nullable: true, oldClrType: typeof(int), oldType: "INTEGER", oldNullable: true);
                else
                    migrationBuilder.AlterColumn<string>(name: column, table: table, type: "TEXT", nullable: false, oldClrType: typeof(int), oldType: "INTEGER");
            }
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder) => throw new NotSupportedException("Open the copy that was made before this upgrade with the program that made it.");
    }
}
