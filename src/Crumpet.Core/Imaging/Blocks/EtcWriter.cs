using System.Buffers.Binary;
using System.Numerics;
using System.Runtime.InteropServices;
using F = System.Runtime.Intrinsics.Vector512<float>;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>Writes blocks of ETC2 RGB from what was found for them, with the indices that are nearest as they decode.</summary>
internal sealed class EtcWriter(bool hasHoles, Vector3 weights)
{
    private const int Texels = 16;
    private readonly float[] palette = new float[12];

    /// <param name="texels">What was encoded.</param>
    /// <param name="best">Error, kind and terms.</param>
    /// <param name="blocks">Where the first block begins.</param>
    /// <param name="stride">Bytes from block to block.</param>
    public void Write(ReadOnlySpan<F> texels, ReadOnlySpan<F> best, Span<byte> blocks, int stride)
    {
        ReadOnlySpan<float> x = MemoryMarshal.Cast<F, float>(texels), found = MemoryMarshal.Cast<F, float>(best);
        Span<int> t = stackalloc int[9];
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            var kind = (EtcKind)(int)found[Lanes.Count + lane];
            for (int i = 0; i < 9; i++)
                t[i] = (int)found[(2 + i) * Lanes.Count + lane];
            ulong bits = kind switch
            {
                EtcKind.Plane => Plane(t),
                EtcKind.SecondSpread or EtcKind.BothSpread => TwoColours(x, lane, kind, t),
                _ => TwoHalves(x, lane, kind, t),
            };
            BinaryPrimitives.WriteUInt64BigEndian(blocks.Slice(lane * stride, 8), bits);
        }
    }

    private bool HasHole(ReadOnlySpan<float> x, int lane)
    {
        for (int i = 0; hasHoles && i < Texels; i++)
            if (IsHole(x, lane, i))
                return true;
        return false;
    }

    private bool IsHole(ReadOnlySpan<float> x, int lane, int texel) => hasHoles && x[(3 * Texels + texel) * Lanes.Count + lane] < 127.5f;

    private ulong TwoHalves(ReadOnlySpan<float> x, int lane, EtcKind kind, ReadOnlySpan<int> t)
    {
        bool near = kind is EtcKind.Near or EtcKind.NearFlipped, flipped = kind is EtcKind.OwnFlipped or EtcKind.NearFlipped, holes = HasHole(x, lane);
        ulong bits = 0;
        for (int c = 0; c < 3; c++)
        {
            bits |= near ? (ulong)t[c] << (59 - 8 * c) | (ulong)(t[4 + c] - t[c] & 7) << (56 - 8 * c)
                : (ulong)t[c] << (60 - 8 * c) | (ulong)t[4 + c] << (56 - 8 * c);
        }
        // With holes the bit says whether there are none.
        bits |= (ulong)t[3] << 37 | (ulong)t[7] << 34 | (hasHoles ? holes ? 0 : 1UL : near ? 1UL : 0) << 33 | (flipped ? 1UL : 0) << 32;
        for (int half = 0; half < 2; half++)
        {
            var (small, large) = EtcTables.Modifiers[t[4 * half + 3]];
            for (int index = 0; index < 4; index++)
            {
                int step = (index & 1) == 1 ? large : holes ? 0 : small;
                for (int c = 0; c < 3; c++)
                {
                    int code = t[4 * half + c], value = near ? code << 3 | code >> 2 : code * 17;
                    palette[3 * index + c] = Math.Clamp(value + (index >= 2 ? -step : step), 0, 255);
                }
            }
            for (int i = 0; i < Texels; i++)
                if ((flipped ? i >= 8 : i % 4 >= 2) == (half == 1))
                    bits |= Index(x, lane, i, holes);
        }
        return bits;
    }

    private ulong TwoColours(ReadOnlySpan<float> x, int lane, EtcKind kind, Span<int> t)
    {
        bool holes = HasHole(x, lane);
        ulong bits = (holes ? 0UL : 1UL) << 33;
        int distance = t[6];
        if (kind == EtcKind.SecondSpread)
        {
            int high = t[0] >> 2, low = t[0] & 3;
            bits |= Overflow(high + low, 61, 58) | (ulong)high << 59 | (ulong)low << 56 | (ulong)t[1] << 52 | (ulong)t[2] << 48;
            bits |= (ulong)t[3] << 44 | (ulong)t[4] << 40 | (ulong)t[5] << 36 | (ulong)(distance >> 1) << 34 | (ulong)(distance & 1) << 32;
        }
        else
        {
            // The order of the colours is the distance's lowest bit.
            bool isOrdered = (t[0] << 8 | t[1] << 4 | t[2]) >= (t[3] << 8 | t[4] << 4 | t[5]);
            if (isOrdered != ((distance & 1) == 1))
                for (int c = 0; c < 3; c++)
                    (t[c], t[3 + c]) = (t[3 + c], t[c]);
            int top = t[1] >> 1, last = t[1] & 1, blueTop = t[2] >> 3, blueLow = t[2] & 7;
            bits |= (ulong)(top >> 2) << 63 | (ulong)t[0] << 59 | (ulong)top << 56;
            bits |= Overflow((last << 1 | blueTop) + (blueLow >> 1), 53, 50) | (ulong)last << 52 | (ulong)blueTop << 51 | (ulong)blueLow << 47;
            bits |= (ulong)t[3] << 43 | (ulong)t[4] << 39 | (ulong)t[5] << 35 | (ulong)(distance >> 2) << 34 | (ulong)(distance >> 1 & 1) << 32;
        }
        int d = EtcTables.Distances[distance];
        for (int index = 0; index < 4; index++)
        {
            bool ofFirst = kind == EtcKind.SecondSpread ? index == 0 : index < 2;
            int step = kind == EtcKind.SecondSpread ? index switch { 1 => d, 3 => -d, _ => 0 } : index % 2 == 0 ? d : -d;
            for (int c = 0; c < 3; c++)
                palette[3 * index + c] = Math.Clamp(t[ofFirst ? c : 3 + c] * 17 + step, 0, 255);
        }
        for (int i = 0; i < Texels; i++)
            bits |= Index(x, lane, i, holes);
        return bits;
    }

    private static ulong Plane(ReadOnlySpan<int> t)
    {
        int ro = t[0], go = t[1], bo = t[2], blueMiddle = bo >> 3 & 3, blueLow = bo & 7;
        ulong bits = 1UL << 33;
        // Red and green must not run over as they would be read, blue must.
        bits |= (ulong)(ro >> 1 & 1) << 63 | (ulong)ro << 57 | (ulong)(go >> 6) << 56;
        bits |= (ulong)(go >> 1 & 1) << 55 | (ulong)(go & 63) << 49 | (ulong)(bo >> 5) << 48;
        bits |= Overflow(blueMiddle + (blueLow >> 1), 45, 42) | (ulong)blueMiddle << 43 | (ulong)blueLow << 39;
        bits |= (ulong)(t[3] >> 1) << 34 | (ulong)(t[3] & 1) << 32 | (ulong)t[4] << 25 | (ulong)t[5] << 19;
        return bits | (ulong)(uint)t[6] << 13 | (ulong)(uint)t[7] << 6 | (uint)t[8];
    }

    // Free bits that make a base and its difference run over: above, or below zero.
    private static ulong Overflow(int sum, int baseBits, int sign) => sum >= 4 ? 7UL << baseBits : 1UL << sign;

    private ulong Index(ReadOnlySpan<float> x, int lane, int texel, bool holes)
    {
        int place = EtcTables.Place(texel), chosen = 2;
        if (!IsHole(x, lane, texel))
        {
            float r = x[texel * Lanes.Count + lane], g = x[(Texels + texel) * Lanes.Count + lane], b = x[(2 * Texels + texel) * Lanes.Count + lane];
            float least = float.PositiveInfinity;
            for (int index = 0; index < 4; index++)
            {
                float dr = r - palette[3 * index], dg = g - palette[3 * index + 1], db = b - palette[3 * index + 2];
                float error = dr * dr * weights.X + dg * dg * weights.Y + db * db * weights.Z;
                if (error < least && !(holes && index == 2))
                    (least, chosen) = (error, index);
            }
        }
        return (ulong)(chosen >> 1) << (16 + place) | (ulong)(chosen & 1) << place;
    }
}
