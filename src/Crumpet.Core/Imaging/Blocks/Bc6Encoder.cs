using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>
/// BC6H: lines are fitted to the bit patterns of half-precision numbers, which go as the logarithm does; every mode is tried with the ends it can say,
/// with one line and with the likeliest pairs of lines.
/// </summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "BPTC compressed texture image formats".</remarks>
internal sealed class Bc6Encoder : BlockEncoder
{
    private const int Texels = 16, FirstOneLine = 10, MostHalf = 31743;
    private const int HalfBias = 112 << 23;
    private const float SmallestHalf = 1f / 16384;

    private readonly bool signed;
    private readonly Effort effort;
    private readonly Bc7Fit fit = new();
    private readonly Bc7Partitions parts;
    private readonly LaneBuffer buffer = new(3 * Texels + 3 * Texels + 12 + Texels + 12 + 12);
    private F bestError, bestMode, bestPartition;

    /// <param name="signed">Whether values below 0 are kept.</param>
    /// <param name="effort">How long to search.</param>
    public Bc6Encoder(bool signed, Effort effort)
    {
        (this.signed, this.effort) = (signed, effort);
        parts = new Bc7Partitions(3, Pairs);
    }

    private int Pairs => effort switch { Effort.Best => 12, _ => 1 };

    private Span<F> X => buffer.Span[..(3 * Texels)];

    private Span<F> Masks => buffer.Span.Slice(3 * Texels, Texels);

    // Greatest index of each texel: half of all where the highest bit is not stored.
    private Span<F> Limits => buffer.Span.Slice(4 * Texels, Texels);

    private Span<F> BestIndices => buffer.Span.Slice(5 * Texels, Texels);

    private Span<F> BestCodes => buffer.Span.Slice(6 * Texels, 12);

    private Span<F> Indices => buffer.Span.Slice(6 * Texels + 12, Texels);

    private Span<F> Codes => buffer.Span.Slice(7 * Texels + 12, 12);

    private Span<F> Ends => buffer.Span.Slice(7 * Texels + 24, 12);

