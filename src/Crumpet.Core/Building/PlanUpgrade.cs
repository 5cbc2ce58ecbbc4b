using System.Text.Json.Nodes;

namespace Crumpet.Core.Building;

/// <summary>Brings documents of earlier versions up to this one: the direction of green, and what textures are held to, are the target's.</summary>
public static class PlanUpgrade
{
    private static readonly string[] LimitsInRules = ["largestTexture", "squareTextures"];

    /// <summary>Upgrades a plan, or what an asset says otherwise than its kit, where it stands.</summary>
    public static void Upgrade(JsonObject plan)
    {
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

    private static JsonObject TargetOf(JsonObject plan)
    {
        if (plan["target"] is JsonObject target)
            return target;
        var made = new JsonObject();
        plan["target"] = made;
        return made;
    }
}
