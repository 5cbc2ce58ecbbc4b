using System.Buffers.Binary;
using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Decodes BC7 blocks of all eight modes: a palette a line, sixteen looks into it.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "BPTC compressed texture image formats".</remarks>
internal static class Bc7Decoder
{
    private const int MostColours = 16;

    // Weights of two of a palette's colours, four times each: by the bits of an index.
    private static readonly Vector128<short>[][] Weights = [.. Enumerable.Range(0, 5).Select(bits => bits < 2 ? [] : Bc7Tables.Weights(bits).Chunk(2)
        .Select(w => Vector128.Create(Vector64.Create((short)w[0]), Vector64.Create((short)w[1]))).ToArray())];

    // Where each texel's palette begins: subsets, partition, texel.
    private static readonly byte[][] Places = [.. Enumerable.Range(0, 4).Select(subsets => subsets == 0 ? [] : Enumerable.Range(0, 64 * 16)
        .Select(i => (byte)(MostColours * Bc7Tables.Subset(subsets, i / 16, i % 16))).ToArray())];

    // Which texels have an index without its highest bit.
    private static readonly byte[][] Anchors = [.. Enumerable.Range(0, 4).Select(subsets => Enumerable.Range(0, 64)
        .SelectMany(p => Enumerable.Range(0, subsets).Select(s => (byte)Bc7Tables.Anchor(subsets, p, s)).Order()).ToArray())];

