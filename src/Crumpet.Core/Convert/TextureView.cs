using Crumpet.Core.Imaging;

namespace Crumpet.Core.Convert;

/// <summary>A level of a texture as a picture, with the channels that mean something.</summary>
public static class TextureView
{
    /// <summary>Decodes a level: one channel gives grey, two and three give RGB, all else RGBA.</summary>
    /// <param name="texture">The texture.</param>
    /// <param name="level">Mip level from 0.</param>
    /// <param name="meaning">For normals, the third component of BC5 is rebuilt as a shader does; otherwise it is 0.</param>
    /// <exception cref="ArgumentOutOfRangeException">There is no such level.</exception>
    /// <param name="side">Side of a cube, from 0.</param>
    public static Bitmap8 Decode(Texture texture, int level, ColourMeaning meaning, int side = 0)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(level);
        ArgumentOutOfRangeException.ThrowIfGreaterThanOrEqual(level, texture.Levels.Count);
        var (width, height) = texture.LevelSize(level);
        var rgba = BlockCodec.Decode(texture.Level(level, side), width, height, texture.Format);
        int channels = texture.Format.PictureChannels;
        var result = new Bitmap8(width, height, channels);
        bool rebuild = texture.Format.RebuildsThird && meaning == ColourMeaning.Normal;
        for (int i = 0; i < width * height; i++)
        {
            var from = rgba.Pixels.AsSpan(4 * i, 4);
            from[..channels].CopyTo(result.Pixels.AsSpan(channels * i, channels));
            if (texture.Format.RebuildsThird)
                result.Pixels[3 * i + 2] = rebuild ? Third(from[0] / 127.5f - 1, from[1] / 127.5f - 1) : (byte)0;
        }
        return result;
    }

    private static byte Third(float x, float y) => (byte)(MathF.Sqrt(MathF.Max(0, 1 - x * x - y * y)) * 127.5f + 128);
}
