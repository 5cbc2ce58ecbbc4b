using Crumpet.Core.Imaging;

namespace Crumpet.Core.Dock;

/// <summary>What the dock takes a texture for by the last word of its name.</summary>
/// <param name="Word">The word.</param>
/// <param name="Meaning">What its numbers must be flagged as.</param>
/// <param name="Channels">Channels it must have at least.</param>
public sealed record DockInput(string Word, ColourMeaning Meaning, int Channels);

/// <summary>The dock's own convention, to the letter. A new input is an entry here.</summary>
public static class DockConvention
{
    /// <summary>Inputs by the words that textures' names end in.</summary>
    public static IReadOnlyList<DockInput> Inputs { get; } =
    [
        new("colour", ColourMeaning.Srgb, 3), new("normal", ColourMeaning.Normal, 2), new("masks", ColourMeaning.Linear, 3),
        new("roughness", ColourMeaning.Linear, 1), new("metalness", ColourMeaning.Linear, 1), new("ao", ColourMeaning.Linear, 1),
        new("height", ColourMeaning.Linear, 1), new("opacity", ColourMeaning.Linear, 1), new("emission", ColourMeaning.Srgb, 3),
    ];

    /// <summary>Words without which a material is not whole; any of a row will do.</summary>
    public static IReadOnlyList<IReadOnlyList<string>> Needed { get; } = [["colour"], ["normal"], ["masks", "roughness"]];

    /// <summary>Largest side of a texture, texels.</summary>
    public const int LargestSide = 8192;

    /// <summary>Most triangles of a hull.</summary>
    public const int MostHullTriangles = 255;

    /// <summary>What stands after the asset's name in names of mesh files.</summary>
    public const string Levels = "lod", Hulls = "hulls", Cages = "cages";

    /// <summary>Whether a name is written as the dock takes names: lower-case letters, digits and single underscores.</summary>
    public static bool IsName(string name) => name.Length > 0 && name[0] != '_' && name[^1] != '_' && !name.Contains("__", StringComparison.Ordinal)
        && name.All(c => c is '_' or (>= '0' and <= '9') || (char.IsLetter(c) && !char.IsUpper(c)));

    /// <summary>A name as the dock would take it.</summary>
    public static string Corrected(string name)
    {
        string plain = new([.. name.ToLowerInvariant().Select(c => char.IsLetterOrDigit(c) ? c : '_')]);
        return string.Join('_', plain.Split('_', StringSplitOptions.RemoveEmptyEntries));
    }
}
