using System.Globalization;
using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>Reads the material library beside an OBJ: colour, and roughness and metalness where it has them.</summary>
/// <remarks>Source: Wavefront "Material library file (.mtl)"; Pr and Pm are the common physically based additions.</remarks>
public static class MtlReader
{
    /// <summary>Reads a library. Statements it does not know are passed over, as the format asks.</summary>
    /// <param name="stream">Text.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">A colour or factor is no number.</exception>
    public static IReadOnlyList<Material> Read(Stream stream, string fileName)
    {
        var materials = new List<Material>();
        using var reader = new StreamReader(stream, leaveOpen: true);
        for (int line = 1; reader.ReadLine() is { } text; line++)
        {
            var words = text.Split((char[]?)null, StringSplitOptions.RemoveEmptyEntries);
            if (words.Length == 0)
                continue;
            if (words[0] == "newmtl")
            {
                materials.Add(Material.Plain with { Name = text.Trim()["newmtl".Length..].Trim() });
                continue;
            }
            if (materials.Count == 0)
                continue;
            var last = materials[^1];
            materials[^1] = words[0] switch
            {
                // Kd has no stated space; what artists type there is a picked colour, so it is read as sRGB.
                "Kd" when words.Length >= 4 => last with
                {
                    BaseColour = new Vector4(Linear(words[1], line), Linear(words[2], line), Linear(words[3], line), last.BaseColour.W),
                },
                "d" when words.Length >= 2 => last with { BaseColour = last.BaseColour with { W = Factor(words[1], line) } },
                "Pr" when words.Length >= 2 => last with { Roughness = Factor(words[1], line) },
                "Pm" when words.Length >= 2 => last with { Metalness = Factor(words[1], line) },
                _ => last,
            };
        }
        return materials;

        float Linear(string word, int line) => Imaging.Srgb.ToLinear(Factor(word, line));

        float Factor(string word, int line) =>
            float.TryParse(word, NumberStyles.Float, CultureInfo.InvariantCulture, out float value) && float.IsFinite(value)
                ? Math.Clamp(value, 0, 1)
                : throw new SourceFileException(fileName, $"line {line}", $"'{word}' is no number", "Export the material library again");
    }
}
