using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core.Building;
using Microsoft.Data.Sqlite;

namespace Crumpet.Storage;

/// <summary>
/// Turns plans into what they say otherwise than the kit, which says the defaults then, and decisions that were kept as two whole states
/// into what they changed, before the columns of the states go.
/// </summary>
internal static class DecisionUpgrade
{
    private const string LastWithStates = "20261127131500_WordsAndChanges";

    /// <summary>Whether a migration that is still to come takes the states away.</summary>
    public static bool IsNeeded(IEnumerable<string> pending) => pending.Contains(LastWithStates);

    /// <summary>Works changes out and puts them where the migration takes them from. May be begun again after it was ended half way.</summary>
    public static void Prepare(SqliteConnection connection)
    {
        using var transaction = connection.BeginTransaction();
        bool hasStates = HasStates(connection);
        connection.Execute("DROP TABLE IF EXISTS \"DecisionChanges\"");
        connection.Execute("CREATE TABLE \"DecisionChanges\" (\"Id\" INTEGER PRIMARY KEY, \"ChangeJson\" TEXT NOT NULL)");
        foreach (var (assetId, name, plan) in connection.Read("SELECT \"Id\", \"Name\", \"PlanJson\" FROM \"Assets\"",
            r => (r.GetInt64(0), r.GetString(1), r.GetString(2))))
        {
            connection.Execute("UPDATE \"Assets\" SET \"PlanJson\" = $plan WHERE \"Id\" = $id", ("$plan", Own(plan).ToJsonString(BuildJson.Options)),
                ("$id", assetId));
            if (!hasStates)
                continue;
            var decisions = connection.Read(
                $"SELECT \"Id\", \"BeforeJson\", \"AfterJson\", \"IsUndone\" FROM \"Decisions\" WHERE \"AssetId\" = {assetId} ORDER BY \"Number\"",
                r => (Id: r.GetInt64(0), Before: Document(r.GetString(1)), After: Document(r.GetString(2)), IsUndone: r.GetBoolean(3)));
            // Each begins where the one before it ends, and the last that holds ends where the asset stands, whatever two changes at once made of it.
            for (int i = 0; i < decisions.Count; i++)
            {
                var before = i > 0 ? decisions[i - 1].After : decisions[i].Before;
                bool isLast = !decisions[i].IsUndone && (i + 1 == decisions.Count || decisions[i + 1].IsUndone);
                var after = isLast ? Standing(name, plan, decisions[i].After) : decisions[i].After;
                decisions[i] = decisions[i] with { After = after };
                string change = (JsonDelta.Between(before, after) ?? new JsonObject { ["fields"] = new JsonObject() }).ToJsonString(BuildJson.Options);
                connection.Execute("INSERT INTO \"DecisionChanges\" (\"Id\", \"ChangeJson\") VALUES ($id, $change)", ("$id", decisions[i].Id),
                    ("$change", change));
            }
        }
        transaction.Commit();
    }

    private static JsonObject Standing(string name, string plan, JsonObject after) =>
        new() { ["name"] = name, ["plan"] = Own(plan), ["sources"] = after["sources"]!.DeepClone() };

    /// <summary>A state as it was kept: its plan was a text in it.</summary>
    private static JsonObject Document(string state)
    {
        var read = JsonNode.Parse(state)!;
        return new JsonObject
        {
            ["name"] = read["name"]!.DeepClone(),
            ["plan"] = Own(read["planJson"]!.GetValue<string>()),
            ["sources"] = read["sources"]!.DeepClone()
        };
    }

    private static JsonObject Own(string plan)
    {
        var document = JsonNode.Parse(plan)!.AsObject();
        PlanUpgrade.Upgrade(document);
        return PlanLayers.Own(new AssetPlan(), document.Deserialize<AssetPlan>(BuildJson.Kept)!);
    }

    private static bool HasStates(SqliteConnection connection) =>
        connection.Read("SELECT name FROM pragma_table_info('Decisions')", r => r.GetString(0)).Contains("BeforeJson");
}
