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
        bool rebuild = texture.Format.RebuildsThird && meaning == ColourMeaning.Normal;
        return texture.Format.ShowsNumbers
            ? Numbers(BlockCodec.DecodeValues(texture.Level(level, side), width, height, texture.Format), texture.Format, rebuild)
            : Bytes(BlockCodec.Decode(texture.Level(level, side), width, height, texture.Format), texture.Format, rebuild);
    }

    private static Bitmap8 Bytes(Bitmap8 rgba, TextureFormat format, bool rebuild)
    {
        int channels = format.PictureChannels;
        var result = new Bitmap8(rgba.Width, rgba.Height, channels);
        for (int i = 0; i < rgba.Width * rgba.Height; i++)
        {
            var from = rgba.Pixels.AsSpan(4 * i, 4);
            from[..channels].CopyTo(result.Pixels.AsSpan(channels * i, channels));
            if (format.RebuildsThird)
                result.Pixels[3 * i + 2] = rebuild ? (byte)(Third(from[0] / 127.5f - 1, from[1] / 127.5f - 1) * 127.5f + 128) : (byte)0;
        }
        return result;
    }

    private static Bitmap32 Numbers(Bitmap32 rgba, TextureFormat format, bool rebuild)
    {
        int channels = format.PictureChannels;
        var result = new Bitmap32(rgba.Width, rgba.Height, channels);
        for (int i = 0; i < rgba.Width * rgba.Height; i++)
        {
            var from = rgba.Pixels.AsSpan(4 * i, 4);
            from[..channels].CopyTo(result.Pixels.AsSpan(channels * i, channels));
            if (format.RebuildsThird)
                result.Pixels[3 * i + 2] = rebuild ? Third(from[0] * 2 - 1, from[1] * 2 - 1) * 0.5f + 0.5f : 0;
        }
        return result;
    }

    private static float Third(float x, float y) => MathF.Sqrt(MathF.Max(0, 1 - x * x - y * y));
}
