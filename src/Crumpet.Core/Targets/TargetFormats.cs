using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Targets;

/// <summary>How textures are stored by what they mean, where their outputs do not say otherwise; null for what suits best.</summary>
public sealed record TargetFormats
{
    /// <summary>Colours.</summary>
    [Called("Colours stored as"), NoneIs("what suits")]
    public TextureFormat? Colour { get; init; }

    /// <summary>Colours with opacity.</summary>
    [Called("Colours with opacity stored as"), NoneIs("what suits")]
    public TextureFormat? ColourWithOpacity { get; init; }

    /// <summary>Normals.</summary>
    [Called("Normals stored as"), NoneIs("what suits")]
    public TextureFormat? Normals { get; init; }

    /// <summary>One channel of plain numbers.</summary>
    [Called("Single channels stored as"), NoneIs("what suits")]
    public TextureFormat? Grey { get; init; }

    /// <summary>Several channels of plain numbers.</summary>
    [Called("Packed channels stored as"), NoneIs("what suits")]
    public TextureFormat? Packed { get; init; }

    /// <summary>The format of a picture.</summary>
    /// <param name="meaning">What its numbers mean.</param>
    /// <param name="channels">Channels it has.</param>
    public TextureFormat? For(ColourMeaning meaning, int channels) => meaning switch
    {
        ColourMeaning.Srgb => channels is 2 or 4 ? ColourWithOpacity ?? Colour : Colour,
        ColourMeaning.Normal when channels < 4 => Normals,
        _ => channels == 1 ? Grey : Packed,
    };

    /// <summary>All that are said.</summary>
    public IEnumerable<TextureFormat> Said() => new[] { Colour, ColourWithOpacity, Normals, Grey, Packed }.OfType<TextureFormat>();
}
