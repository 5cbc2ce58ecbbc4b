namespace Crumpet.Core.Imaging;

/// <summary>How texels are stored.</summary>
public enum TextureFormat
{
    /// <summary>RGB in 4 bits a texel.</summary>
    Bc1,

    /// <summary>One channel in 4 bits a texel.</summary>
    Bc4,

    /// <summary>Two channels in 8 bits a texel.</summary>
    Bc5,

    /// <summary>RGBA in 8 bits a texel.</summary>
    Bc7,

    /// <summary>RGBA uncompressed, 32 bits a texel.</summary>
    Rgba8,
}

/// <summary>What a picture's numbers mean.</summary>
public enum ColourMeaning
{
    /// <summary>Colour seen by people, stored with the sRGB transfer.</summary>
    Srgb,

    /// <summary>Plain numbers.</summary>
    Linear,

    /// <summary>A tangent-space normal: filtered as a vector.</summary>
    Normal,
}

/// <summary>Facts of the formats.</summary>
public static class TextureFormats
{
    /// <summary>Bytes of a 4 × 4 block, or of a texel where there are no blocks.</summary>
    public static int UnitBytes(this TextureFormat format) => format switch
    {
        TextureFormat.Bc1 or TextureFormat.Bc4 => 8,
        TextureFormat.Bc5 or TextureFormat.Bc7 => 16,
        _ => 4,
    };

    /// <summary>Channels the format keeps.</summary>
    public static int Channels(this TextureFormat format) => format switch
    {
        TextureFormat.Bc1 => 3,
        TextureFormat.Bc4 => 1,
        TextureFormat.Bc5 => 2,
        _ => 4,
    };

    /// <summary>Bytes of one level.</summary>
    public static int LevelBytes(this TextureFormat format, int width, int height) => format == TextureFormat.Rgba8
        ? width * height * 4
        : (width + 3) / 4 * ((height + 3) / 4) * format.UnitBytes();

    /// <summary>Short upper-case name, as people write it.</summary>
    public static string Label(this TextureFormat format) => format.ToString().ToUpperInvariant();
}
