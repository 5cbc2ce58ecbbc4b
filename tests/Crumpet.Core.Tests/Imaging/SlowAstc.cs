using System.Buffers.Binary;
using Crumpet.Core.Imaging.Blocks;

namespace Crumpet.Core.Tests.Imaging;

/// <summary>ASTC of low range, written down as the standard has it, texel by texel. What is reserved or of high range is magenta.</summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "ASTC compressed texture image formats"; texels as bytes, in the way that is said there for sRGB
/// and for decoding to eight bits.</remarks>
internal sealed class SlowAstc(int width, int height)
{
    private const int MostWeights = 64, MostValues = 18;
    private readonly int texels = width * height;
    private readonly AstcInfill?[] infills = new AstcInfill?[13 * 13];

    /// <summary>Decodes 16 bytes into RGBA texels.</summary>
    public void Decode(ReadOnlySpan<byte> block, Span<byte> rgba)
    {
        var bits = BinaryPrimitives.ReadUInt128LittleEndian(block);
        if (((int)(uint)bits & 0x1ff) == 0x1fc)
        {
            if (((int)(uint)bits & 0x200) != 0)
                Bad(rgba);
            else
                for (int i = 0; i < texels; i++)
                    for (int c = 0; c < 4; c++)
                        rgba[4 * i + c] = (byte)(bits >> (72 + 16 * c));
            return;
        }
        int parts = (int)(uint)(bits >> 11 & 3) + 1;
        if (AstcMode.Of((int)(uint)bits & 0x7ff) is not { } mode || mode.Width > width || mode.Height > height || (parts == 4 && mode.HasTwoPlanes))
        {
            Bad(rgba);
            return;
        }
        int weightBits = mode.Range.BitsOf(mode.Weights), seed = (int)(uint)(bits >> 13) & 0x3ff, start = parts == 1 ? 17 : 29, below = 128 - weightBits;
        Span<int> kinds = stackalloc int[4];
        ReadKinds(bits, parts, ref below, kinds);
        int channel = -1;
        if (mode.HasTwoPlanes)
        {
            below -= 2;
            channel = (int)(uint)(bits >> below) & 3;
        }
        int count = 0;
        for (int part = 0; part < parts; part++)
            count += 2 * (kinds[part] / 4 + 1);
        if (count > MostValues || AstcTables.Finest(count, below - start) is not { } range)
        {
            Bad(rgba);
            return;
        }
        Span<int> values = stackalloc int[MostValues], weights = stackalloc int[MostWeights];
        Read(bits >> start, range, AstcTables.ColourValues(range), values[..count]);
        Span<int> ends = stackalloc int[4 * 8];
        for (int part = 0, at = 0; part < parts; at += 2 * (kinds[part] / 4 + 1), part++)
        {
            if (!Ends(kinds[part], values[at..], ends.Slice(8 * part, 8)))
            {
                Bad(rgba);
                return;
            }
        }
        Read(Turn(bits), mode.Range, AstcTables.WeightValues(mode.Range), weights[..mode.Weights]);
        Fill(rgba, mode, parts, seed, channel, ends, weights);
    }

    private void Fill(Span<byte> rgba, AstcMode mode, int parts, int seed, int channel, ReadOnlySpan<int> ends, ReadOnlySpan<int> weights)
    {
        var infill = infills[mode.Height * 13 + mode.Width] ??= new AstcInfill(width, height, mode.Width, mode.Height);
        int planes = mode.HasTwoPlanes ? 2 : 1;
        for (int i = 0; i < texels; i++)
        {
            int first = 8, second = 8;
            foreach (var (at, share) in infill.Texels[i])
            {
                first += weights[at * planes] * share;
                second += weights[at * planes + planes - 1] * share;
            }
            int part = parts == 1 ? 0 : AstcTables.Part(seed, i % width, i / width, parts, texels < 31);
            for (int c = 0; c < 4; c++)
            {
                int weight = (c == channel ? second : first) >> 4, a = ends[8 * part + c] << 8 | 0x80, b = ends[8 * part + 4 + c] << 8 | 0x80;
                rgba[4 * i + c] = (byte)((a * (64 - weight) + b * weight + 32) >> 6 >> 8);
            }
        }
    }

    // Kinds of ends: one for all, or two classes and what tells them apart, part of it just below the weights.
    private static void ReadKinds(UInt128 bits, int parts, ref int below, Span<int> kinds)
    {
        if (parts == 1)
        {
            kinds[0] = (int)(uint)(bits >> 13) & 15;
            return;
        }
        int field = (int)(uint)(bits >> 23) & 63;
        if ((field & 3) == 0)
        {
            kinds[..parts].Fill(field >> 2);
            return;
        }
        int more = 3 * parts - 4;
        below -= more;
        int all = field | ((int)(uint)(bits >> below) & ((1 << more) - 1)) << 6, class0 = (field & 3) - 1;
        for (int part = 0; part < parts; part++)
            kinds[part] = class0 + (all >> (2 + part) & 1) << 2 | all >> (2 + parts + 2 * part) & 3;
    }

