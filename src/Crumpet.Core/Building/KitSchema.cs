using System.Reflection;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Schema;
using System.Text.Json.Serialization.Metadata;
using Crumpet.Core.Checking;
using Crumpet.Core.Pack;

namespace Crumpet.Core.Building;

/// <summary>JSON Schema of the files people write by hand, from the same records and rules that read them.</summary>
public static class KitSchema
{
    private const string Dialect = "https://json-schema.org/draft/2020-12/schema";

    /// <summary>The files there are, by a word for each.</summary>
    public static IReadOnlyDictionary<string, Type> Files { get; } = new SortedDictionary<string, Type>(StringComparer.Ordinal)
    {
        ["kit"] = typeof(KitFolder.KitDocument),
        ["asset"] = typeof(KitFolder.AssetDocument),
        ["recipe"] = typeof(Recipe),
        ["rules"] = typeof(Intake.IntakeRules),
        ["target"] = typeof(Targets.Target),
    };

    /// <summary>The schema of a file.</summary>
    /// <param name="word">One of <see cref="Files"/>.</param>
    public static JsonNode Of(string word)
    {
        var schema = BuildJson.Options.GetJsonSchemaAsNode(Files[word], new JsonSchemaExporterOptions
        {
            TreatNullObliviousAsNonNullable = true,
            TransformSchemaNode = WithRules,
        }).AsObject();
        // An asset says single outputs by their names; a kit all of them in a list.
        if (schema["properties"]?["settings"]?["properties"]?["recipe"]?["properties"]?["outputs"] is JsonObject { } outputs
            && outputs["items"] is JsonObject output)
        {
            var gone = new JsonObject { ["const"] = "(gone)" };
            schema["properties"]!["settings"]!["properties"]!["recipe"]!["properties"]!["outputs"] = new JsonObject
            {
                ["anyOf"] = new JsonArray(outputs.DeepClone(),
                    new JsonObject { ["type"] = "object", ["additionalProperties"] = new JsonObject { ["anyOf"] = new JsonArray(output.DeepClone(), gone) } }),
            };
        }
        var result = new JsonObject { ["$schema"] = Dialect, ["title"] = $"Crumpet: {word}.json" };
        foreach (var (name, value) in schema.ToArray())
        {
            schema.Remove(name);
            result[name] = value;
        }
        return result;
    }

    /// <summary>The bytes of a schema's file.</summary>
    public static byte[] Write(string word) => System.Text.Encoding.UTF8.GetBytes(Of(word).ToJsonString(BuildJson.Indented) + "\n");

    /// <summary>What the rule of a field says, and what serialisation does not know: keys are closed, tables are lists of words.</summary>
    private static JsonNode WithRules(JsonSchemaExporterContext context, JsonNode node)
    {
        var type = Nullable.GetUnderlyingType(context.TypeInfo.Type) ?? context.TypeInfo.Type;
        // Numbers are written as numbers, though ones in quotes are read too.
        string? number = type == typeof(float) || type == typeof(double) ? "number" : type == typeof(int) || type == typeof(long) ? "integer" : null;
        if (number is not null)
            node = new JsonObject { ["type"] = type == context.TypeInfo.Type ? number : new JsonArray(number, "null") };
        else if (WordOf(type) is { } word)
            node = word;
        if (node is not JsonObject schema)
            return node;
        // What is written by a converter says nothing of itself where it is an item or a name.
        if (context.TypeInfo.Kind == JsonTypeInfoKind.Enumerable && context.TypeInfo.ElementType is { } item && WordOf(item) is { } items)
            schema["items"] = items;
        if (context.TypeInfo is { Kind: JsonTypeInfoKind.Dictionary, KeyType: { } key } && WordOf(key) is { } names)
            schema["propertyNames"] = names;
        if (schema["properties"] is not null && !schema.ContainsKey("additionalProperties"))
            schema["additionalProperties"] = false;
        var owner = context.PropertyInfo?.AttributeProvider;
        var rules = owner?.GetCustomAttributes(typeof(FieldRuleAttribute), true).OfType<FieldRuleAttribute>().FirstOrDefault();
        string label = owner is MemberInfo member && member.GetCustomAttribute<CalledAttribute>() is { } called ? called.Label : rules?.What ?? "";
        if (label.Length > 0)
            schema["description"] = Description(label, rules,
                owner?.GetCustomAttributes(typeof(NoneIsAttribute), true).OfType<NoneIsAttribute>().FirstOrDefault());
        // A rule of a list is its items'.
        var holder = schema["items"] as JsonObject ?? schema["additionalProperties"] as JsonObject ?? schema;
        switch (rules)
        {
            case WithinAttribute within:
                (holder["minimum"], holder["maximum"]) = (within.Least, within.Most);
                break;
            case OneOfAttribute one:
                holder["enum"] = new JsonArray([.. one.Values.Select(v => (JsonNode)v)]);
                break;
            case WordsAttribute text:
                holder["maxLength"] = text.Longest;
                break;
        }
        if (owner?.GetCustomAttributes(typeof(AtMostAttribute), true).OfType<AtMostAttribute>().FirstOrDefault() is { } most && schema["items"] is not null)
            schema["maxItems"] = most.Count;
        return schema;
    }

    private static JsonObject? WordOf(Type type) => Tables.WordsOf(type) is not { } words ? null
        : new JsonObject { ["type"] = "string", ["enum"] = new JsonArray([.. words.Select(w => (JsonNode)w)]) };

    private static string Description(string label, FieldRuleAttribute? rule, NoneIsAttribute? none)
    {
        string text = label.StartsWith("The ", StringComparison.Ordinal) ? char.ToUpperInvariant(label[4]) + label[5..] : label;
        if (rule is WithinAttribute { Unit.Length: > 0, Times: not 1 } within)
            text += $", in metres or shares; shown as {within.Unit}";
        else if (rule is WithinAttribute { Unit.Length: > 0 } plain)
            text += $", {plain.Unit}";
        return none is null ? text + "." : $"{text}; null is {none.Word}.";
    }
}
