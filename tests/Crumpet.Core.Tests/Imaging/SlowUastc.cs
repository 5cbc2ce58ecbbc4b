using System.Buffers.Binary;
using Crumpet.Core.Imaging.Blocks;

namespace Crumpet.Core.Tests.Imaging;

/// <summary>UASTC, written down as the standard has it, texel by texel. What is reserved is magenta.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.4, "UASTC texture data format".</remarks>
internal static class SlowUastc
{
    private const int MostValues = 18;

    /// <summary>Decodes 16 bytes into 16 RGBA texels.</summary>
    public static void Decode(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        var bits = new Reader(BinaryPrimitives.ReadUInt128LittleEndian(block));
        if (UastcTables.Of((uint)bits.Left) is not { } mode)
        {
            Fill(rgba, 255, 0, 255, 255);
            return;
        }
        bits.Take(mode.CodeBits);
        if (mode.Number == UastcTables.Solid)
        {
            Fill(rgba, (byte)bits.Take(8), (byte)bits.Take(8), (byte)bits.Take(8), (byte)bits.Take(8));
            return;
        }
        bits.Take(mode.HintBits);
        int pattern = bits.Take(mode.PatternBits);
        if (mode.PatternBits > 0 && pattern >= mode.Seeds.Count)
        {
            Fill(rgba, 255, 0, 255, 255);
            return;
        }
        int apart = mode.NamesChannel ? bits.Take(2) : mode.Planes == 2 ? 3 : -1;
        Span<int> values = stackalloc int[MostValues], ends = stackalloc int[3 * 8], parts = stackalloc int[16], weights = stackalloc int[32];
        Read(ref bits, mode, values[..(2 * mode.Channels * mode.Parts)]);
        Ends(mode, values, ends);
        UastcTables.Parts(mode, pattern, parts);
        ReadWeights(ref bits, mode, parts, weights);
        for (int i = 0; i < 16; i++)
        {
            for (int c = 0; c < 4; c++)
            {
                int weight = weights[mode.Planes * i + (c == apart ? 1 : 0)], e = 8 * parts[i] + c, a = ends[e] * 257, b = ends[e + 4] * 257;
                rgba[4 * i + c] = (byte)((a * (64 - weight) + b * weight + 32) >> 6 >> 8);
            }
        }
    }

    // Trits or quints of all numbers come first, several in one; then the bits below them.
    private static void Read(ref Reader bits, UastcMode mode, Span<int> values)
    {
        var range = mode.Colours;
        int group = range.Base == 3 ? 5 : 3;
        ReadOnlySpan<byte> lengths = range.Base == 3 ? [0, 2, 4, 5, 7, 8] : [0, 3, 5, 7];
        values.Clear();
        for (int first = 0; range.Base > 1 && first < values.Length; first += group)
        {
            int count = Math.Min(group, values.Length - first), digits = bits.Take(lengths[count]);
            for (int i = first; i < first + count; i++, digits /= range.Base)
                values[i] = digits % range.Base << range.Bits;
        }
        var meanings = AstcTables.ColourValues(range);
        for (int i = 0; i < values.Length; i++)
            values[i] = meanings[values[i] | bits.Take(range.Bits)];
    }

    private static void Ends(UastcMode mode, ReadOnlySpan<int> values, Span<int> ends)
    {
        for (int part = 0, at = 0; part < mode.Parts; part++)
        {
            for (int end = 0; end < 2; end++)
                ends[8 * part + 4 * end + 3] = 255;
            for (int c = 0; c < mode.Channels; c++)
            {
                for (int end = 0; end < 2; end++, at++)
                {
                    var own = ends.Slice(8 * part + 4 * end, 4);
                    if (mode.Channels > 2)
                        own[c] = values[at];
                    else if (c == 0)
                        own[..3].Fill(values[at]);
                    else
                        own[3] = values[at];
                }
            }
        }
    }

    // The first weight of each part lacks its highest bit, which is 0.
    private static void ReadWeights(ref Reader bits, UastcMode mode, ReadOnlySpan<int> parts, Span<int> weights)
    {
        var meanings = AstcTables.WeightValues(mode.Weights);
        int known = 0;
        for (int i = 0; i < 16; i++)
        {
            bool isFirst = (known >> parts[i] & 1) == 0;
            known |= 1 << parts[i];
            for (int plane = 0; plane < mode.Planes; plane++)
                weights[mode.Planes * i + plane] = meanings[bits.Take(mode.WeightBits - (isFirst ? 1 : 0))];
        }
    }

    private static void Fill(Span<byte> rgba, byte r, byte g, byte b, byte a)
    {
        for (int i = 0; i < 16; i++)
            (rgba[4 * i], rgba[4 * i + 1], rgba[4 * i + 2], rgba[4 * i + 3]) = (r, g, b, a);
    }

    private struct Reader(UInt128 left)
    {
        public UInt128 Left { get; private set; } = left;

        public int Take(int bits)
        {
            int value = (int)((uint)Left & ((1u << bits) - 1));
            Left >>= bits;
            return value;
        }
    }
}
