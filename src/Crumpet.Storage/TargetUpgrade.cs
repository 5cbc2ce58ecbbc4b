using System.Text.Json.Nodes;
using Crumpet.Core.Building;
using Microsoft.Data.Sqlite;

namespace Crumpet.Storage;

/// <summary>
/// Brings plans, rules and decisions of earlier versions up to this one, as <see cref="PlanUpgrade"/> says. What is upgraded already stays
/// as it is.
/// </summary>
internal static class TargetUpgrade
{
    /// <summary>The migrations before which it is done.</summary>
    public static readonly string[] Before = ["20261127160000_Targets", "20261201140000_Recipes", "20261202060000_TargetModels"];

    /// <summary>The migration after which it can be.</summary>
    public const string After = "20261127131500_WordsAndChanges";

    /// <summary>Upgrades all there is, or nothing.</summary>
    public static void Run(SqliteConnection connection)
    {
        using var transaction = connection.BeginTransaction();
        foreach (var (id, rulesText, planText) in connection.Read("SELECT \"Id\", \"RulesJson\", \"PlanJson\" FROM \"Kits\"",
            r => (r.GetInt64(0), Text(r, 1), Text(r, 2))))
        {
            var rules = Parse(rulesText);
            var plan = planText is null ? DefaultPlan() : Parse(planText)!;
            PlanUpgrade.Upgrade(plan);
            if (rules is not null)
                PlanUpgrade.Upgrade(rules, plan);
            connection.Execute("UPDATE \"Kits\" SET \"RulesJson\" = $rules, \"PlanJson\" = $plan WHERE \"Id\" = $id",
                ("$rules", (object?)rules?.ToJsonString(BuildJson.Options) ?? DBNull.Value), ("$plan", plan.ToJsonString(BuildJson.Options)), ("$id", id));
        }
        foreach (var (id, name, planText) in connection.Read("SELECT \"Id\", \"Name\", \"PlanJson\" FROM \"Assets\"",
            r => (r.GetInt64(0), r.GetString(1), r.GetString(2))))
            UpgradeAsset(connection, id, name, planText);
        transaction.Commit();
    }

    /// <summary>A change leads from one state to the next, so it is worked out again between states that were upgraded.</summary>
    private static void UpgradeAsset(SqliteConnection connection, long id, string name, string planText)
    {
        var plan = Parse(planText) ?? [];
        var sources = new JsonArray([.. connection.Read(
            $"SELECT \"Name\", \"Version\", \"ForcedSide\" FROM \"Sources\" WHERE \"AssetId\" = {id} AND \"IsCurrent\" ORDER BY \"Name\"",
            r => (JsonNode)System.Text.Json.JsonSerializer.SerializeToNode(
                new SourceState(r.GetString(0), r.GetInt32(1), r.IsDBNull(2) ? null : Enum.Parse<Core.Intake.Side>(r.GetString(2))), BuildJson.Options)!)
            .OrderBy(s => s["name"]!.GetValue<string>(), StringComparer.Ordinal)]);
        var standing = new JsonObject { ["name"] = name, ["plan"] = plan.DeepClone(), ["sources"] = sources };
        var decisions = connection.Read(
            $"SELECT \"Id\", \"ChangeJson\", \"IsUndone\" FROM \"Decisions\" WHERE \"AssetId\" = {id} ORDER BY \"Number\"", r =>
                (Id: r.GetInt64(0), Change: Parse(r.GetString(1)), IsUndone: r.GetBoolean(2)));
        int holding = decisions.FindLastIndex(d => !d.IsUndone) + 1;
        var states = new JsonNode?[decisions.Count + 1];
        states[holding] = standing;
        for (int i = holding; i > 0; i--)
            states[i - 1] = decisions[i - 1].Change is { } change ? JsonDelta.Apply(states[i], change, isBack: true) : states[i]!.DeepClone();
        for (int i = holding; i < decisions.Count; i++)
            states[i + 1] = decisions[i].Change is { } change ? JsonDelta.Apply(states[i], change, isBack: false) : states[i]!.DeepClone();
        foreach (var state in states)
        {
            if (state?["plan"] is JsonObject old)
                PlanUpgrade.Upgrade(old);
        }
        for (int i = 0; i < decisions.Count; i++)
        {
            string change = (JsonDelta.Between(states[i], states[i + 1]) ?? new JsonObject { ["fields"] = new JsonObject() }).ToJsonString(BuildJson.Options);
            connection.Execute("UPDATE \"Decisions\" SET \"ChangeJson\" = $change WHERE \"Id\" = $id", ("$change", change), ("$id", decisions[i].Id));
        }
        PlanUpgrade.Upgrade(plan);
        connection.Execute("UPDATE \"Assets\" SET \"PlanJson\" = $plan WHERE \"Id\" = $id", ("$plan", plan.ToJsonString(BuildJson.Options)), ("$id", id));
    }

    private static JsonObject DefaultPlan() =>
        System.Text.Json.JsonSerializer.SerializeToNode(PlanLayers.OfKit(new AssetPlan()), BuildJson.Options)!.AsObject();

    private static string? Text(SqliteDataReader row, int column) => row.IsDBNull(column) ? null : row.GetString(column);

    private static JsonObject? Parse(string? text) => string.IsNullOrEmpty(text) ? null : JsonNode.Parse(text)!.AsObject();
}