    private static void Read(UInt128 bits, AstcRange range, ReadOnlySpan<byte> meanings, Span<int> values)
    {
        int group = range.Base == 3 ? 5 : range.Base == 5 ? 3 : 1;
        // Bits of a digit that follow each value of a group.
        ReadOnlySpan<byte> spread = range.Base == 3 ? [2, 2, 1, 2, 1] : range.Base == 5 ? [3, 2, 2] : [0];
        Span<int> low = stackalloc int[5];
        for (int at = 0; at < values.Length; at += group)
        {
            int digits = 0, shift = 0, count = Math.Min(group, values.Length - at);
            for (int i = 0; i < count; i++)
            {
                low[i] = (int)(uint)bits & ((1 << range.Bits) - 1);
                bits >>= range.Bits;
                digits |= ((int)(uint)bits & ((1 << spread[i]) - 1)) << shift;
                bits >>= spread[i];
                shift += spread[i];
            }
            for (int i = 0; i < count; i++)
            {
                int digit = range.Base == 3 ? AstcTables.Trits[digits][i] : range.Base == 5 ? AstcTables.Quints[digits][i] : 0;
                values[at + i] = meanings[digit << range.Bits | low[i]];
            }
        }
    }

    /// <summary>A block's bits from the last to the first.</summary>
    internal static UInt128 Turn(UInt128 bits)
    {
        UInt128 turned = 0;
        for (int i = 0; i < 128; i++, bits >>= 1)
            turned = turned << 1 | bits & 1;
        return turned;
    }

    // The two ends of a part; false for those of high range.
    private static bool Ends(int kind, Span<int> v, Span<int> e)
    {
        switch (kind)
        {
            case 0:
                Set(e, v[0], v[0], v[0], 255, v[1], v[1], v[1], 255);
                return true;
            case 1:
                int low = v[0] >> 2 | v[1] & 0xc0, high = Math.Min(255, low + (v[1] & 0x3f));
                Set(e, low, low, low, 255, high, high, high, 255);
                return true;
            case 4:
                Set(e, v[0], v[0], v[0], v[2], v[1], v[1], v[1], v[3]);
                return true;
            case 5:
                Transfer(ref v[1], ref v[0]);
                Transfer(ref v[3], ref v[2]);
                Set(e, v[0], v[0], v[0], v[2], v[0] + v[1], v[0] + v[1], v[0] + v[1], v[2] + v[3]);
                return true;
            case 6:
                Set(e, v[0] * v[3] >> 8, v[1] * v[3] >> 8, v[2] * v[3] >> 8, 255, v[0], v[1], v[2], 255);
                return true;
            case 10:
                Set(e, v[0] * v[3] >> 8, v[1] * v[3] >> 8, v[2] * v[3] >> 8, v[4], v[0], v[1], v[2], v[5]);
                return true;
            case 8 or 12:
                int a0 = kind == 12 ? v[6] : 255, a1 = kind == 12 ? v[7] : 255;
                if (v[1] + v[3] + v[5] >= v[0] + v[2] + v[4])
                    Set(e, v[0], v[2], v[4], a0, v[1], v[3], v[5], a1);
                else
                    Set(e, v[1] + v[5] >> 1, v[3] + v[5] >> 1, v[5], a1, v[0] + v[4] >> 1, v[2] + v[4] >> 1, v[4], a0);
                return true;
            case 9 or 13:
                for (int i = 0; i < (kind == 13 ? 8 : 6); i += 2)
                    Transfer(ref v[i + 1], ref v[i]);
                int b0 = kind == 13 ? v[6] : 255, b1 = kind == 13 ? v[6] + v[7] : 255;
                if (v[1] + v[3] + v[5] >= 0)
                    Set(e, v[0], v[2], v[4], b0, v[0] + v[1], v[2] + v[3], v[4] + v[5], b1);
                else
                    Set(e, v[0] + v[1] + v[4] + v[5] >> 1, v[2] + v[3] + v[4] + v[5] >> 1, v[4] + v[5], b1, v[0] + v[4] >> 1, v[2] + v[4] >> 1, v[4], b0);
                return true;
            default:
                return false;
        }
    }

    private static void Set(Span<int> e, int r0, int g0, int b0, int a0, int r1, int g1, int b1, int a1)
    {
        ReadOnlySpan<int> all = [r0, g0, b0, a0, r1, g1, b1, a1];
        for (int i = 0; i < 8; i++)
            e[i] = Math.Clamp(all[i], 0, 255);
    }

    // A bit moves from the difference to the base; the difference then has a sign.
    private static void Transfer(ref int difference, ref int from)
    {
        from = from >> 1 | difference & 0x80;
        difference = difference >> 1 & 0x3f;
        if ((difference & 0x20) != 0)
            difference -= 0x40;
    }

    private void Bad(Span<byte> rgba)
    {
        for (int i = 0; i < texels; i++)
            (rgba[4 * i], rgba[4 * i + 1], rgba[4 * i + 2], rgba[4 * i + 3]) = (255, 0, 255, 255);
    }
}
