using System.Buffers.Binary;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes the colour block of BC1 and BC3: the four values of a channel by a table, four texels by a look into them.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "S3TC compressed texture image formats".</remarks>
internal static class Bc1Decoder
{
    // Both ends and what lies between, a byte each, by the bits of the first end and below them those of the second: for two colours between and for one.
    private static readonly uint[] FivesOfFour = Table(5, four: true), SixesOfFour = Table(6, four: true);
    private static readonly uint[] FivesOfThree = Table(5, four: false), SixesOfThree = Table(6, four: false);

    // Bytes of a palette that four texels are made of, by the byte of their places: four of a channel lie side by side.
    private static readonly Vector128<byte>[] Rows = [.. Enumerable.Range(0, 256).Select(bits =>
        Vector128.Create([.. Enumerable.Range(0, 16).Select(i => (byte)(4 * (i % 4) + (bits >> (i / 4 * 2) & 3)))]))];

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

    /// <summary>Decodes 8 bytes into 16 RGBA texels, the three-colour form with its transparent black included.</summary>
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        ulong bits = BinaryPrimitives.ReadUInt64LittleEndian(block);
        ref byte to = ref MemoryMarshal.GetReference(rgba[..64]);
        var palette = (ushort)bits > (ushort)(bits >> 16) ? Palette(bits, FivesOfFour, SixesOfFour, uint.MaxValue)
            : Palette(bits, FivesOfThree, SixesOfThree, 0x00ffffff);
        for (nuint row = 0; row < 4; row++)
            Row(palette, bits, (int)row).StoreUnsafe(ref to, 16 * row);
    }

    /// <summary>Decodes the colours of BC3, which always has four of them, beside its alpha.</summary>
    public static void DecodeWithAlpha(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        ulong bits = BinaryPrimitives.ReadUInt64LittleEndian(block[8..]);
        ref byte to = ref MemoryMarshal.GetReference(rgba[..64]);
        var palette = Palette(bits, FivesOfFour, SixesOfFour, 0);
        var alpha = Bc4Decoder.Decode(BinaryPrimitives.ReadUInt64LittleEndian(block));
        for (nuint row = 0; row < 4; row++)
            (Row(palette, bits, (int)row) | Planes.Spread(alpha, (int)row, 3)).StoreUnsafe(ref to, 16 * row);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector128<byte> Row(Vector128<byte> palette, ulong bits, int row) =>
        Vector128.ShuffleNative(palette, Rows[(int)(bits >> (32 + 8 * row)) & 255]);

    // Four values of red, of green, of blue and of alpha.
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector128<byte> Palette(ulong bits, uint[] fives, uint[] sixes, uint alpha)
    {
        uint ends = (uint)bits;
        // The ends of a channel side by side: the first of both above.
        uint red = ends >> 6 & 0x3e0 | ends >> 27, green = ends << 1 & 0xfc0 | ends >> 21 & 63, blue = ends << 5 & 0x3e0 | ends >> 16 & 31;
        return Vector128.Create(fives[red], sixes[green], fives[blue], alpha).AsByte();
    }

    private static uint[] Table(int bits, bool four)
    {
        var table = new uint[1 << (2 * bits)];
        for (int i = 0; i < table.Length; i++)
        {
            int a = Widen(i >> bits), b = Widen(i & ((1 << bits) - 1));
            int third = four ? (2 * a + b + 1) / 3 : (a + b + 1) / 2, fourth = four ? (a + 2 * b + 1) / 3 : 0;
            table[i] = (uint)(a | b << 8 | third << 16 | fourth << 24);
        }
        return table;

        int Widen(int value) => value << (8 - bits) | value >> (2 * bits - 8);
    }
}
