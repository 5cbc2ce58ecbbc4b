using System.Buffers.Binary;
using Crumpet.Core.Imaging.Blocks;

namespace Crumpet.Core.Tests.Imaging;

/// <summary>Decoders written down as the standard has them, bit by bit, for the fast ones to be held against.</summary>
internal static class SlowDecoders
{
    /// <summary>BC7.</summary>
    public static void Bc7(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        var bits = new BitReader(block);
        int number = 0;
        while (number < 8 && bits.Read(1) == 0)
            number++;
        if (number == 8)
        {
            rgba.Clear();
            return;
        }
        var mode = Bc7Tables.Modes[number];
        int partition = bits.Read(mode.PartitionBits), rotation = bits.Read(mode.RotationBits), selection = bits.Read(mode.IndexSelectionBits);
        Span<int> ends = stackalloc int[6 * 4];
        ReadEnds(ref bits, mode, ends);
        Span<int> first = stackalloc int[16], second = stackalloc int[16];
        ReadIndices(ref bits, mode.Subsets, partition, mode.IndexBits, first);
        if (mode.SecondIndexBits > 0)
            ReadIndices(ref bits, 1, 0, mode.SecondIndexBits, second);
        else
            first.CopyTo(second);
        int secondBits = mode.SecondIndexBits > 0 ? mode.SecondIndexBits : mode.IndexBits;
        bool swapped = selection == 1;
        var colourWeights = Bc7Tables.Weights(swapped ? secondBits : mode.IndexBits);
        var alphaWeights = Bc7Tables.Weights(swapped ? mode.IndexBits : secondBits);
        for (int i = 0; i < 16; i++)
        {
            int at = 8 * Bc7Tables.Subset(mode.Subsets, partition, i);
            for (int c = 0; c < 4; c++)
            {
                int weight = c < 3 ? colourWeights[swapped ? second[i] : first[i]] : alphaWeights[swapped ? first[i] : second[i]];
                rgba[4 * i + c] = (byte)(((64 - weight) * ends[at + c] + weight * ends[at + 4 + c] + 32) >> 6);
            }
            if (rotation > 0)
                (rgba[4 * i + rotation - 1], rgba[4 * i + 3]) = (rgba[4 * i + 3], rgba[4 * i + rotation - 1]);
        }
    }

    private static void ReadEnds(ref BitReader bits, Bc7Mode mode, scoped Span<int> ends)
    {
        int count = 2 * mode.Subsets;
        for (int c = 0; c < 4; c++)
        {
            int width = c < 3 ? mode.ColourBits : mode.AlphaBits;
            for (int end = 0; end < count; end++)
                ends[4 * end + c] = width == 0 ? 255 : bits.Read(width);
        }
        if (mode.HasParity)
        {
            int parity = 0;
            for (int end = 0; end < count; end++)
            {
                if (mode.OwnParity || end % 2 == 0)
                    parity = bits.Read(1);
                for (int c = 0; c < (mode.AlphaBits > 0 ? 4 : 3); c++)
                    ends[4 * end + c] = ends[4 * end + c] << 1 | parity;
            }
        }
        int extra = mode.HasParity ? 1 : 0;
        for (int end = 0; end < count; end++)
            for (int c = 0; c < (mode.AlphaBits > 0 ? 4 : 3); c++)
                ends[4 * end + c] = Bc7Tables.Widen(ends[4 * end + c], (c < 3 ? mode.ColourBits : mode.AlphaBits) + extra);
    }

    private static void ReadIndices(ref BitReader bits, int subsets, int partition, int width, scoped Span<int> indices)
    {
        for (int i = 0; i < 16; i++)
        {
            bool anchor = i == Bc7Tables.Anchor(subsets, partition, Bc7Tables.Subset(subsets, partition, i));
            indices[i] = bits.Read(anchor ? width - 1 : width);
        }
    }

