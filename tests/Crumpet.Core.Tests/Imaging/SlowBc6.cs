using System.Buffers.Binary;
using Crumpet.Core.Imaging.Blocks;

namespace Crumpet.Core.Tests.Imaging;

/// <summary>BC6H, written down as the standard has it, bit by bit.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "BPTC compressed texture image formats".</remarks>
internal static class SlowBc6
{
    /// <summary>Decodes 16 bytes into 16 RGBA texels; alpha is 1. A block of a reserved mode is black.</summary>
    public static void Decode(ReadOnlySpan<byte> block, Span<float> rgba, bool signed)
    {
        int number = Bc6Tables.NumberOf(block[0]);
        if (number < 0)
        {
            rgba.Clear();
            for (int i = 0; i < 16; i++)
                rgba[4 * i + 3] = 1;
            return;
        }
        var mode = Bc6Tables.Modes[number];
        var bits = BinaryPrimitives.ReadUInt128LittleEndian(block) >> mode.CodeBits;
        Span<int> ends = stackalloc int[12];
        ends.Clear();
        foreach (var (channel, end, bit) in PlacesOf(mode.Layout))
        {
            ends[3 * end + channel] |= (int)(uint)(bits & 1) << bit;
            bits >>= 1;
        }
        for (int c = 0; c < 3; c++)
        {
            int mask = (1 << mode.Bits) - 1;
            for (int end = 2 * mode.Lines - 1; end >= 0; end--)
            {
                int code = ends[3 * end + c];
                if (end > 0 && mode.HasDifferences)
                    code = ends[c] + Extend(code, mode.Other(c)) & mask;
                ends[3 * end + c] = Widen(signed ? Extend(code, mode.Bits) : code, mode.Bits, signed);
            }
        }
        int partition = 0, anchor = 0, width = mode.Lines == 2 ? 3 : 4;
        if (mode.Lines == 2)
        {
            partition = (int)(uint)(bits & 31);
            bits >>= 5;
            anchor = Bc7Tables.Anchor(2, partition, 1);
        }
        var weights = Bc7Tables.Weights(width);
        for (int i = 0; i < 16; i++)
        {
            int own = i == 0 || i == anchor ? width - 1 : width, weight = weights[(int)(uint)(bits & ((1u << own) - 1))];
            bits >>= own;
            int line = mode.Lines == 2 ? 6 * Bc7Tables.Subset(2, partition, i) : 0;
            for (int c = 0; c < 3; c++)
                rgba[4 * i + c] = Finish((ends[line + c] * (64 - weight) + ends[line + 3 + c] * weight + 32) >> 6, signed);
            rgba[4 * i + 3] = 1;
        }
    }

    private static int Extend(int code, int bits) => code << (32 - bits) >> (32 - bits);

    private static int Widen(int code, int bits, bool signed)
    {
        if (!signed)
            return bits >= 15 || code == 0 ? code : code == (1 << bits) - 1 ? 0xffff : ((code << 16) + 0x8000) >> bits;
        int size = Math.Abs(code);
        int wide = bits >= 16 || size == 0 ? size : size >= (1 << (bits - 1)) - 1 ? 0x7fff : ((size << 15) + 0x4000) >> (bits - 1);
        return code < 0 ? -wide : wide;
    }

    private static float Finish(int value, bool signed)
    {
        int pattern = signed ? (Math.Abs(value) * 31 >> 5) | (value < 0 ? 0x8000 : 0) : value * 31 >> 6;
        return (float)BitConverter.UInt16BitsToHalf((ushort)pattern);
    }

    // Each bit of the ends in the order of the block: channel, end, number of the bit.
    private static (int Channel, int End, int Bit)[] PlacesOf(string layout)
    {
        var places = new List<(int Channel, int End, int Bit)>();
        foreach (string piece in layout.Split(' '))
        {
            int channel = "rgb".IndexOf(piece[0]), end = "wxyz".IndexOf(piece[1]);
            int[] range = [.. piece[2..].Split(':').Select(int.Parse)];
            int from = range[^1], to = range[0];
            // From the lower named to the higher, whichever comes first.
            for (int bit = from; ; bit += from <= to ? 1 : -1)
            {
                places.Add((channel, end, bit));
                if (bit == to)
                    break;
            }
        }
        return [.. places];
    }
}
