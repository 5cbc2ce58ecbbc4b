using System.Buffers.Binary;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Writes blocks of BC7 from their ends and indices.</summary>
internal static class Bc7Writer
{
    private const int Texels = 16;
    private static readonly (byte First, byte Second)[] Solid = SolidTable();

    /// <param name="texels">What was encoded, to know blocks of one colour.</param>
    /// <param name="ends">As they decode: line, end, channel.</param>
    /// <param name="indices">Of the colours.</param>
    /// <param name="alone">Of the channel that stands alone.</param>
    /// <param name="modes">Mode of each block.</param>
    /// <param name="partitions">Partition of each block.</param>
    /// <param name="rotations">Channel that stands alone, and 4 more where it has the coarser indices.</param>
    /// <param name="blocks">What is written.</param>
    [SkipLocalsInit]
    public static void Write(ReadOnlySpan<F> texels, ReadOnlySpan<F> ends, ReadOnlySpan<F> indices, ReadOnlySpan<F> alone, F modes, F partitions, F rotations,
        Span<byte> blocks)
    {
        Span<int> own = stackalloc int[Bc7Fit.EndCount];
        Span<F> packed = stackalloc F[8];
        // Width of the colours' indices and of the others', as powers of two.
        F isFour = V.Equals(modes, V.Create(4f)), turned = V.GreaterThanOrEqual(rotations, V.Create(4f));
        F colours = Lanes.Select(V.Equals(modes, V.Create(6f)), V.Create(16f),
            Lanes.Select(V.LessThan(modes, V.Create(1.5f)) | (isFour & turned), V.Create(8f), V.Create(4f)));
        F others = Lanes.Select(V.AndNot(isFour, turned), V.Create(8f), V.Create(4f));
        Pack(indices, colours, packed[..4]);
        Pack(alone, others, packed[4..]);
        ulong solid = SolidLanes(texels);
        ReadOnlySpan<float> flatEnds = MemoryMarshal.Cast<F, float>(ends), flat = MemoryMarshal.Cast<F, float>(packed);
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            var block = blocks.Slice(16 * lane, 16);
            if ((solid >> lane & 1) == 1)
            {
                WriteSolid(MemoryMarshal.Cast<F, float>(texels), lane, block);
                continue;
            }
            int number = (int)modes[lane], rotation = (int)rotations[lane];
            var mode = Bc7Tables.Modes[number];
            for (int i = 0; i < 8 * mode.Subsets; i++)
                own[i] = (int)flatEnds[i * Lanes.Count + lane];
            int selection = rotation >> 2, colourBits = selection == 1 ? mode.SecondIndexBits : mode.IndexBits;
            ulong first = Unpack(flat, lane, colourBits);
            ulong second = mode.SecondIndexBits > 0 ? Unpack(flat[(4 * Lanes.Count)..], lane, selection == 1 ? mode.IndexBits : mode.SecondIndexBits) : 0;
            Write(number, mode, (int)partitions[lane], rotation & 3, selection, own, first, second, block);
        }
    }

    // Four indices in a float, exactly.
    private static void Pack(ReadOnlySpan<F> indices, F width, Span<F> packed)
    {
        for (int group = 0; group < 4; group++)
        {
            var own = indices.Slice(4 * group, 4);
            packed[group] = Lanes.Fma(Lanes.Fma(Lanes.Fma(own[3], width, own[2]), width, own[1]), width, own[0]);
        }
    }

    private static ulong Unpack(ReadOnlySpan<float> packed, int lane, int width) =>
        (ulong)packed[lane] | (ulong)packed[Lanes.Count + lane] << (4 * width) | (ulong)packed[2 * Lanes.Count + lane] << (8 * width)
        | (ulong)packed[3 * Lanes.Count + lane] << (12 * width);

    private static ulong SolidLanes(ReadOnlySpan<F> texels)
    {
        var same = F.AllBitsSet;
        for (int c = 0; c < 4; c++)
            for (int i = 1; i < Texels; i++)
                same &= V.Equals(texels[Texels * c + i], texels[Texels * c]);
        return V.ExtractMostSignificantBits(same);
    }

    private static void Write(int number, Bc7Mode mode, int partition, int rotation, int selection, Span<int> ends, ulong first, ulong second, Span<byte> block)
    {
        // With the selection bit the colours have the second set of indices.
        int colourBits = selection == 1 ? mode.SecondIndexBits : mode.IndexBits;
        int one = mode.Subsets > 1 ? Bc7Tables.Anchor(mode.Subsets, partition, 1) : 0, two = mode.Subsets > 2 ? Bc7Tables.Anchor(3, partition, 2) : 0;
        // The anchor's highest index bit is not stored: the line is turned round where it is set.
        for (int subset = 0; subset < mode.Subsets; subset++)
        {
            int anchor = subset == 0 ? 0 : subset == 1 ? one : two;
            if ((first >> (anchor * colourBits + colourBits - 1) & 1) == 0)
                continue;
            first ^= Spread(mode.Subsets, partition, subset, colourBits);
            for (int c = 8 * subset; c < 8 * subset + (mode.SecondIndexBits > 0 ? 3 : 4); c++)
                (ends[c], ends[4 + c]) = (ends[4 + c], ends[c]);
        }
        int otherBits = selection == 1 ? mode.IndexBits : mode.SecondIndexBits;
        if (otherBits > 0 && mode.SecondIndexBits > 0 && (second >> (otherBits - 1) & 1) == 1)
        {
            second = ~second & ((1UL << (16 * otherBits)) - 1);
            (ends[3], ends[7]) = (ends[7], ends[3]);
        }
        var bits = new BlockBits();
        bits.Put(1u << number, number + 1);
        bits.Put((uint)partition, mode.PartitionBits);
        bits.Put((uint)rotation, mode.RotationBits);
        bits.Put((uint)selection, mode.IndexSelectionBits);
        for (int c = 0; c < (mode.AlphaBits > 0 ? 4 : 3); c++)
        {
            int width = c < 3 ? mode.ColourBits : mode.AlphaBits, shift = 8 - width;
            for (int end = 0; end < 2 * mode.Subsets; end++)
                bits.Put((uint)ends[4 * end + c] >> shift, width);
        }
        if (mode.HasParity)
            for (int end = 0; end < 2 * mode.Subsets; end += mode.OwnParity ? 1 : 2)
                bits.Put((uint)ends[4 * end] >> (7 - mode.ColourBits) & 1, 1);
        first = Without(first, 0, colourBits, mode.Subsets > 1 ? Math.Min(one, mode.Subsets > 2 ? two : one) : 0,
            mode.Subsets > 2 ? Math.Max(one, two) : 0);
        int firstBits = 16 * colourBits - mode.Subsets;
        if (mode.SecondIndexBits == 0)
        {
            bits.Put(first, firstBits);
        }
        else
        {
            second = Without(second, 0, otherBits, 0, 0);
            int secondBits = 16 * otherBits - 1;
            bits.Put(selection == 0 ? first : second, selection == 0 ? firstBits : secondBits);
            bits.Put(selection == 0 ? second : first, selection == 0 ? secondBits : firstBits);
        }
        bits.CopyTo(block);
    }

    // The highest bits of the anchors' indices taken out, the last one first.
    private static ulong Without(ulong indices, int first, int width, int second, int third)
    {
        if (third > 0)
            indices = Drop(indices, third * width + width - 1);
        if (second > 0)
            indices = Drop(indices, second * width + width - 1);
        return Drop(indices, first + width - 1);

        static ulong Drop(ulong value, int bit) => value & ((1UL << bit) - 1) | (bit == 63 ? 0 : value >> (bit + 1) << bit);
    }

    // All bits of a line's indices.
    private static ulong Spread(int subsets, int partition, int subset, int width)
    {
        if (subsets == 1)
            return width == 4 ? ulong.MaxValue : (1UL << (16 * width)) - 1;
        ulong bits = 0, index = (1UL << width) - 1;
        for (int i = 0; i < Texels; i++)
            if (Bc7Tables.Subset(subsets, partition, i) == subset)
                bits |= index << (i * width);
        return bits;
    }

    // Mode 5 holds alpha in 8 bits and, one third of the way between two 7-bit ends, every 8-bit colour.
    private static void WriteSolid(ReadOnlySpan<float> texels, int lane, Span<byte> block)
    {
        var bits = new BlockBits();
        bits.Put(1 << 5, 6);
        bits.Put(0, 2);
        for (int c = 0; c < 3; c++)
        {
            var (low, high) = Solid[(int)(texels[Texels * c * Lanes.Count + lane] + 0.5f)];
            bits.Put(low, 7);
            bits.Put(high, 7);
        }
        uint alpha = (uint)(texels[Texels * 3 * Lanes.Count + lane] + 0.5f);
        bits.Put(alpha, 8);
        bits.Put(alpha, 8);
        for (int i = 0; i < Texels; i++)
            bits.Put(1, i == 0 ? 1 : 2);
        bits.CopyTo(block);
    }

    private static (byte, byte)[] SolidTable()
    {
        var table = new (byte, byte)[256];
        var errors = new int[256];
        Array.Fill(errors, int.MaxValue);
        for (int a = 0; a < 128; a++)
        {
            for (int b = 0; b < 128; b++)
            {
                int first = a << 1 | a >> 6, second = b << 1 | b >> 6, value = ((64 - 21) * first + 21 * second + 32) >> 6, spread = Math.Abs(first - second);
                if (spread < errors[value])
                    (errors[value], table[value]) = (spread, ((byte)a, (byte)b));
            }
        }
        return table;
    }
}

/// <summary>128 bits, put in from the lowest on.</summary>
internal struct BlockBits
{
    private ulong low, high;
    private int at;

    /// <summary>Adds the lowest <paramref name="count"/> bits, at most 64; the others must be 0.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public void Put(ulong value, int count)
    {
        if (at < 64)
        {
            low |= value << at;
            if (at + count > 64)
                high |= value >> (64 - at);
        }
        else
        {
            high |= value << (at - 64);
        }
        at += count;
    }

    /// <summary>Writes all sixteen bytes.</summary>
    public readonly void CopyTo(Span<byte> block)
    {
        BinaryPrimitives.WriteUInt64LittleEndian(block, low);
        BinaryPrimitives.WriteUInt64LittleEndian(block[8..], high);
    }
}
