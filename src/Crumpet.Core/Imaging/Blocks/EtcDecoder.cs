using System.Buffers.Binary;
using System.Runtime.CompilerServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes ETC2 blocks: a palette a half, four looks into it at a time.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "ETC2 compressed texture image formats".</remarks>
internal static class EtcDecoder
{
    // What is added to and taken from the colour of a half, by its table: four colours of four bytes; the second four tables are for blocks with holes.
    private static readonly Vector128<byte>[] Plus = [.. Halves(hasHoles: false, sign: 1), .. Halves(hasHoles: true, sign: 1)];
    private static readonly Vector128<byte>[] Minus = [.. Halves(hasHoles: false, sign: -1), .. Halves(hasHoles: true, sign: -1)];

    // Rows of the second half, side by side and one above the other.
    private static readonly Vector128<byte>[] Parts = [.. Enumerable.Range(0, 8).Select(i =>
        i < 4 ? Vector128.Create(0, ulong.MaxValue).AsByte() : i < 6 ? Vector128<byte>.Zero : Vector128<byte>.AllBitsSet)];

    // Distances of the modes with two colours, for the colours they are added to or taken from.
    private static readonly Vector128<byte>[] Distances = [.. EtcTables.Distances.Select(d => Vector128.Create((uint)(d | d << 8 | d << 16)).AsByte())];

    // Bytes of a palette that four texels are made of, by their four low bits and above them their four high ones.
    private static readonly Vector128<byte>[] Rows = [.. Enumerable.Range(0, 256).Select(bits =>
        Vector128.Create([.. Enumerable.Range(0, 16).Select(i => (byte)(4 * ((bits >> (i / 4) & 1) | (bits >> (4 + i / 4) & 1) << 1) + i % 4))]))];

