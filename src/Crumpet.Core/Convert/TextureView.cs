using Crumpet.Core.Imaging;

namespace Crumpet.Core.Convert;

/// <summary>A level of a texture as a picture, with the channels that mean something.</summary>
public static class TextureView
{
    /// <summary>Decodes a level: one channel gives grey, two and three give RGB, all else RGBA; bytes, or numbers where bytes cannot say them.</summary>
    /// <param name="texture">The texture.</param>
    /// <param name="level">Mip level from 0.</param>
    /// <param name="meaning">For normals, the third component of BC5 is rebuilt as a shader does; otherwise it is 0.</param>
    /// <param name="side">Side of a cube, from 0.</param>
    /// <exception cref="ArgumentOutOfRangeException">There is no such level.</exception>
    public static Bitmap Decode(Texture texture, int level, ColourMeaning meaning, int side = 0)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(level);
        ArgumentOutOfRangeException.ThrowIfGreaterThanOrEqual(level, texture.Levels.Count);
        var (width, height) = texture.LevelSize(level);
        var format = texture.Format;
        int channels = format.PictureChannels;
        bool rebuild = format.RebuildsThird && meaning == ColourMeaning.Normal;
        if (!format.ShowsNumbers)
        {
            var bytes = BlockCodec.Decode(texture.Level(level, side), width, height, format);
            return new Bitmap8(width, height, channels, Channels(bytes.Pixels, channels, !format.RebuildsThird ? null
                : rebuild ? (r, g) => (byte)(Third(r / 127.5f - 1, g / 127.5f - 1) * 127.5f + 128) : (_, _) => 0));
        }
        var numbers = BlockCodec.DecodeValues(texture.Level(level, side), width, height, format);
        return new Bitmap32(width, height, channels, Channels(numbers.Pixels, channels, !format.RebuildsThird ? null
            : rebuild ? (r, g) => Third(r * 2 - 1, g * 2 - 1) * 0.5f + 0.5f : (_, _) => 0));
    }

    // What a stage hands to any card as it is, by numbers of DDS headers; all else it is given decoded.
    private static readonly TextureFormat[] OnCards = [TextureFormat.Bc1, TextureFormat.Bc4, TextureFormat.Bc5, TextureFormat.Bc7, TextureFormat.Rgba8];

    /// <summary>A texture as a stage draws it: as it is where cards take it so, decoded to bytes otherwise, with levels where it has one alone.</summary>
    /// <param name="texture">The texture.</param>
    /// <param name="meaning">What the numbers mean.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static Texture ForStage(Texture texture, ColourMeaning meaning, CancellationToken cancel = default)
    {
        bool isSrgb = meaning == ColourMeaning.Srgb, isAlone = texture.Levels.Count == 1 && texture.Width * texture.Height > 1;
        if (OnCards.Contains(texture.Format) && !isAlone && (texture.Srgb == isSrgb || texture.Format.DxgiSrgb is null))
            return texture;
        IReadOnlyList<Bitmap> levels = isAlone
            ? MipChain.Build(TextureConverter.ToRgba(Decode(texture, 0, meaning)), new MipSettings(MipFilter.Box, meaning), 1, cancel)
            : [.. Enumerable.Range(0, texture.Levels.Count).Select(l => TextureConverter.ToRgba(Decode(texture, l, meaning)))];
        var stored = BlockCodec.Encode(levels, TextureFormat.Rgba8, EncodeSettings.For(Effort.Draft, meaning), 1, null, cancel);
        return new Texture(texture.Width, texture.Height, TextureFormat.Rgba8, isSrgb, stored);
    }

    // The first channels of RGBA; the third made of the two before it where it was left out.
    private static T[] Channels<T>(T[] rgba, int channels, Func<T, T, T>? third)
    {
        var result = new T[rgba.Length / 4 * channels];
        for (int i = 0; i < rgba.Length / 4; i++)
        {
            rgba.AsSpan(4 * i, channels).CopyTo(result.AsSpan(channels * i));
            if (third is not null)
                result[channels * i + 2] = third(rgba[4 * i], rgba[4 * i + 1]);
        }
        return result;
    }

    private static float Third(float x, float y) => MathF.Sqrt(MathF.Max(0, 1 - x * x - y * y));
}
