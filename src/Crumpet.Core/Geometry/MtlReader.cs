using System.Globalization;
using System.Numerics;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Geometry;

/// <summary>Reads the material library beside an OBJ: colour, roughness and metalness where it has them, and the pictures it names.</summary>
/// <remarks>Source: Wavefront "Material library file (.mtl)"; Pr, Pm, map_Pr, map_Pm and norm are the common physically based additions.</remarks>
public static class MtlReader
{
    /// <summary>Reads a library. Statements it does not know are passed over, as the format asks.</summary>
    /// <param name="stream">Text, in any encoding that <see cref="ObjReader"/> takes.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <exception cref="SourceFileException">A colour or factor is no number.</exception>
    public static IReadOnlyList<Material> Read(Stream stream, string fileName)
    {
        var materials = new List<Material>();
        using var reader = new StringReader(TextSource.ReadAll(stream));
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
            if (materials.Count > 0)
                materials[^1] = With(materials[^1], words, new Place(fileName, line));
        }
        return materials;
    }

    private readonly record struct Place(string File, int Line);

    private static Material With(Material last, string[] words, Place place) => words[0] switch
    {
        // Kd has no stated space; what artists type there is a picked colour, so it is read as sRGB.
        "Kd" when words.Length >= 4 => last with
        {
            BaseColour = new Vector4(Linear(words[1], place), Linear(words[2], place), Linear(words[3], place), last.BaseColour.W),
        },
        "d" when words.Length >= 2 => Seen(last, Factor(words[^1], place)),
        "Tr" when words.Length >= 2 => Seen(last, 1 - Factor(words[1], place)),
        "Ke" when words.Length >= 4 => last with
        {
            Traits = last.Traits with { Emission = Tint.Of(new Vector3(Factor(words[1], place), Factor(words[2], place), Factor(words[3], place))) },
        },
        "Ni" when words.Length >= 2 => last with { Traits = last.Traits with { Index = Math.Clamp(Number(words[1], place), 1, 4) } },
        "Pc" when words.Length >= 2 => last with { Traits = last.Traits with { ClearCoat = Factor(words[1], place) } },
        "Pcr" when words.Length >= 2 => last with { Traits = last.Traits with { ClearCoatRoughness = Factor(words[1], place) } },
        "Pr" when words.Length >= 2 => last with { Roughness = Factor(words[1], place) },
        "Pm" when words.Length >= 2 => last with { Metalness = Factor(words[1], place) },
        _ when SlotOf(words[0]) is { } slot && PathOf(words) is { Length: > 0 } path => last with { Textures = [.. last.Textures, new TextureUse(slot, path)] },
        _ => last,
    };

    private static TextureKind? SlotOf(string word) => word.ToLowerInvariant() switch
    {
        "map_kd" => TextureKind.BaseColour,
        "norm" or "map_norm" or "map_kn" => TextureKind.Normal,
        "map_bump" or "bump" or "disp" or "map_disp" => TextureKind.Height,
        "map_pr" => TextureKind.Roughness,
        "map_pm" => TextureKind.Metalness,
        "map_ao" => TextureKind.Occlusion,
        "map_d" => TextureKind.Opacity,
        "map_ke" => TextureKind.Emission,
        "map_ks" or "map_ns" or "map_ka" or "decal" or "refl" => TextureKind.Unknown,
        _ => null,
    };

    /// <summary>The path after the options, which may hold blanks.</summary>
    private static string PathOf(string[] words)
    {
        int at = 1;
        while (at < words.Length && words[at].StartsWith('-') && words[at].Length > 1)
        {
            string option = words[at++];
            // Offsets, scales and turbulence take up to three numbers, value ranges two, everything else one word.
            int most = option is "-o" or "-s" or "-t" ? 3 : option == "-mm" ? 2 : 1;
            int taken = 0;
            while (taken < most && at < words.Length - 1 && (taken == 0 || float.TryParse(words[at], NumberStyles.Float, CultureInfo.InvariantCulture, out _)))
            {
                at++;
                taken++;
            }
        }
        return string.Join(' ', words[Math.Min(at, words.Length)..]);
    }

    private static float Linear(string word, Place place) => Imaging.Srgb.ToLinear(Factor(word, place));

    // What is seen through blends.
    private static Material Seen(Material last, float opacity) => last with
    {
        BaseColour = last.BaseColour with { W = opacity },
        Traits = last.Traits with { Alpha = opacity < 1 ? AlphaMode.Blend : AlphaMode.Opaque },
    };

    private static float Factor(string word, Place place) => Math.Clamp(Number(word, place), 0, 1);

    private static float Number(string word, Place place) =>
        float.TryParse(word, NumberStyles.Float, CultureInfo.InvariantCulture, out float value) && float.IsFinite(value)
            ? value
            : throw new SourceFileException(place.File, $"line {place.Line}", $"'{word}' is no number", "Export the material library again");
}