    /// <inheritdoc/>
    public override void Encode(ReadOnlySpan<F> texels, Span<byte> blocks)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(texels.Length, 3 * Texels);
        var x = X;
        for (int i = 0; i < 3 * Texels; i++)
            x[i] = OnScale(texels[i]);
        bestError = V.Create(float.PositiveInfinity);
        Limits.Fill(V.Create(15f));
        Limits[0] = V.Create(7f);
        bestPartition = F.Zero;
        fit.Start<Bc6ShapeOne>(x, Masks);
        Orient(1, F.Zero);
        TryModes<Bc6ShapeOne>(FirstOneLine, Bc6Tables.Modes.Length, F.Zero);
        parts.Prepare(x, 1 << 16);
        parts.RankTwo(32);
        for (int k = 0; k < Pairs; k++)
        {
            var partition = parts.Found[k];
            SetPartition(partition);
            fit.Start<Bc6ShapeTwo>(x, Masks);
            Orient(2, partition);
            TryModes<Bc6ShapeTwo>(0, effort == Effort.Draft ? 6 : FirstOneLine, partition);
        }
        Write(blocks);
    }

    /// <summary>A number as its half-precision pattern, with what lies between two of them, on the scale that ends are mixed on.</summary>
    private F OnScale(F value)
    {
        F size = V.MinNative(V.Abs(value), V.Create(65504f));
        F normal = V.ConvertToSingle(V.AsInt32(size) - V.Create(HalfBias)) * V.Create(1f / 8192);
        F pattern = Lanes.Select(V.LessThan(size, V.Create(SmallestHalf)), size * V.Create(16777216f), normal);
        pattern = V.MinNative(pattern, V.Create((float)MostHalf)) * V.Create(signed ? 32f / 31 : 64f / 31);
        var below = V.LessThan(value, F.Zero);
        return signed ? Lanes.Select(below, -pattern, pattern) : Lanes.Select(below, F.Zero, pattern);
    }

    private void SetPartition(F partitions)
    {
        Span<F> masks = Masks, limits = Limits;
        var flat = MemoryMarshal.Cast<F, float>(limits);
        limits.Fill(V.Create(7f));
        limits[0] = V.Create(3f);
        var bits = MemoryMarshal.Cast<F, uint>(masks);
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            int partition = (int)partitions[lane];
            uint second = Bc7Tables.TwoSubsets[partition];
            for (int i = 0; i < Texels; i++)
                bits[i * Lanes.Count + lane] = (second >> i & 1) == 1 ? uint.MaxValue : 0;
            flat[Bc7Tables.Anchor(2, partition, 1) * Lanes.Count + lane] = 3;
        }
    }

    // The first texel of a line is nearer to its first end: its highest index bit is not stored.
    private void Orient(int lines, F partitions)
    {
        var exact = MemoryMarshal.Cast<F, float>(fit.Exact);
        var x = MemoryMarshal.Cast<F, float>(X);
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            for (int line = 0; line < lines; line++)
            {
                int anchor = line == 0 ? 0 : Bc7Tables.Anchor(2, (int)partitions[lane], 1);
                float along = 0;
                for (int c = 0; c < 3; c++)
                {
                    float first = exact[(8 * line + c) * Lanes.Count + lane], second = exact[(8 * line + 4 + c) * Lanes.Count + lane];
                    along += (x[(Texels * c + anchor) * Lanes.Count + lane] - (first + second) / 2) * (second - first);
                }
                if (along <= 0)
                    continue;
                for (int c = 0; c < 3; c++)
                    (exact[(8 * line + c) * Lanes.Count + lane], exact[(8 * line + 4 + c) * Lanes.Count + lane])
                        = (exact[(8 * line + 4 + c) * Lanes.Count + lane], exact[(8 * line + c) * Lanes.Count + lane]);
            }
        }
    }

    private void TryModes<T>(int from, int to, F partition)
        where T : struct, IBc7Shape
    {
        for (int round = 0; round < (effort == Effort.Best ? 3 : 1); round++)
        {
            if (round > 0)
            {
                fit.Improve<T>(X, Masks);
                Orient(T.Subsets, partition);
            }
            for (int number = from; number < to; number++)
            {
                Quantise(Bc6Tables.Modes[number]);
                var error = Assign<T>();
                var better = V.LessThan(error, bestError);
                if (number == from || effort != Effort.Best)
                    Indices.CopyTo(fit.Indices);
                if (V.EqualsAll(better, F.Zero))
                    continue;
                bestError = Lanes.Select(better, error, bestError);
                bestMode = Lanes.Select(better, V.Create((float)number), bestMode);
                bestPartition = Lanes.Select(better, partition, bestPartition);
                Span<F> codes = Codes, kept = BestCodes, indices = Indices, best = BestIndices;
                for (int i = 0; i < 6 * T.Subsets; i++)
                    kept[i] = Lanes.Select(better, codes[i], kept[i]);
                for (int i = 0; i < Texels; i++)
                    best[i] = Lanes.Select(better, indices[i], best[i]);
            }
        }
    }

    /// <summary>Codes of all ends as a mode can say them, and what they decode to.</summary>
    private void Quantise(Bc6Mode mode)
    {
        Span<F> codes = Codes, ends = Ends, exact = fit.Exact;
        for (int c = 0; c < 3; c++)
        {
            var first = Code(exact[c], mode.Bits);
            int reach = 1 << (mode.Other(c) - 1);
            for (int end = 0; end < 2 * mode.Lines; end++)
            {
                var code = Code(exact[8 * (end / 2) + 4 * (end % 2) + c], mode.Bits);
                // What is too far from the first end is as near to itself as can be said.
                if (mode.HasDifferences && end > 0)
                    code = first + Lanes.Clamp(code - first, V.Create((float)-reach), V.Create(reach - 1f));
                codes[3 * end + c] = code;
                ends[3 * end + c] = Value(code, mode.Bits);
            }
        }
    }

    private F Code(F value, int bits)
    {
        if (signed)
        {
            F size = V.Floor(V.MinNative(V.Abs(value), V.Create(32767f)) * V.Create((1 << (bits - 1)) / 32768f));
            size = V.MinNative(size, V.Create((1 << (bits - 1)) - 1f));
            return Lanes.Select(V.LessThan(value, F.Zero), -size, size);
        }
        return Lanes.Clamp(V.Floor(value * V.Create((1 << bits) / 65536f)), F.Zero, V.Create((1 << bits) - 1f));
    }

    private F Value(F code, int bits)
    {
        if (signed)
        {
            F size = V.Abs(code), most = V.Create((1 << (bits - 1)) - 1f);
            F value = bits >= 16 ? size : V.Floor((size * V.Create(32768f) + V.Create(16384f)) * V.Create(1f / (1 << (bits - 1))));
            value = Lanes.Select(V.Equals(size, F.Zero), F.Zero, Lanes.Select(V.GreaterThanOrEqual(size, most), V.Create(32767f), value));
            return Lanes.Select(V.LessThan(code, F.Zero), -value, value);
        }
        if (bits >= 15)
            return code;
        F wide = V.Floor((code * V.Create(65536f) + V.Create(32768f)) * V.Create(1f / (1 << bits)));
        return Lanes.Select(V.Equals(code, F.Zero), F.Zero, Lanes.Select(V.Equals(code, V.Create((1 << bits) - 1f)), V.Create(65535f), wide));
    }

    private F Assign<T>()
        where T : struct, IBc7Shape
    {
        Span<F> ends = Ends, limits = Limits, indices = Indices, x = X, masks = Masks;
        F w0 = ends[0], w1 = ends[1], w2 = ends[2], x0 = ends[3] - w0, x1 = ends[4] - w1, x2 = ends[5] - w2;
        F y0 = F.Zero, y1 = F.Zero, y2 = F.Zero, z0 = F.Zero, z1 = F.Zero, z2 = F.Zero, scale2 = F.Zero;
        F steps = V.Create((float)T.Steps), scale = steps * Lanes.Inverse(Lanes.Fma(x0, x0, Lanes.Fma(x1, x1, x2 * x2)));
        if (T.Subsets == 2)
        {
            (y0, y1, y2) = (ends[6], ends[7], ends[8]);
            (z0, z1, z2) = (ends[9] - y0, ends[10] - y1, ends[11] - y2);
            scale2 = steps * Lanes.Inverse(Lanes.Fma(z0, z0, Lanes.Fma(z1, z1, z2 * z2)));
        }
        F spread = V.Create(64f / T.Steps), part = V.Create(1 / 64f), error = F.Zero;
        for (int i = 0; i < Texels; i++)
        {
            F a0 = w0, a1 = w1, a2 = w2, b0 = x0, b1 = x1, b2 = x2, turn = scale;
            if (T.Subsets == 2)
            {
                var second = masks[i];
                (a0, a1, a2) = (Lanes.Select(second, y0, w0), Lanes.Select(second, y1, w1), Lanes.Select(second, y2, w2));
                (b0, b1, b2) = (Lanes.Select(second, z0, x0), Lanes.Select(second, z1, x1), Lanes.Select(second, z2, x2));
                turn = Lanes.Select(second, scale2, scale);
            }
            F o0 = x[i] - a0, o1 = x[Texels + i] - a1, o2 = x[2 * Texels + i] - a2;
            var index = Lanes.Clamp(Lanes.Round(Lanes.Fma(o0, b0, Lanes.Fma(o1, b1, o2 * b2)) * turn), F.Zero, limits[i]);
            indices[i] = index;
            var weight = Lanes.Round(index * spread) * part;
            o0 -= weight * b0;
            o1 -= weight * b1;
            o2 -= weight * b2;
            error = Lanes.Fma(o0, o0, Lanes.Fma(o1, o1, Lanes.Fma(o2, o2, error)));
        }
        return error;
    }

    private static uint Turned(uint value, int count)
    {
        uint turned = 0;
        for (int bit = 0; bit < count; bit++)
            turned |= (value >> bit & 1) << (count - 1 - bit);
        return turned;
    }

    [SkipLocalsInit]
    private void Write(Span<byte> blocks)
    {
        ReadOnlySpan<float> codes = MemoryMarshal.Cast<F, float>(BestCodes), indices = MemoryMarshal.Cast<F, float>(BestIndices);
        Span<int> own = stackalloc int[12];
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            var mode = Bc6Tables.Modes[(int)bestMode[lane]];
            for (int end = 0; end < 2 * mode.Lines; end++)
                for (int c = 0; c < 3; c++)
                    own[3 * end + c] = (int)codes[(3 * end + c) * Lanes.Count + lane]
                        - (mode.HasDifferences && end > 0 ? (int)codes[c * Lanes.Count + lane] : 0);
            var bits = new BlockBits();
            bits.Put((uint)mode.Code, mode.CodeBits);
            foreach (var (channel, end, bit, count, isTurned) in mode.Pieces)
            {
                uint value = (uint)own[3 * end + channel] >> bit & ((1u << count) - 1);
                if (isTurned)
                    value = Turned(value, count);
                bits.Put(value, count);
            }
            int partition = (int)bestPartition[lane], width = mode.Lines == 2 ? 3 : 4;
            if (mode.Lines == 2)
                bits.Put((uint)partition, 5);
            int anchor = mode.Lines == 2 ? Bc7Tables.Anchor(2, partition, 1) : 0;
            for (int i = 0; i < Texels; i++)
                bits.Put((uint)indices[i * Lanes.Count + lane], i == 0 || i == anchor ? width - 1 : width);
            bits.CopyTo(blocks.Slice(16 * lane, 16));
        }
    }
}
