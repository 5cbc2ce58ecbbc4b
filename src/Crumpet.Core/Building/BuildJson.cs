using System.Security.Cryptography;
using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Crumpet.Core.Baking;
using Crumpet.Core.Intake;

namespace Crumpet.Core.Building;

/// <summary>How settings and reports are written, and how keys are made from them.</summary>
public static class BuildJson
{
    /// <summary>Camel-case names, words for enumerations.</summary>
    public static JsonSerializerOptions Options { get; } = new(JsonSerializerDefaults.Web)
    {
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
        TypeInfoResolver = new DefaultJsonTypeInfoResolver { Modifiers = { TellMendsApart } },
    };

    /// <summary>The same, on many lines.</summary>
    public static JsonSerializerOptions Indented { get; } = new(Options) { WriteIndented = true, NewLine = "\n" };

    /// <summary>A mend as one line, the same for equal mends.</summary>
    public static string OfMend(Mend mend) => JsonSerializer.Serialize(mend, Options);

    /// <summary>The mend a line of <see cref="OfMend"/> says, or null where it says none.</summary>
    public static Mend? ReadMend(string line)
    {
        try
        {
            return JsonSerializer.Deserialize<Mend>(line, Options);
        }
        catch (Exception e) when (e is JsonException or NotSupportedException)
        {
            return null;
        }
    }

    // Stations define their own mends; a word in the file tells which one it is.
    private static void TellMendsApart(JsonTypeInfo info)
    {
        if (info.Type != typeof(Mend))
            return;
        info.PolymorphismOptions = new JsonPolymorphismOptions { TypeDiscriminatorPropertyName = "mend" };
        foreach (var (word, type) in IntakeMendKinds.All.Concat(BakeMendKinds.All))
            info.PolymorphismOptions.DerivedTypes.Add(new JsonDerivedType(type, word));
    }

    /// <summary>A result's key: SHA-256 over step, its version, its settings and the keys of its inputs.</summary>
    public static string Key(string step, int version, object settings, params IEnumerable<string> inputs)
    {
        byte[] text = JsonSerializer.SerializeToUtf8Bytes(new { step, version, settings, inputs = inputs.ToArray() }, Options);
        return Convert.ToHexStringLower(SHA256.HashData(text));
    }
}
