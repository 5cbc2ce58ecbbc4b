using System.Buffers.Binary;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes the colour block of BC1, BC2 and BC3.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "S3TC compressed texture image formats".</remarks>
internal static class Bc1Decoder
{
    private const int Third = (1 << 16) / 3 + 1;

    // Bytes of a palette that four texels are made of, by the byte of their places.
    private static readonly Vector128<byte>[] Rows = [.. Enumerable.Range(0, 256).Select(bits =>
        Vector128.Create([.. Enumerable.Range(0, 16).Select(i => (byte)(4 * (bits >> (i / 4 * 2) & 3) + i % 4))]))];

    /// <summary>Decodes 8 bytes into 16 RGBA texels, the three-colour form with its transparent black included.</summary>
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba) => Decode(block, rgba, fourOnly: false);

    /// <summary>Whether any block has a texel that is seen through.</summary>
    public static bool HasHole(ReadOnlySpan<byte> blocks)
    {
        for (; blocks.Length >= 8; blocks = blocks[8..])
        {
            uint indices = BinaryPrimitives.ReadUInt32LittleEndian(blocks[4..]);
            if (BinaryPrimitives.ReadUInt16LittleEndian(blocks) <= BinaryPrimitives.ReadUInt16LittleEndian(blocks[2..])
                && (indices & indices >> 1 & 0x55555555) != 0)
                return true;
        }
        return false;
    }

    /// <summary>Decodes the colours of BC3, which always has four of them, beside its alpha.</summary>
    public static void DecodeWithAlpha(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        Decode(block[8..], rgba, fourOnly: true);
        var (low, high) = Vector128.Widen(Bc4Decoder.Decode(BinaryPrimitives.ReadUInt64LittleEndian(block)));
        var (first, second) = Vector128.Widen(low);
        var (third, fourth) = Vector128.Widen(high);
        var texels = MemoryMarshal.Cast<byte, uint>(rgba);
        Join(first, texels);
        Join(second, texels[4..]);
        Join(third, texels[8..]);
        Join(fourth, texels[12..]);
    }

    private static void Join(Vector128<uint> alpha, Span<uint> texels) =>
        ((Vector128.Create<uint>(texels) & Vector128.Create(0xffffffu)) | alpha << 24).CopyTo(texels);

    private static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba, bool fourOnly)
    {
        ulong bits = BinaryPrimitives.ReadUInt64LittleEndian(block);
        int first = (int)bits & 0xffff, second = (int)(bits >> 16) & 0xffff;
        Vector128<int> a = Expand(first), b = Expand(second), third, fourth;
        if (fourOnly || first > second)
        {
            // Whole numbers up to 766 divided by three exactly, by a share of 2¹⁶ rounded up.
            var one = Vector128.Create(1);
            third = (a + a + b + one) * Third >> 16;
            fourth = (a + b + b + one) * Third >> 16;
        }
        else
        {
            third = a + b + Vector128.Create(1) >> 1;
            fourth = Vector128<int>.Zero;
        }
        // One byte a channel, four colours in a row.
        var palette = Vector128.Narrow(Vector128.Narrow(a, b).AsUInt16(), Vector128.Narrow(third, fourth).AsUInt16());
        Vector128.ShuffleNative(palette, Rows[(int)(bits >> 32) & 255]).CopyTo(rgba);
        Vector128.ShuffleNative(palette, Rows[(int)(bits >> 40) & 255]).CopyTo(rgba[16..]);
        Vector128.ShuffleNative(palette, Rows[(int)(bits >> 48) & 255]).CopyTo(rgba[32..]);
        Vector128.ShuffleNative(palette, Rows[(int)(bits >> 56)]).CopyTo(rgba[48..]);
    }

    // Alpha is open; where the third colour is the mean of two and the fourth nothing, it closes with the fourth.
    private static Vector128<int> Expand(int packed)
    {
        int r = packed >> 11, g = packed >> 5 & 63, b = packed & 31;
        return Vector128.Create(r << 3 | r >> 2, g << 2 | g >> 4, b << 3 | b >> 2, 255);
    }
}
