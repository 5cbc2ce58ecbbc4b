using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core.Geometry;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Building;

/// <summary>
/// Brings documents of earlier versions up to this one: the direction of green, and what textures are held to, are the target's; feeds of
/// recipes have lists of maps and letters for channels; a target's inputs are those of a model.
/// </summary>
public static class PlanUpgrade
{
    private static readonly string[] LimitsInRules = ["largestTexture", "squareTextures"];

    /// <summary>Upgrades a plan, or what an asset says otherwise than its kit, where it stands.</summary>
    public static void Upgrade(JsonObject plan)
    {
        if (plan["recipe"] is JsonObject recipe)
            UpgradeRecipe(recipe);
        if (plan["target"] is JsonObject target)
            UpgradeTarget(target);
        if (plan["bake"] is not JsonObject bake || !bake.Remove("green", out var green))
            return;
        TargetOf(plan)["green"] = green;
        // What says nothing else is not said.
        if (bake.Count == 0)
            plan.Remove("bake");
    }

    /// <summary>Moves what a kit's rules hold textures to into its plan.</summary>
    /// <param name="rules">The rules.</param>
    /// <param name="plan">The plan, or what it has that is not the default.</param>
    public static void Upgrade(JsonObject rules, JsonObject plan)
    {
        foreach (string name in LimitsInRules)
        {
            if (rules.Remove(name, out var value))
                TargetOf(plan)[name] = value;
        }
    }

    /// <summary>Upgrades a recipe, or what an asset says of it otherwise than its kit, where it stands.</summary>
    public static void UpgradeRecipe(JsonObject recipe)
    {
        foreach (var feed in (recipe["outputs"] as JsonArray ?? []).OfType<JsonObject>().SelectMany(o => o["channels"] as JsonArray ?? []).OfType<JsonObject>())
        {
            if (feed.Remove("map", out var map))
                feed["from"] = map is null ? [] : new JsonArray(map);
            if (feed["channel"] is JsonValue value && value.TryGetValue(out int channel) && channel is >= 0 and < 4)
                feed["channel"] = "rgba"[channel].ToString();
            if (feed.Remove("fallback", out var fallback))
                feed["else"] = fallback;
        }
        if (recipe["version"] is JsonValue version && version.TryGetValue(out int number) && number == 1)
            recipe["version"] = Pack.Recipe.ThisVersion;
    }

    /// <summary>Upgrades a target, or what an asset says of it otherwise than its kit, where it stands: inputs are a model's.</summary>
    public static void UpgradeTarget(JsonObject target)
    {
        if (!target.Remove("inputs", out var inputs) || inputs is not JsonArray old)
            return;
        var model = ReadyTargets.PackedModel with
        {
            Inputs = [.. old.OfType<JsonObject>().Select(i =>
            {
                // What was bound to the mesh is what the usual model binds there.
                string mesh = i["mesh"]?.GetValue<string>() ?? "none";
                var usual = ReadyTargets.PackedModel.Inputs.FirstOrDefault(own => own.Fills.Any(f => f.Slot.Word == mesh))
                    ?? (mesh == "occlusionRoughnessMetalness" ? ReadyTargets.PackedModel.Inputs.First(own => own.Fills.Any(f => f.Slot == MaterialSlot.Roughness)) : null);
                i.Remove("mesh");
                var input = i.Deserialize<MaterialInput>(BuildJson.Kept)!;
                return usual is null ? input : usual with { Name = input.Name, Map = input.Map, Meaning = input.Meaning };
            })],
        };
        target["models"] = new JsonArray(JsonSerializer.SerializeToNode(model, BuildJson.Options));
    }

    private static JsonObject TargetOf(JsonObject plan)
    {
        if (plan["target"] is JsonObject target)
            return target;
        var made = new JsonObject();
        plan["target"] = made;
        return made;
    }
}
