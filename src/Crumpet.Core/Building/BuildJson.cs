using System.Security.Cryptography;
using System.Text.Json;
using System.Text.Json.Serialization;
using System.Text.Json.Serialization.Metadata;
using Crumpet.Core.Bake;
using Crumpet.Core.Checking;
using Crumpet.Core.Intake;

namespace Crumpet.Core.Building;

/// <summary>How settings and reports are written, and how keys are made from them.</summary>
public static class BuildJson
{
    /// <summary>Camel-case names, words for enumerations.</summary>
    public static JsonSerializerOptions Options { get; } = new(JsonSerializerDefaults.Web)
    {
        // By word alone: a number could stand for anything, also for nothing.
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase, allowIntegerValues: false), FiniteNumbers.Converters[0],
            FiniteNumbers.Converters[1] },
        RespectNullableAnnotations = true,
        RespectRequiredConstructorParameters = true,
        MaxDepth = 32,
        TypeInfoResolver = new DefaultJsonTypeInfoResolver { Modifiers = { TellMendsApart } },
    };

    /// <summary>
    /// The same for what an earlier version kept: fields that are missing or empty do not make all of it unreadable; they are told when it
    /// is used.
    /// </summary>
    public static JsonSerializerOptions Kept { get; } = new(Options) { RespectNullableAnnotations = false, RespectRequiredConstructorParameters = false };

    /// <summary>The same, on many lines.</summary>
    public static JsonSerializerOptions Indented { get; } = new(Options) { WriteIndented = true, NewLine = "\n" };

    /// <summary>A mend as one line, the same for equal mends.</summary>
    public static string OfMend(Mend mend) => JsonSerializer.Serialize(mend, Options);

    /// <summary>The mend a line of <see cref="OfMend"/> says.</summary>
    /// <exception cref="FormatException">One sentence: it says none, or one that cannot be.</exception>
    public static Mend ReadMend(string? line) => Read<Mend>(line, "That mend cannot be read; reload the page and press it again.");

    /// <summary>A decision, or a list of them, as one line of JSON.</summary>
    /// <param name="line">The line.</param>
    /// <param name="otherwise">What is said where it is none, one sentence.</param>
    /// <exception cref="FormatException">One sentence: it is none, or one that cannot be.</exception>
    public static T Read<T>(string? line, string otherwise)
        where T : class
    {
        T? read;
        try
        {
            read = JsonSerializer.Deserialize<T>(line ?? "", Options);
        }
        catch (Exception e) when (e is JsonException or NotSupportedException or InvalidOperationException)
        {
            throw new FormatException(otherwise, e);
        }
        if (read is null)
            throw new FormatException(otherwise);
        return FieldRules.Problem(read) is { } problem ? throw new FormatException(problem) : read;
    }

    // Stations define their own mends; a word in the file tells which one it is.
    private static void TellMendsApart(JsonTypeInfo info)
    {
        if (info.Type != typeof(Mend))
            return;
        info.PolymorphismOptions = new JsonPolymorphismOptions { TypeDiscriminatorPropertyName = "mend" };
        foreach (var kind in MendKinds.All)
            info.PolymorphismOptions.DerivedTypes.Add(new JsonDerivedType(kind.Type, kind.Word));
    }

    /// <summary>A result's key: SHA-256 over step, its version, its settings and the keys of its inputs.</summary>
    public static string Key(string step, int version, object settings, params IEnumerable<string> inputs)
    {
        byte[] text = JsonSerializer.SerializeToUtf8Bytes(new { step, version, settings, inputs = inputs.ToArray() }, Options);
        return System.Convert.ToHexStringLower(SHA256.HashData(text));
    }
}
