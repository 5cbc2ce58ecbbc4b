using System.Text.Json;
using System.Text.Json.Nodes;

namespace Crumpet.Core.Building;

/// <summary>
/// The kit's plan and what an asset decides otherwise. An asset keeps only where it differs: what it does not say is as the kit says,
/// also when the kit says something else later.
/// </summary>
public static class PlanLayers
{
    private const string RecipeField = "recipe", OutputsField = "outputs", OutputsPath = "recipe.outputs.", NamePath = "recipe.name";

    // Stands for an entry the kit has and the asset has not.
    private const string Gone = "(gone)";

    /// <summary>What is about single parts, files and places of one asset, and so never the kit's.</summary>
    private static readonly HashSet<string> OfAssets = new(StringComparer.Ordinal)
    {
        "mends", "pairs.trayByHand", "pairs.parts", "pairs.trays", "pairs.ties", "pairs.strokes", "layout.parts", "layout.seams", "layout.pins",
            "layout.unwrapAt", "layout.held", "layout.draft", "recipes",
        "bake.sheetSizes", "bake.made", "bake.draft", "version", "bake.version", "recipe.version",
    };

    /// <summary>Whether a text says what plans alone never do: that something is not there, or single outputs by their names.</summary>
    internal static bool IsLayered(byte[] text)
    {
        if (text.AsSpan().IndexOf("\"(gone)\""u8) >= 0)
            return true;
        if (text.AsSpan().IndexOf("\"outputs\""u8) < 0)
            return false;
        var document = KitJson.Parse(text);
        return new[] { document, (document as JsonObject)?["settings"] }.OfType<JsonObject>()
            .Any(s => (s[RecipeField] as JsonObject)?[OutputsField] is JsonObject);
    }

    /// <summary>A document without the entries that stand for what is not there.</summary>
    private static JsonNode? WithoutGone(JsonNode? document)
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

    /// <summary>Where a plan differs from the kit's; of a recipe, whole outputs by their names.</summary>
    public static JsonObject Own(AssetPlan kit, AssetPlan plan)
    {
        string name = plan.Recipe.Name;
        var own = Difference(Document(kit.Following(name)), Document(plan), "") as JsonObject ?? [];
        // Which recipe it follows is what its name says.
        if (name == kit.Recipe.Name)
            return own;
        if (own[RecipeField] is not JsonObject recipe)
            own[RecipeField] = recipe = [];
        recipe["name"] = name;
        return own;
    }

    /// <summary>The plan that is used: the kit's, with what an asset says otherwise.</summary>
    /// <exception cref="JsonException">What the asset says is no plan.</exception>
    public static AssetPlan Merge(AssetPlan kit, JsonObject own) =>
        Of(Overlaid(Document(kit.Following(RecipeOf(kit, own))), own, ""), BuildJson.Kept);

    /// <summary>A plan as a document in which a setting has one place: outputs of recipes stand by their names.</summary>
    public static JsonNode Document(AssetPlan plan)
    {
        var document = JsonSerializer.SerializeToNode(plan, BuildJson.Options)!;
        if (document[RecipeField] is JsonObject recipe && recipe[OutputsField] is JsonArray outputs)
            recipe[OutputsField] = new JsonObject(plan.Recipe.Outputs.Zip(outputs).DistinctBy(o => o.First.Name)
                .Select(o => KeyValuePair.Create(o.First.Name, o.Second?.DeepClone())));
        return document;
    }

    /// <summary>What an asset says, as the fields of a plan are written: outputs as a list, and nothing of what is not there.</summary>
    internal static JsonNode? Plain(JsonNode? document)
    {
        var plain = WithoutGone(document);
        foreach (var settings in new[] { plain, plain?["settings"] }.OfType<JsonObject>())
            ListOutputs(settings);
        return plain;
    }

    /// <summary>The names that lead to a setting; an output's name may hold points itself.</summary>
    /// <param name="path">Names with points between.</param>
    public static string[] NamesOf(string path) => path.StartsWith(OutputsPath, StringComparison.Ordinal)
        ? [RecipeField, OutputsField, path[OutputsPath.Length..]] : path.Split('.');

    /// <summary>What an asset says, with a setting as the kit says.</summary>
    /// <param name="own">What the asset says.</param>
    /// <param name="path">Names of the fields that lead to the setting, with points between.</param>
    public static JsonObject AsTheKitSays(JsonObject own, string path)
    {
        var copy = own.DeepClone().AsObject();
        Remove(copy, NamesOf(path));
        return copy;
    }

    /// <summary>Paths of all settings an asset says otherwise than its kit.</summary>
    public static IEnumerable<string> Paths(JsonObject own) => Paths(own, "");

