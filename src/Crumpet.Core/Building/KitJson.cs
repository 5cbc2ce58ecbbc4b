using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using System.Text.Json.Serialization;
using System.Text.RegularExpressions;
using Crumpet.Core.Checking;

namespace Crumpet.Core.Building;

/// <summary>Reads files that people write by hand: a key that is not known is an error with its line and the nearest one that is.</summary>
internal static partial class KitJson
{
    private static readonly JsonSerializerOptions Strict = new(
        BuildJson.Options)
    {
        UnmappedMemberHandling = JsonUnmappedMemberHandling.Disallow,
        AllowOutOfOrderMetadataProperties = true,
        AllowDuplicateProperties = false
    };

    /// <summary>The text of a file, where all of it is text.</summary>
    /// <exception cref="SourceFileException">Some of it is not, or it is no JSON.</exception>
    public static byte[] Checked(byte[] text, string file)
    {
        var reader = new Utf8JsonReader(text, new JsonReaderOptions { CommentHandling = JsonCommentHandling.Disallow });
        try
        {
            while (reader.Read())
            {
                if (reader.TokenType is JsonTokenType.String or JsonTokenType.PropertyName)
                    reader.GetString();
            }
            return text;
        }
        catch (JsonException e)
        {
            throw Explained(e, file);
        }
        catch (InvalidOperationException e)
        {
            int line = 1 + text.AsSpan(0, (int)reader.TokenStartIndex).Count((byte)'\n');
            throw new SourceFileException(file, string.Create(CultureInfo.InvariantCulture, $"line {line}"), "it holds characters that are none",
                "Save it as UTF-8", e);
        }
    }

    /// <summary>A text as a tree; a key that stands twice is an error as any other.</summary>
    /// <exception cref="JsonException">It is no JSON.</exception>
    public static JsonNode? Parse(byte[] text) => JsonNode.Parse(text, null, new JsonDocumentOptions { AllowDuplicateProperties = false });

    /// <summary>Reads a file.</summary>
    /// <param name="text">Its bytes.</param>
    /// <param name="file">Its name, for messages.</param>
    /// <exception cref="SourceFileException">It is no JSON, has a key that is not known, or says something that cannot be.</exception>
    public static T Read<T>(byte[] text, string file)
        where T : class
    {
        T? read;
        try
        {
            // What an asset has not that its kit has is no value of the setting.
            read = JsonSerializer.Deserialize<T>(!PlanLayers.IsLayered(text) ? text
                : JsonSerializer.SerializeToUtf8Bytes(PlanLayers.Plain(Parse(text)), BuildJson.Indented), Strict);
        }
        catch (JsonException e)
        {
            throw Explained(e, file);
        }
        catch (Exception e) when (e is NotSupportedException or InvalidOperationException)
        {
            throw new SourceFileException(file, "", "it cannot be read as what it should be", "Correct it", e);
        }
        if (read is null)
            throw new SourceFileException(file, "", "it is empty", "Write it again");
        var (problem, path) = FieldRules.Find(read);
        return problem is null ? read : throw new SourceFileException(file, LineOf(text, path), problem.TrimEnd('.'), "Correct it");
    }

    /// <summary>The line a field stands on, or what of its path is there; empty where nothing is.</summary>
    private static string LineOf(byte[] text, IReadOnlyList<string> path)
    {
        var reader = new Utf8JsonReader(text);
        int line = 0;
        reader.Read();
        foreach (string name in path)
        {
            if (!Enter(ref reader, name))
                break;
            line = 1 + text.AsSpan(0, (int)reader.TokenStartIndex).Count((byte)'\n');
        }
        return line > 0 ? string.Create(CultureInfo.InvariantCulture, $"line {line}") : "";
    }

    /// <summary>Goes to the value of a field, or to an item of a list by its number.</summary>
    private static bool Enter(ref Utf8JsonReader reader, string name)
    {
        bool isObject = reader.TokenType == JsonTokenType.StartObject;
        if (!isObject && reader.TokenType != JsonTokenType.StartArray)
            return false;
        for (int i = 0; reader.Read() && reader.TokenType is not (JsonTokenType.EndObject or JsonTokenType.EndArray); i++)
        {
            bool isIt = isObject ? string.Equals(reader.GetString(), name, StringComparison.OrdinalIgnoreCase)
                : i.ToString(CultureInfo.InvariantCulture) == name;
            if (isObject)
                reader.Read();
            if (isIt)
                return true;
            reader.Skip();
        }
        return false;
    }

    private static SourceFileException Explained(JsonException e, string file)
    {
        string where = e.LineNumber is { } line ? string.Create(CultureInfo.InvariantCulture, $"line {line + 1}") : "";
        if (Unmapped().Match(e.Message) is { Success: true } match && typeof(KitJson).Assembly.GetType(match.Groups[2].Value) is { } type)
        {
            string key = match.Groups[1].Value;
            string[] known = [.. type.GetProperties()
                .Where(p => p.SetMethod is not null || type.GetConstructors().Any(c => c.GetParameters().Any(a => a.Name == p.Name)))
                .Select(p => JsonNamingPolicy.CamelCase.ConvertName(p.Name))];
            return new SourceFileException(file, where, $"the key '{FieldRules.Quoted(key)}' is not known", NearestWord.Hint(key, known), e);
        }
        return new SourceFileException(file, where, $"{(e.Path is { Length: > 1 } path ? $"{path} " : "it ")}cannot be read{WhatElse(e.Message)}",
            "Correct it; 'crumpet demo' writes a kit as a pattern", e);
    }

    /// <summary>What could stand where a word is not known; empty where that is not what is wrong.</summary>
    private static string WhatElse(string message)
    {
        if (NoWord().Match(message) is { Success: true } table)
            return $": {table.Value}";
        if (message.Contains("type discriminator", StringComparison.Ordinal))
            return $": there are {string.Join(", ", MendKinds.All.Select(m => m.Word))}";
        var type = Unconverted().Match(message) is { Success: true } match ? typeof(KitJson).Assembly.GetType(match.Groups[1].Value.TrimEnd('.')) : null;
        return type is { IsEnum: true } ? $": there are {string.Join(", ", Enum.GetNames(type).Select(JsonNamingPolicy.CamelCase.ConvertName))}" : "";
    }

    [GeneratedRegex("'[^']*' is no [a-z ]+; there are [^.]*")]
    private static partial Regex NoWord();

    [GeneratedRegex(@"could not be converted to (?:System\.Nullable`1\[)?([A-Za-z.]+)")]
    private static partial Regex Unconverted();

    [GeneratedRegex("The JSON property '([^']*)' could not be mapped to any .NET member contained in type '([^']*)'")]
    private static partial Regex Unmapped();
}
