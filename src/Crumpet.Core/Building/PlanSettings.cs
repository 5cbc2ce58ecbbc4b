using System.Collections;
using System.Globalization;
using System.Reflection;
using System.Text.Json;
using System.Text.Json.Nodes;
using Crumpet.Core.Checking;
using Crumpet.Core.Pack;

namespace Crumpet.Core.Building;

/// <summary>A setting of a plan, as lists of settings show it.</summary>
/// <param name="Path">Names of the fields that lead to it, with points between.</param>
/// <param name="Label">What it is, without an article.</param>
/// <param name="Type">Type of its value.</param>
/// <param name="Rule">What it may hold; null where anything of its type is good.</param>
public sealed record PlanSetting(string Path, string Label, Type Type, FieldRuleAttribute? Rule)
{
    /// <summary>What stands for nothing.</summary>
    public string None { get; init; } = "none";

    /// <summary>Whether it may be left empty, though its type alone does not say so.</summary>
    public bool MayBeNone { get; init; }

    /// <summary>Unit it is shown in; often empty.</summary>
    public string Unit => (Rule as WithinAttribute)?.Unit ?? "";

    /// <summary>Words to choose from; null where it is typed.</summary>
    public IReadOnlyList<string>? Choices => MayBeNone && Words is { } words ? [None, .. words] : Words;

    private IReadOnlyList<string>? Words => Type == typeof(bool) ? ["on", "off"]
        : Type.IsEnum ? [.. Enum.GetNames(Type).Select(Camel)]
        : Tables.WordsOf(Type) is { } words ? words
        : (Rule as OneOfAttribute)?.Values.Select(v => v.ToString(CultureInfo.InvariantCulture)).ToArray();

    /// <summary>Whether a plan says anything of it: an entry that is not there, and an empty list, say nothing.</summary>
    /// <param name="plan">A plan as <see cref="PlanLayers.Document"/> gives it.</param>
    public bool IsSaid(JsonNode plan) => NodeIn(plan) is not (null or JsonArray { Count: 0 } or JsonObject { Count: 0 });

    private JsonNode? NodeIn(JsonNode plan) => PlanLayers.NamesOf(Path).Aggregate((JsonNode?)plan, (n, name) => n?[name]);

    /// <summary>A value of it, as it is shown and typed.</summary>
    /// <param name="plan">A plan as <see cref="PlanLayers.Document"/> gives it.</param>
    public string In(JsonNode plan)
    {
        var node = NodeIn(plan);
        return node switch
        {
            null => None,
            JsonObject output when Type == typeof(RecipeOutput) => output.Deserialize<RecipeOutput>(BuildJson.Kept)!.InWords(),
            JsonValue value when value.TryGetValue(out bool isOn) => isOn ? "on" : "off",
            JsonValue value when Rule is WithinAttribute within && value.TryGetValue(out double number) =>
                Math.Round(within.Shown(number), 6).ToString("0.######", CultureInfo.InvariantCulture),
            JsonValue value when value.TryGetValue(out string? text) => text!,
            JsonArray list => string.Join(", ", list.Select(n => n is JsonObject named ? named["name"]?.ToString() ?? "…" : n?.ToString() ?? "…")),
            JsonObject fields => fields.Count == 0 ? "none" : string.Join(", ", fields.Select(f => f.Key)),
            _ => node.ToJsonString(),
        };
    }

    /// <summary>What was typed as a value.</summary>
    /// <exception cref="FormatException">One sentence: it is none.</exception>
    public JsonNode? Read(string? typed)
    {
        typed = (typed ?? "").Trim();
        var type = Nullable.GetUnderlyingType(Type) ?? Type;
        if ((type != Type || MayBeNone) && (typed is "" or "none" || typed == None))
            return null;
        if (Rule is WithinAttribute within)
        {
            double value = within.Read(typed);
            return type == typeof(int) ? JsonValue.Create((int)Math.Round(value)) : type == typeof(float) ? JsonValue.Create((float)value)
                : JsonValue.Create(value);
        }
        if (Choices is { } choices && !choices.Contains(typed))
            throw new FormatException($"{Label} is '{FieldRules.Quoted(typed)}'; it must be {string.Join(", ", choices)}.");
        return type == typeof(bool) ? JsonValue.Create(typed == "on") : type == typeof(int) ? JsonValue.Create(int.Parse(typed, CultureInfo.InvariantCulture))
            : JsonValue.Create(typed);
    }

    private static string Camel(string name) => JsonNamingPolicy.CamelCase.ConvertName(name);
}

/// <summary>All settings a kit has a say in, from the fields of a plan: a new field is listed as soon as it is there.</summary>
public static class PlanSettings
{
    /// <summary>Settings with one value each, in the order of the line.</summary>
    public static IReadOnlyList<PlanSetting> All { get; } = [.. Of(typeof(AssetPlan), "", new AssetPlan())
        .Where(s => PlanLayers.CanBeKits(s.Path) && s.Path != "target.version")];

    /// <summary>The setting of a path, or one of its own for lists and the like; null where a plan has no such field.</summary>
    public static PlanSetting? Find(string path)
    {
        if (All.FirstOrDefault(s => s.Path == path) is { } known)
            return known;
        string[] names = PlanLayers.NamesOf(path);
        var type = typeof(AssetPlan);
        foreach (string name in names)
        {
            var property = type.GetProperties().FirstOrDefault(p => NameOf(p) == name);
            if (property is null && type == typeof(IReadOnlyList<RecipeOutput>))
                return new PlanSetting(path, $"Output {name}", typeof(RecipeOutput), null) { None = "nothing of it" };
            if (property is null)
                return typeof(IEnumerable).IsAssignableFrom(type) ? new PlanSetting(path, Words(names[^1]), typeof(object), null) : null;
            type = property.PropertyType;
        }
        return new PlanSetting(path, Words(names[^1]), type, null);
    }

    private static IEnumerable<PlanSetting> Of(Type type, string path, object record)
    {
        foreach (var property in type.GetProperties().Where(p => p.SetMethod is not null && p.GetIndexParameters().Length == 0))
        {
            var inner = Nullable.GetUnderlyingType(property.PropertyType) ?? property.PropertyType;
            string own = path + NameOf(property);
            if (inner.IsPrimitive || inner.IsEnum || inner == typeof(string) || typeof(IEntry).IsAssignableFrom(inner))
            {
                var rule = property.GetCustomAttribute<FieldRuleAttribute>();
                yield return new PlanSetting(own, property.GetCustomAttribute<CalledAttribute>()?.Label ?? LabelOf(rule, property.Name), property.PropertyType,
                    rule)
                {
                    None = property.GetCustomAttribute<NoneIsAttribute>()?.Word ?? "none",
                    MayBeNone = property.GetCustomAttribute<NoneIsAttribute>() is not null && typeof(IEntry).IsAssignableFrom(inner),
                };
            }
            else if (property.GetValue(record) is { } value and not IEnumerable)
            {
                foreach (var setting in Of(inner, own + ".", value))
                    yield return setting;
            }
        }
    }

    private static string LabelOf(FieldRuleAttribute? rule, string name)
    {
        string label = rule?.What ?? Words(JsonNamingPolicy.CamelCase.ConvertName(name));
        return label.StartsWith("The ", StringComparison.Ordinal) ? char.ToUpperInvariant(label[4]) + label[5..] : char.ToUpperInvariant(label[0]) + label[1..];
    }

    private static string Words(string name) => PlanWords.InWords(name);

    private static string NameOf(PropertyInfo property) => JsonNamingPolicy.CamelCase.ConvertName(property.Name);
}
