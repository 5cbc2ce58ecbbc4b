using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Walks over the blocks of a row, decodes them, and lays their texels where they belong.</summary>
internal static class BlockRows
{
    private const int Four = 4, Bytes = 4 * Four;

    /// <summary>Blocks of four by four bytes of RGBA, which most are, a row of sixteen bytes at a time.</summary>
    /// <param name="blocks">A row of them.</param>
    /// <param name="pixels">As many rows of pixels as are there, four at most.</param>
    /// <param name="width">Pixels of a row.</param>
    /// <param name="decode">Decodes one.</param>
    public static void DecodeFours(ReadOnlySpan<byte> blocks, Span<byte> pixels, int width, BlockWork<byte> decode)
    {
        int stride = 4 * width, rows = pixels.Length / stride, across = (width + Four - 1) / Four, unit = blocks.Length / across;
        Span<byte> texels = stackalloc byte[Four * Bytes];
        for (int column = 0; column < across; column++)
        {
            decode(blocks.Slice(column * unit, unit), texels);
            int at = Bytes * column;
            if (rows == Four && at + Bytes <= stride)
            {
                Vector128.Create<byte>(texels).CopyTo(pixels[at..]);
                Vector128.Create<byte>(texels[Bytes..]).CopyTo(pixels[(at + stride)..]);
                Vector128.Create<byte>(texels[(2 * Bytes)..]).CopyTo(pixels[(at + 2 * stride)..]);
                Vector128.Create<byte>(texels[(3 * Bytes)..]).CopyTo(pixels[(at + 3 * stride)..]);
                continue;
            }
            for (int y = 0; y < rows; y++)
                texels.Slice(Bytes * y, Math.Min(Bytes, stride - at)).CopyTo(pixels[(at + y * stride)..]);
        }
    }

    /// <summary>Blocks, or texels, of any size and kind of number.</summary>
    /// <param name="blocks">A row of them.</param>
    /// <param name="pixels">As many rows of pixels as are there, at most as many as a block has.</param>
    /// <param name="width">Pixels of a row.</param>
    /// <param name="format">How large blocks are.</param>
    /// <param name="decode">Decodes one.</param>
    public static void Decode<T>(ReadOnlySpan<byte> blocks, Span<T> pixels, int width, TextureFormat format, BlockWork<T> decode)
    {
        int stride = 4 * width, rows = pixels.Length / stride, unit = format.UnitBytes, length = 4 * format.BlockWidth;
        Span<T> texels = new T[length * format.BlockHeight];
        for (int column = 0; column * unit < blocks.Length; column++)
        {
            decode(blocks.Slice(column * unit, unit), texels);
            int at = column * length, own = Math.Min(length, stride - at);
            for (int y = 0; y < rows; y++)
                texels.Slice(y * length, own).CopyTo(pixels[(at + y * stride)..]);
        }
    }
}