    /// <summary>Decodes 16 bytes into 16 RGBA texels. A block with no mode bit is transparent black.</summary>
    [SkipLocalsInit]
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        var bits = new BitReader(BinaryPrimitives.ReadUInt64LittleEndian(block), BinaryPrimitives.ReadUInt64LittleEndian(block[8..]));
        if (block[0] == 0)
        {
            rgba.Clear();
            return;
        }
        int number = BitOperations.TrailingZeroCount((uint)block[0]);
        bits.Take(number + 1);
        var mode = Bc7Tables.Modes[number];
        int partition = (int)bits.Take(mode.PartitionBits), rotation = (int)bits.Take(mode.RotationBits), selection = (int)bits.Take(mode.IndexSelectionBits);
        Span<uint> ends = stackalloc uint[6];
        ReadEnds(ref bits, mode, ends);
        ulong first = Indices(ref bits, mode.Subsets, partition, mode.IndexBits);
        Span<uint> palette = stackalloc uint[3 * MostColours], texels = MemoryMarshal.Cast<byte, uint>(rgba)[..16];
        if (mode.SecondIndexBits == 0)
        {
            for (int subset = 0; subset < mode.Subsets; subset++)
                Palette(ends[(2 * subset)..], mode.IndexBits, palette.Slice(MostColours * subset, MostColours));
            // A place is at most 32 and an index at most 15: within the palettes, whatever the block says.
            ref byte place = ref MemoryMarshal.GetReference(Places[mode.Subsets].AsSpan(16 * partition, 16));
            ref uint colour = ref MemoryMarshal.GetReference(palette), texel = ref MemoryMarshal.GetReference(texels);
            int width = mode.IndexBits;
            uint mask = (1u << width) - 1;
            for (int i = 0; i < 16; i++, first >>= width)
                Unsafe.Add(ref texel, i) = Unsafe.Add(ref colour, Unsafe.Add(ref place, i) + ((uint)first & mask));
            return;
        }
        ulong second = Indices(ref bits, 1, 0, mode.SecondIndexBits);
        int colourBits = mode.IndexBits, alphaBits = mode.SecondIndexBits;
        if (selection == 1)
            (first, second, colourBits, alphaBits) = (second, first, alphaBits, colourBits);
        Palette(ends, colourBits, palette[..MostColours]);
        Palette(ends, alphaBits, palette.Slice(MostColours, MostColours));
        for (int i = 0; i < 16; i++, first >>= colourBits, second >>= alphaBits)
        {
            uint colour = palette[(int)first & ((1 << colourBits) - 1)], alpha = palette[MostColours + ((int)second & ((1 << alphaBits) - 1))];
            texels[i] = (colour & 0xffffff) | (alpha & 0xff000000);
        }
        if (rotation > 0)
            Rotate(rgba, rotation);
    }

    private static void Rotate(Span<byte> rgba, int rotation)
    {
        for (int i = 0; i < 16; i++)
            (rgba[4 * i + rotation - 1], rgba[4 * i + 3]) = (rgba[4 * i + 3], rgba[4 * i + rotation - 1]);
    }

    // Two colours at a time.
    private static void Palette(ReadOnlySpan<uint> ends, int bits, Span<uint> palette)
    {
        var both = Vector128.WidenLower(Vector128.CreateScalar(ends[0] | (ulong)ends[1] << 32).AsByte()).AsInt16();
        Vector128<short> a = Vector128.Create(both.GetLower(), both.GetLower()), b = Vector128.Create(both.GetUpper(), both.GetUpper());
        Vector128<short> start = (a << 6) + Vector128.Create((short)32), way = b - a;
        var weights = Weights[bits];
        var pairs = MemoryMarshal.Cast<uint, ulong>(palette)[..weights.Length];
        for (int i = 0; i < weights.Length; i++)
        {
            // At most 64 × 255 and a half of 64: no sign bit is ever reached.
            var colours = (start + way * weights[i]).AsUInt16() >>> 6;
            pairs[i] = Vector128.Narrow(colours, colours).AsUInt64().ToScalar();
        }
    }

    // RGBA of each end, widened to eight bits.
    private static void ReadEnds(ref BitReader bits, Bc7Mode mode, scoped Span<uint> ends)
    {
        int count = 2 * mode.Subsets, colour = mode.ColourBits, alpha = mode.AlphaBits;
        // A channel's ends lie side by side: at most 30 bits.
        uint r = bits.Take(count * colour), g = bits.Take(count * colour), b = bits.Take(count * colour), a = bits.Take(count * alpha), parity = 0;
        int more = mode.HasParity ? 1 : 0, perEnd = mode.OwnParity ? 0 : 1;
        if (mode.HasParity)
            parity = bits.Take(count >> perEnd);
        uint mask = (1u << colour) - 1, alphaMask = (1u << alpha) - 1;
        for (int end = 0; end < count; end++)
        {
            uint own = parity >> (end >> perEnd) & 1;
            ends[end] = Widen((r & mask) << more | own, colour + more) | Widen((g & mask) << more | own, colour + more) << 8
                | Widen((b & mask) << more | own, colour + more) << 16
                | (alpha == 0 ? 255 : Widen((a & alphaMask) << more | own, alpha + more)) << 24;
            r >>= colour;
            g >>= colour;
            b >>= colour;
            a >>= alpha;
        }

        // The highest bits are repeated below.
        static uint Widen(uint value, int width) => value << (8 - width) | value << (8 - width) >> width;
    }

    // All indices with the same number of bits: where the highest is left out, a 0 is put in.
    private static ulong Indices(ref BitReader bits, int subsets, int partition, int width)
    {
        ulong all = bits.TakeLong(16 * width - subsets);
        var anchors = Anchors[subsets].AsSpan(subsets * partition, subsets);
        foreach (int anchor in anchors)
        {
            int at = width * anchor + width - 1;
            ulong below = (1UL << at) - 1;
            all = (all & below) | (all & ~below) << 1;
        }
        return all;
    }

    private struct BitReader(ulong low, ulong high)
    {
        [MethodImpl(MethodImplOptions.AggressiveInlining)]
        public uint Take(int count)
        {
            uint value = (uint)low & ((1u << count) - 1);
            // Twice, because a shift by 64 would be none.
            low = low >> count | high << 1 << (63 - count);
            high >>= count;
            return value;
        }

        // What is left: at most 63 bits, and nothing is read after the last of them.
        public ulong TakeLong(int count)
        {
            ulong value = low & ((1UL << count) - 1);
            low = low >> count | high << (64 - count);
            high >>= count;
            return value;
        }
    }
}
