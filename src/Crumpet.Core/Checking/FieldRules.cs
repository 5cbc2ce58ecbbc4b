using System.Collections;
using System.Collections.Concurrent;
using System.Globalization;
using System.Reflection;
using System.Text;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace Crumpet.Core.Checking;

/// <summary>Checks decisions field by field: what is missing, out of range, too long or too many is said in one sentence.</summary>
public static class FieldRules
{
    /// <summary>Most characters of a name of anything.</summary>
    public const int LongestName = 300;

    /// <summary>Most characters of a text without a rule of its own.</summary>
    public const int LongestText = 1000;

    /// <summary>Most items of a list without a rule of its own.</summary>
    public const int MostItems = 100_000;

    private const int DeepestNesting = 16;
    private const int LongestQuote = 60;

    private static readonly ConcurrentDictionary<Type, Field[]> Known = new();

    private sealed record Field(PropertyInfo Property, FieldRuleAttribute? Rule, int MostItems, bool MayBeNull, string What);

    /// <summary>What is wrong with a decision, one sentence, or null.</summary>
    /// <param name="decision">A record, a list of them, or a single value; null is wrong.</param>
    public static string? Problem(object? decision) => Find(decision).Problem;

    /// <summary>What is wrong with a decision, and where: names of fields as files write them, and numbers in lists.</summary>
    /// <inheritdoc cref="Problem(object?)"/>
    public static (string? Problem, IReadOnlyList<string> Path) Find(object? decision)
    {
        var path = new List<string>();
        return (Problem(decision, null, MostItems, "What was sent", "", path), path);
    }

    /// <summary>The rule of a field.</summary>
    /// <exception cref="ArgumentException">It has none.</exception>
    public static TRule Of<TDecision, TRule>(string field)
        where TRule : FieldRuleAttribute => typeof(TDecision).GetProperty(field)?.GetCustomAttribute<TRule>()
            ?? throw new ArgumentException($"{typeof(TDecision).Name}.{field} has no such rule.");

    /// <summary>All fields that can be decided, with their rules; for tests and for documents.</summary>
    public static IEnumerable<(PropertyInfo Property, FieldRuleAttribute? Rule, bool MayBeNull)> FieldsOf(Type decision) =>
        Fields(decision).Select(f => (f.Property, f.Rule, f.MayBeNull));

    /// <summary>A text as a sentence quotes it: short, with what does not show spelt out.</summary>
    public static string Quoted(string text) => SafeName.Of(text, LongestQuote);

    private static string? Problem(object? value, FieldRuleAttribute? rule, int mostItems, string what, string of, List<string> path)
    {
        if (path.Count > DeepestNesting)
            return $"{what}{of} is nested too deep.";
        switch (value)
        {
            case null:
                return $"{what}{of} is missing.";
            case bool or IEntry:
                return null;
            case string:
                return (rule ?? new WordsAttribute(what, LongestText) { MayBeEmpty = true }).Problem(value, of);
            case Enum:
                return Enum.IsDefined(value.GetType(), value) ? null : $"{what}{of} is {value}, which there is not.";
            case int or float or double or long:
                return (rule ?? new WithinAttribute(what, -1e9, 1e9)).Problem(value, of);
            case IDictionary map:
                return ProblemOfMap(map, rule, mostItems, what, path);
            case IEnumerable list:
                return ProblemOfList(list, rule, mostItems, what, of, path);
        }
        foreach (var field in Fields(value.GetType()))
        {
            path.Add(JsonNamingPolicy.CamelCase.ConvertName(field.Property.Name));
            if (field.Property.GetValue(value) is { } held)
            {
                if (Problem(held, field.Rule, field.MostItems, field.What, of, path) is { } problem)
                    return problem;
            }
            else if (!field.MayBeNull)
                return $"{field.What}{of} is missing.";
            path.RemoveAt(path.Count - 1);
        }
        return (value as IChecked)?.ProblemTogether();
    }

    private static string? ProblemOfMap(IDictionary map, FieldRuleAttribute? rule, int mostItems, string what, List<string> path)
    {
        if (map.Count > mostItems)
            return $"{what} has {map.Count} entries; there may be at most {mostItems}.";
        foreach (DictionaryEntry entry in map)
        {
            // Names, or numbers from 0 on.
            FieldRuleAttribute? named = entry.Key switch
            {
                string => new WordsAttribute("A name", LongestName),
                int => new WithinAttribute("A number", 0, mostItems),
                _ => null
            };
            path.Add($"{entry.Key}");
            if (Problem(entry.Key, named, mostItems, what, "", path) is { } odd)
                return odd;
            if (Problem(entry.Value, rule, mostItems, what, $" of {entry.Key}", path) is { } problem)
                return problem;
            path.RemoveAt(path.Count - 1);
        }
        return null;
    }

    private static string? ProblemOfList(IEnumerable list, FieldRuleAttribute? rule, int mostItems, string what, string of, List<string> path)
    {
        int count = 0;
        foreach (object? item in list)
        {
            if (++count > mostItems)
                return $"{what}{of} has more than {mostItems} entries.";
            if (item is null)
                return $"{what}{of} has an empty entry.";
            path.Add((count - 1).ToString(CultureInfo.InvariantCulture));
            if (Problem(item, rule, mostItems, what, of, path) is { } problem)
                return problem;
            path.RemoveAt(path.Count - 1);
        }
        return null;
    }

    // An entry of a table is chosen as a whole.
    private static Field[] Fields(Type type) => typeof(IEntry).IsAssignableFrom(type) ? [] : Known.GetOrAdd(type, t =>
    {
        // Not safe from many threads, so each question has its own.
        var nulls = new NullabilityInfoContext();
        return
        [
            .. t.GetProperties(BindingFlags.Public | BindingFlags.Instance)
                .Where(p => p.CanRead && p.CanWrite && p.GetIndexParameters().Length == 0 && p.GetCustomAttribute<JsonIgnoreAttribute>() is null)
                .Select(p =>
                {
                    var rule = p.GetCustomAttribute<FieldRuleAttribute>();
                    bool mayBeNull = Nullable.GetUnderlyingType(p.PropertyType) is not null
                        || (!p.PropertyType.IsValueType && nulls.Create(p).ReadState == NullabilityState.Nullable);
                    return new Field(p, rule, p.GetCustomAttribute<AtMostAttribute>()?.Count ?? MostItems, mayBeNull, rule?.What
                        ?? InWords(p.Name, p.PropertyType != typeof(string) && p.PropertyType.IsAssignableTo(typeof(IEnumerable))));
                }),
        ];
    });

    /// <summary>A property's name as a sentence begins with it.</summary>
    private static string InWords(string name, bool isList)
    {
        var text = new StringBuilder(isList ? "The list of " : "The ");
        for (int i = 0; i < name.Length; i++)
        {
            if (i > 0 && char.IsUpper(name[i]))
                text.Append(' ');
            text.Append(char.ToLowerInvariant(name[i]));
        }
        return text.ToString();
    }
}
