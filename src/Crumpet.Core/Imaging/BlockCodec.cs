namespace Crumpet.Core.Imaging;

/// <summary>Encodes and decodes whole levels block by block. Edges that are no multiple of four repeat their last texels.</summary>
public static class BlockCodec
{
    /// <summary>Encodes a level. The result does not depend on <paramref name="threads"/>.</summary>
    /// <param name="rgba">Four channels.</param>
    /// <param name="format">Any format.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static byte[] Encode(Bitmap8 rgba, TextureFormat format, int threads = 1, CancellationToken cancel = default)
    {
        if (format.Encoder is not { } encoder)
            return rgba.Pixels.AsSpan().ToArray();
        int across = (rgba.Width + 3) / 4, down = (rgba.Height + 3) / 4, unit = format.UnitBytes;
        var result = new byte[across * down * unit];
        Parallel.For(
            0, down, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, encoder,
            (row, _, encode) =>
            {
                Span<byte> texels = stackalloc byte[64];
                for (int column = 0; column < across; column++)
                {
                    Gather(rgba, column * 4, row * 4, texels);
                    encode(texels, result.AsSpan((row * across + column) * unit, unit));
                }
                return encode;
            },
            _ => { });
        return result;
    }

    /// <summary>Decodes a level to four channels; channels the format lacks are 0, alpha 255.</summary>
    /// <param name="data">Exactly one level.</param>
    /// <param name="width">Texels.</param>
    /// <param name="height">Texels.</param>
    /// <param name="format">Format of <paramref name="data"/>.</param>
    public static Bitmap8 Decode(ReadOnlySpan<byte> data, int width, int height, TextureFormat format)
    {
        var result = new Bitmap8(width, height, 4);
        if (format.Decode is not { } decode)
        {
            data.CopyTo(result.Pixels);
            return result;
        }
        int across = (width + 3) / 4, unit = format.UnitBytes;
        Span<byte> texels = stackalloc byte[64];
        for (int block = 0; block < data.Length / unit; block++)
        {
            decode(data.Slice(block * unit, unit), texels);
            int left = block % across * 4, top = block / across * 4;
            for (int y = top; y < Math.Min(top + 4, height); y++)
                for (int x = left; x < Math.Min(left + 4, width); x++)
                    texels.Slice(((y - top) * 4 + x - left) * 4, 4).CopyTo(result.Pixels.AsSpan((y * width + x) * 4));
        }
        return result;
    }

    private static void Gather(Bitmap8 rgba, int left, int top, Span<byte> texels)
    {
        for (int i = 0; i < 16; i++)
        {
            int x = Math.Min(left + i % 4, rgba.Width - 1), y = Math.Min(top + i / 4, rgba.Height - 1);
            rgba.Pixels.AsSpan((y * rgba.Width + x) * 4, 4).CopyTo(texels[(4 * i)..]);
        }
    }
}
