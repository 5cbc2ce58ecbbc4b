using System.Globalization;
using System.Text.Json;
using System.Text.Json.Serialization;

namespace Crumpet.Core.Checking;

/// <summary>
/// Writes measures of what cannot be measured (the density of a surface without area, an angle to a direction of no length) as
/// numbers, which JSON asks for: nothing as 0, what has no end as the greatest number. Without it one triangle of no area would cost
/// a whole station its report.
/// </summary>
public static class FiniteNumbers
{
    /// <summary>One converter a type of number.</summary>
    public static IReadOnlyList<JsonConverter> Converters { get; } = [new Doubles(), new Singles()];

    /// <summary>Options as web pages read them.</summary>
    public static JsonSerializerOptions Web { get; } = Made();

    private static JsonSerializerOptions Made()
    {
        var options = new JsonSerializerOptions(JsonSerializerDefaults.Web);
        foreach (var converter in Converters)
            options.Converters.Add(converter);
        return options;
    }

    private static double Read(ref Utf8JsonReader reader) => reader.TokenType == JsonTokenType.String
        ? double.TryParse(reader.GetString(), NumberStyles.Float, CultureInfo.InvariantCulture, out double value) && double.IsFinite(value) ? value
            : throw new JsonException()
        : reader.GetDouble();

    private sealed class Doubles : JsonConverter<double>
    {
        public override double Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) => FiniteNumbers.Read(ref reader);

        public override void Write(Utf8JsonWriter writer, double value, JsonSerializerOptions options) =>
            writer.WriteNumberValue(double.IsNaN(value) ? 0 : Math.Clamp(value, double.MinValue, double.MaxValue));
    }

    private sealed class Singles : JsonConverter<float>
    {
        public override float Read(ref Utf8JsonReader reader, Type typeToConvert, JsonSerializerOptions options) =>
            reader.TokenType == JsonTokenType.String ? (float)FiniteNumbers.Read(ref reader) : reader.GetSingle();

        public override void Write(Utf8JsonWriter writer, float value, JsonSerializerOptions options) =>
            writer.WriteNumberValue(float.IsNaN(value) ? 0 : Math.Clamp(value, float.MinValue, float.MaxValue));
    }
}
