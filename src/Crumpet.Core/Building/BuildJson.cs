using System.Security.Cryptography;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace Crumpet.Core.Building;

/// <summary>How settings and reports are written, and how keys are made from them.</summary>
public static class BuildJson
{
    /// <summary>Camel-case names, words for enumerations.</summary>
    public static JsonSerializerOptions Options { get; } = new(JsonSerializerDefaults.Web)
    {
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
    };

    /// <summary>The same, on many lines.</summary>
    public static JsonSerializerOptions Indented { get; } = new(Options) { WriteIndented = true, NewLine = "\n" };

    /// <summary>A result's key: SHA-256 over step, its version, its settings and the keys of its inputs.</summary>
    public static string Key(string step, int version, object settings, params IEnumerable<string> inputs)
    {
        byte[] text = JsonSerializer.SerializeToUtf8Bytes(new { step, version, settings, inputs = inputs.ToArray() }, Options);
        return Convert.ToHexStringLower(SHA256.HashData(text));
    }
}