    /// <summary>Decodes 8 bytes of RGB into 16 RGBA texels.</summary>
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba) => Decode(block, rgba, hasHoles: false);

    /// <summary>The same where a block may have holes.</summary>
    public static void DecodeHoles(ReadOnlySpan<byte> block, Span<byte> rgba) => Decode(block, rgba, hasHoles: true);

    /// <summary>Decodes 16 bytes: alpha, then RGB.</summary>
    public static void DecodeAlpha(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        Decode(block[8..], rgba, hasHoles: false);
        Planes.SetAlpha(EacDecoder.Alpha(block), rgba);
    }

    private static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba, bool hasHoles)
    {
        ulong bits = BinaryPrimitives.ReadUInt64BigEndian(block);
        rgba = rgba[..64];
        bool differs = (bits >> 33 & 1) == 1, holes = hasHoles && !differs;
        // Red, green and blue of both, half a byte each; or five bits and a difference of three, a byte each.
        uint all = BinaryPrimitives.ReverseEndianness((uint)(bits >> 32)) & 0xffffff;
        uint first = (all >> 4 & 0x0f0f0f) * 17, second = (all & 0x0f0f0f) * 17;
        if (differs || hasHoles)
        {
            uint fives = all >> 3 & 0x1f1f1f, sums = fives + (((all & 0x070707) ^ 0x040404) + 0x1c1c1c);
            // Differences are from −4 to 3: with 32 added to them, a sum that has left 0 to 31 shows in the two highest of its seven bits.
            uint within = sums & 0x606060 ^ 0x202020;
            if (within != 0)
            {
                if ((within & 0xff) != 0)
                    TwoColours(bits, rgba, isT: true, holes);
                else if ((within & 0xff00) != 0)
                    TwoColours(bits, rgba, isT: false, holes);
                else
                    Planar(bits, rgba);
                return;
            }
            (first, second) = (Five(fives), Five(sums & 0x1f1f1f));
        }
        int more = holes ? 8 : 0;
        Vector128<byte> one = Half(first, (int)(bits >> 37 & 7) + more), two = Half(second, (int)(bits >> 34 & 7) + more);
        uint places = Places((uint)bits);
        var parts = Parts.AsSpan((int)(bits >> 32 & 1) * 4, 4);
        for (int row = 0; row < parts.Length; row++)
            Vector128.ConditionalSelect(parts[row], Look(two, places, row), Look(one, places, row)).CopyTo(rgba[(16 * row)..]);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector128<byte> Half(uint colour, int table) =>
        Vector128.SubtractSaturate(Vector128.AddSaturate(Vector128.Create(colour | 0xff000000).AsByte(), Plus[table]), Minus[table]);

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector128<byte> Look(Vector128<byte> palette, uint places, int row) =>
        Vector128.ShuffleNative(palette, Rows[(places >> (4 * row) & 15) | (places >> (12 + 4 * row) & 0xf0)]);

    // Indices lie in columns; both bits of all of them are turned into rows.
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static uint Places(uint bits)
    {
        uint change = (bits ^ bits >> 3) & 0x0a0a0a0a;
        bits ^= change ^ change << 3;
        change = (bits ^ bits >> 6) & 0x00cc00cc;
        return bits ^ change ^ change << 6;
    }

    private static uint Five(uint channels) => (channels & 0x1f1f1f) << 3 | (channels >> 2 & 0x070707);

    private static IEnumerable<Vector128<byte>> Halves(bool hasHoles, int sign) => EtcTables.Modifiers.Select(m =>
    {
        int small = hasHoles ? 0 : m.Small;
        int[] changes = [small, m.Large, -small, -m.Large];
        return Vector128.Create([.. Enumerable.Range(0, 16).Select(i =>
            hasHoles && i / 4 == 2 ? (byte)(sign < 0 ? 255 : 0) : i % 4 == 3 ? (byte)0 : (byte)Math.Max(0, sign * changes[i / 4]))]);
    });

    private static void TwoColours(ulong bits, Span<byte> rgba, bool isT, bool holes)
    {
        uint Field(int low, int count) => (uint)(bits >> low) & ((1u << count) - 1);
        uint r, g, b, distance;
        if (isT)
            (r, g, b) = (Field(59, 2) << 2 | Field(56, 2), Field(52, 4), Field(48, 4));
        else
            (r, g, b) = (Field(59, 4), Field(56, 3) << 1 | Field(52, 1), Field(51, 1) << 3 | Field(47, 3));
        int last = isT ? 0 : 1;
        uint r2 = Field(44 - last, 4), g2 = Field(40 - last, 4), b2 = Field(36 - last, 4);
        if (isT)
            distance = Field(34, 2) << 1 | Field(32, 1);
        else
            distance = Field(34, 1) << 2 | Field(32, 1) << 1 | ((r << 8 | g << 4 | b) >= (r2 << 8 | g2 << 4 | b2) ? 1u : 0);
        uint first = (r | g << 8 | b << 16) * 17 | 0xff000000, second = (r2 | g2 << 8 | b2 << 16) * 17 | 0xff000000;
        var d = Distances[distance];
        // One colour as it is and the other three times, or both twice.
        var colours = Vector128.Create(first, isT ? second : first, second, second).AsByte();
        var plus = Vector128.Create(isT ? 0u : uint.MaxValue, isT ? uint.MaxValue : 0, isT ? 0 : uint.MaxValue, 0).AsByte();
        var minus = Vector128.Create(0u, isT ? 0 : uint.MaxValue, 0, uint.MaxValue).AsByte();
        var palette = Vector128.SubtractSaturate(Vector128.AddSaturate(colours, plus & d), minus & d);
        if (holes)
            palette &= Vector128.Create(uint.MaxValue, uint.MaxValue, 0, uint.MaxValue).AsByte();
        uint places = Places((uint)bits);
        for (int row = 0; row < 4; row++)
            Look(palette, places, row).CopyTo(rgba[(16 * row)..]);
    }

    private static void Planar(ulong bits, Span<byte> rgba)
    {
        int Field(int low, int count) => (int)(bits >> low) & ((1 << count) - 1);
        static short Six(int v) => (short)(v << 2 | v >> 4);
        static short Seven(int v) => (short)(v << 1 | v >> 6);
        short red = Six(Field(57, 6)), green = Seven(Field(56, 1) << 6 | Field(49, 6)), blue = Six(Field(48, 1) << 5 | Field(43, 2) << 3 | Field(39, 3));
        var origin = Vector64.Create(red, green, blue, 255);
        var right = Vector64.Create(Six(Field(34, 5) << 1 | Field(32, 1)), Seven(Field(25, 7)), Six(Field(19, 6)), 255) - origin;
        var below = Vector64.Create(Six(Field(13, 6)), Seven(Field(6, 7)), Six(Field(0, 6)), 255) - origin;
        // Two texels at a time, four channels each.
        var across = Vector128.Create(Vector64<short>.Zero, right);
        Vector128<short> step = Vector128.Create(right + right, right + right), down = Vector128.Create(below, below);
        var start = (Vector128.Create(origin, origin) << 2) + Vector128.Create((short)2) + across;
        for (int row = 0; row < 4; row++, start += down)
            Vector128.Narrow(Bytes(start), Bytes(start + step)).CopyTo(rgba[(16 * row)..]);

        static Vector128<ushort> Bytes(Vector128<short> sum) =>
            Vector128.Min(Vector128.Max(sum >> 2, Vector128<short>.Zero), Vector128.Create((short)255)).AsUInt16();
    }
}