    private ref struct BitReader(ReadOnlySpan<byte> bytes)
    {
        private readonly ReadOnlySpan<byte> bytes = bytes;
        private int at;

        public int Read(int count)
        {
            int value = 0;
            for (int i = 0; i < count; i++, at++)
                value |= (bytes[at >> 3] >> (at & 7) & 1) << i;
            return value;
        }
    }

    /// <summary>BC1, and the colours of BC3.</summary>
    public static void Bc1(ReadOnlySpan<byte> block, Span<byte> rgba, bool fourOnly = false)
    {
        ushort first = BinaryPrimitives.ReadUInt16LittleEndian(block), second = BinaryPrimitives.ReadUInt16LittleEndian(block[2..]);
        uint indices = BinaryPrimitives.ReadUInt32LittleEndian(block[4..]);
        bool four = fourOnly || first > second;
        Span<byte> palette = stackalloc byte[16];
        for (int c = 0; c < 3; c++)
        {
            int a = Expand(first, c), b = Expand(second, c);
            palette[c] = (byte)a;
            palette[4 + c] = (byte)b;
            palette[8 + c] = (byte)(four ? (2 * a + b + 1) / 3 : (a + b + 1) / 2);
            palette[12 + c] = (byte)(four ? (a + 2 * b + 1) / 3 : 0);
        }
        palette[3] = palette[7] = palette[11] = 255;
        palette[15] = (byte)(four ? 255 : 0);
        for (int i = 0; i < 16; i++)
            palette.Slice((int)(indices >> (2 * i) & 3) * 4, 4).CopyTo(rgba[(4 * i)..]);
    }

    private static int Expand(int packed, int channel)
    {
        int five = channel == 0 ? packed >> 11 : packed & 31, six = packed >> 5 & 63;
        return channel == 1 ? six << 2 | six >> 4 : five << 3 | five >> 2;
    }

    /// <summary>One channel of BC4.</summary>
    public static void Bc4(ReadOnlySpan<byte> block, Span<byte> values)
    {
        Span<byte> palette = stackalloc byte[8];
        Palette(block[0], block[1], palette);
        ulong bits = Indices(block);
        for (int i = 0; i < 16; i++)
            values[i] = palette[(int)(bits >> (3 * i)) & 7];
    }

    /// <summary>One or two signed channels of BC4 and BC5.</summary>
    public static void Bc4Signed(ReadOnlySpan<byte> blocks, Span<float> rgba, int channels)
    {
        rgba.Clear();
        Span<float> palette = stackalloc float[8];
        for (int c = 0; c < channels; c++)
        {
            var block = blocks.Slice(8 * c, 8);
            // −128 stands for −127: both are −1.
            int first = Math.Max((sbyte)block[0], (sbyte)-127), second = Math.Max((sbyte)block[1], (sbyte)-127);
            (palette[0], palette[1]) = (first / 127f, second / 127f);
            int steps = (sbyte)block[0] > (sbyte)block[1] ? 7 : 5;
            for (int i = 1; i < steps; i++)
                palette[i + 1] = ((steps - i) * first + i * second) / (127f * steps);
            if (steps == 5)
                (palette[6], palette[7]) = (-1, 1);
            ulong bits = Indices(block);
            for (int i = 0; i < 16; i++)
                rgba[4 * i + c] = palette[(int)(bits >> (3 * i)) & 7];
        }
        for (int i = 0; i < 16; i++)
            rgba[4 * i + 3] = 1;
    }

    private static ulong Indices(ReadOnlySpan<byte> block)
    {
        ulong bits = 0;
        for (int i = 0; i < 6; i++)
            bits |= (ulong)block[2 + i] << (8 * i);
        return bits;
    }

    private static void Palette(int first, int second, Span<byte> palette)
    {
        palette[0] = (byte)first;
        palette[1] = (byte)second;
        if (first > second)
        {
            for (int i = 1; i < 7; i++)
                palette[i + 1] = (byte)(((7 - i) * first + i * second + 3) / 7);
            return;
        }
        for (int i = 1; i < 5; i++)
            palette[i + 1] = (byte)(((5 - i) * first + i * second + 2) / 5);
        palette[6] = 0;
        palette[7] = 255;
    }
}