    private static IEnumerable<string> Paths(JsonObject own, string at) => own.SelectMany(p =>
        !IsWhole(at + p.Key) && p.Value is JsonObject inner && inner.Count > 0 ? Paths(inner, $"{at}{p.Key}.") : [at + p.Key]);

    /// <summary>A kit's plan with a setting as another plan has it.</summary>
    /// <param name="kit">The kit's plan.</param>
    /// <param name="path">Names of the fields that lead to the setting, with points between.</param>
    /// <param name="from">The plan it is taken from.</param>
    public static AssetPlan With(AssetPlan kit, string path, AssetPlan from)
    {
        var source = NamesOf(path).Aggregate((JsonNode?)Document(from), (n, name) => n?[name]);
        return With(kit, path, source?.DeepClone());
    }

    /// <summary>A kit with a setting as an asset's plan has it: what is of a recipe goes into the one the asset follows.</summary>
    /// <param name="kit">The kit's plan.</param>
    /// <param name="path">Names of the fields that lead to the setting, with points between.</param>
    /// <param name="asset">The asset's plan.</param>
    public static AssetPlan ForKit(AssetPlan kit, string path, AssetPlan asset)
    {
        // A recipe is followed by its name: with the name comes all of it.
        if (path == NamePath)
            return kit.Using(asset.Recipe);
        string name = asset.Recipe.Name;
        return IsWhole(path) && kit.Following(name) is var followed && followed.Recipe.Name == name ? kit.Keeping(With(followed, path, asset).Recipe)
            : With(kit, path, asset);
    }

    /// <summary>An asset's plan with a setting as its kit says: what is of a recipe, as the one it follows.</summary>
    /// <param name="plan">The asset's plan.</param>
    /// <param name="path">Names of the fields that lead to the setting, with points between.</param>
    /// <param name="kit">The kit's plan.</param>
    public static AssetPlan AsKit(AssetPlan plan, string path, AssetPlan kit) =>
        path == NamePath ? plan with { Recipe = kit.Recipe } : With(plan, path, kit.Following(plan.Recipe.Name));

    /// <summary>Name of the recipe an asset follows.</summary>
    /// <param name="kit">The kit's plan.</param>
    /// <param name="own">What the asset says.</param>
    public static string RecipeOf(AssetPlan kit, JsonObject own) =>
        own[RecipeField] is JsonObject recipe && recipe["name"] is JsonValue name && name.TryGetValue(out string? word) ? word : kit.Recipe.Name;

    /// <summary>A plan with another value of a setting.</summary>
    /// <param name="plan">The plan.</param>
    /// <param name="path">Names of the fields that lead to the setting, with points between.</param>
    /// <param name="value">The value.</param>
    public static AssetPlan With(AssetPlan plan, string path, JsonNode? value)
    {
        var document = Document(plan);
        string[] names = NamesOf(path);
        var place = names.SkipLast(1).Aggregate(document, (n, name) => n[name]!);
        if (value is null && IsWhole(path))
            place.AsObject().Remove(names[^1]);
        else
            place[names[^1]] = value;
        return Of(document, BuildJson.Options);
    }

    private static AssetPlan Of(JsonNode document, JsonSerializerOptions options)
    {
        ListOutputs(document.AsObject());
        return document.Deserialize<AssetPlan>(options)!;
    }

    private static void ListOutputs(JsonObject settings)
    {
        if (settings[RecipeField] is JsonObject recipe && recipe[OutputsField] is JsonObject outputs)
            recipe[OutputsField] = new JsonArray([.. outputs.Select(o => o.Value?.DeepClone())]);
    }

    // One output is one decision.
    private static bool IsWhole(string path) => path.StartsWith(OutputsPath, StringComparison.Ordinal);

    private static JsonNode? Difference(JsonNode? kit, JsonNode? plan, string path)
    {
        if (kit is not JsonObject before || plan is not JsonObject after || IsWhole(path))
            return plan?.DeepClone();
        string at = path.Length == 0 ? "" : path + ".";
        var own = new JsonObject();
        foreach (var (name, value) in after)
        {
            if (!before.TryGetPropertyValue(name, out var was))
                own[name] = value?.DeepClone();
            else if (!JsonNode.DeepEquals(was, value))
                own[name] = Difference(was, value, at + name);
        }
        foreach (var (name, _) in before)
        {
            if (!after.ContainsKey(name))
                own[name] = Gone;
        }
        return own;
    }

    private static JsonObject Overlaid(JsonNode kit, JsonObject own, string at)
    {
        var result = kit.DeepClone().AsObject();
        foreach (var (name, value) in own)
        {
            if (IsGone(value))
                result.Remove(name);
            else if (value is JsonObject inner && result[name] is JsonObject below && !IsWhole(at + name))
                result[name] = Overlaid(below, inner, $"{at}{name}.");
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
}
