using System.Text.Json;
using System.Text.Json.Nodes;

namespace Crumpet.Core.Building;

/// <summary>
/// The kit's plan and what an asset decides otherwise. An asset keeps only where it differs: what it does not say is as the kit says,
/// also when the kit says something else later.
/// </summary>
public static class PlanLayers
{
    // Stands for an entry the kit has and the asset has not.
    private const string Gone = "(gone)";

    /// <summary>What is about single parts, files and places of one asset, and so never the kit's.</summary>
    private static readonly HashSet<string> OfAssets = new(StringComparer.Ordinal)
    {
        "mends", "pairs.trayByHand", "pairs.parts", "pairs.trays", "pairs.ties", "pairs.strokes", "layout.parts", "layout.seams", "layout.pins",
            "layout.unwrapAt", "layout.held", "layout.draft",
        "bake.sheetSizes", "bake.made", "bake.draft", "version", "bake.version", "recipe.version",
    };

    /// <summary>The bytes that stand for such an entry.</summary>
    internal static ReadOnlySpan<byte> GoneText => "\"(gone)\""u8;

    /// <summary>A document without the entries that stand for what is not there.</summary>
    internal static JsonNode? WithoutGone(JsonNode? document)
    {
        if (document is JsonObject fields)
        {
            foreach (var (name, value) in fields.ToArray())
            {
                if (IsGone(value))
                    fields.Remove(name);
                else
                    WithoutGone(value);
            }
        }
        return document;
    }

    private static bool IsGone(JsonNode? node) => node is JsonValue text && text.TryGetValue(out string? word) && word == Gone;

    /// <summary>Whether a setting can be the kit's.</summary>
    /// <param name="path">Names of the fields that lead to it, with points between.</param>
    public static bool CanBeKits(string path) => !OfAssets.Contains(path) && !OfAssets.Any(o => path.StartsWith(o + ".", StringComparison.Ordinal));

    /// <summary>The part of a plan that is a kit's: what is about single assets is as if nothing was decided.</summary>
    public static AssetPlan OfKit(AssetPlan plan) => plan with
    {
        Mends = [],
        Pairs = plan.Pairs with
        {
            TrayByHand = new AssetPlan().Pairs.TrayByHand,
            Parts = new AssetPlan().Pairs.Parts,
            Trays = new AssetPlan().Pairs.Trays,
            Ties = [],
            Strokes = []
        },
        Layout = plan.Layout with { Seams = [], UnwrapAt = [], Pins = [], Held = [], Draft = 0, Parts = new AssetPlan().Layout.Parts },
        Bake = plan.Bake with { SheetSizes = new AssetPlan().Bake.SheetSizes, Made = [], Draft = 0 },
    };

    /// <summary>Where a plan differs from the kit's.</summary>
    public static JsonObject Own(AssetPlan kit, AssetPlan plan) => Difference(Node(kit), Node(plan)) as JsonObject ?? [];

    /// <summary>The plan that is used: the kit's, with what an asset says otherwise.</summary>
    /// <exception cref="JsonException">What the asset says is no plan.</exception>
    public static AssetPlan Merge(AssetPlan kit, JsonObject own) => Overlaid(Node(kit), own).Deserialize<AssetPlan>(BuildJson.Kept)!;

    /// <summary>What an asset says, with a setting as the kit says.</summary>
    /// <param name="own">What the asset says.</param>
    /// <param name="path">Names of the fields that lead to the setting, with points between.</param>
    public static JsonObject AsTheKitSays(JsonObject own, string path)
    {
        var copy = own.DeepClone().AsObject();
        Remove(copy, path.Split('.'));
        return copy;
    }

    /// <summary>Paths of all settings an asset says otherwise than its kit.</summary>
    public static IEnumerable<string> Paths(JsonObject own) =>
        own.SelectMany(p => p.Value is JsonObject inner && inner.Count > 0 ? Paths(inner).Select(i => $"{p.Key}.{i}") : [p.Key]);

    /// <summary>A kit's plan with a setting as another plan has it.</summary>
    /// <param name="kit">The kit's plan.</param>
    /// <param name="path">Names of the fields that lead to the setting, with points between.</param>
    /// <param name="from">The plan it is taken from.</param>
    public static AssetPlan With(AssetPlan kit, string path, AssetPlan from)
    {
        var source = path.Split('.').Aggregate((JsonNode?)Node(from), (n, name) => n?[name]);
        return With(kit, path, source?.DeepClone());
    }

    /// <summary>A plan with another value of a setting.</summary>
    /// <param name="plan">The plan.</param>
    /// <param name="path">Names of the fields that lead to the setting, with points between.</param>
    /// <param name="value">The value.</param>
    public static AssetPlan With(AssetPlan plan, string path, JsonNode? value)
    {
        var document = Node(plan);
        string[] names = path.Split('.');
        names.SkipLast(1).Aggregate(document, (n, name) => n[name]!)[names[^1]] = value;
        return document.Deserialize<AssetPlan>(BuildJson.Options)!;
    }

    private static JsonNode? Difference(JsonNode? kit, JsonNode? plan)
    {
        if (kit is not JsonObject before || plan is not JsonObject after)
            return plan?.DeepClone();
        var own = new JsonObject();
        foreach (var (name, value) in after)
        {
            if (!before.TryGetPropertyValue(name, out var was))
                own[name] = value?.DeepClone();
            else if (!JsonNode.DeepEquals(was, value))
                own[name] = Difference(was, value);
        }
        foreach (var (name, _) in before)
        {
            if (!after.ContainsKey(name))
                own[name] = Gone;
        }
        return own;
    }

    private static JsonObject Overlaid(JsonNode kit, JsonObject own)
    {
        var result = kit.DeepClone().AsObject();
        foreach (var (name, value) in own)
        {
            if (IsGone(value))
                result.Remove(name);
            else if (value is JsonObject inner && result[name] is JsonObject below)
                result[name] = Overlaid(below, inner);
            else
                result[name] = value?.DeepClone();
        }
        return result;
    }

    private static void Remove(JsonObject own, ReadOnlySpan<string> path)
    {
        if (path.Length == 1)
        {
            own.Remove(path[0]);
            return;
        }
        if (own[path[0]] is not JsonObject inner)
            return;
        Remove(inner, path[1..]);
        if (inner.Count == 0)
            own.Remove(path[0]);
    }

    private static JsonNode Node(AssetPlan plan) => JsonSerializer.SerializeToNode(plan, BuildJson.Options)!;
}
