using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using U = System.Runtime.Intrinsics.Vector512<uint>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>
/// BC7: every block tries the modes that can help it, the ones of several lines with the partitions that leave least by estimate, and keeps what
/// leaves the least squared error.
/// </summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "BPTC compressed texture image formats".</remarks>
internal sealed class Bc7Encoder : BlockEncoder
{
    private const int Texels = 16;
    private const float GoodEnough = 16;

    // Share of its spread that a channel of few steps leaves.
    private const float AloneLeaves = 0.06f;

    private readonly Effort effort;
    private readonly F[] scales;
    private readonly Bc7Fit fit = new();
    private readonly Bc7Partitions opaqueParts, alphaParts;
    private readonly LaneBuffer buffer = new(4 * Texels + 4 * Texels + 2 * Texels + Bc7Fit.EndCount + 2 * Texels + 4 + Texels);
    private readonly F[] turnedScales = new F[4];
    private F bestError, bestMode, bestPartition, bestRotation, alphaError;

    /// <param name="effort">How long to search.</param>
    /// <param name="weights">What an error of each channel counts.</param>
    public Bc7Encoder(Effort effort, ReadOnlySpan<float> weights)
    {
        this.effort = effort;
        scales = [V.Create(MathF.Sqrt(weights[0])), V.Create(MathF.Sqrt(weights[1])), V.Create(MathF.Sqrt(weights[2])), V.Create(MathF.Sqrt(weights[3]))];
        int kept = Partitions;
        (opaqueParts, alphaParts) = (new Bc7Partitions(3, kept), new Bc7Partitions(4, kept));
    }

    private int Partitions => effort switch { Effort.Draft => 1, Effort.Normal => 2, _ => 12 };

    private Span<F> X => buffer.Span[..(4 * Texels)];

    private Span<F> Turned => buffer.Span.Slice(4 * Texels, 4 * Texels);

    private Span<F> Masks => buffer.Span.Slice(8 * Texels, 2 * Texels);

    private Span<F> BestEnds => buffer.Span.Slice(10 * Texels, Bc7Fit.EndCount);

    private Span<F> BestIndices => buffer.Span.Slice(10 * Texels + Bc7Fit.EndCount, Texels);

    private Span<F> BestAlone => buffer.Span.Slice(11 * Texels + Bc7Fit.EndCount, Texels);

    private Span<F> Alone => buffer.Span.Slice(12 * Texels + Bc7Fit.EndCount, Texels);

    private Span<F> AloneEnds => buffer.Span.Slice(13 * Texels + Bc7Fit.EndCount, 4);

    /// <inheritdoc/>
    [SkipLocalsInit]
    public override void Encode(ReadOnlySpan<F> texels, Span<byte> blocks)
    {
        var x = X;
        var seeThrough = F.Zero;
        alphaError = F.Zero;
        for (int i = 0; i < Texels; i++)
        {
            for (int c = 0; c < 4; c++)
                x[Texels * c + i] = texels[Texels * c + i] * scales[c];
            F lack = (V.Create(255f) - texels[3 * Texels + i]) * scales[3];
            alphaError = Lanes.Fma(lack, lack, alphaError);
        }
        seeThrough = V.GreaterThan(alphaError, F.Zero);
        bestError = V.Create(float.PositiveInfinity);
        TryLines<Bc7Shape6>(F.Zero, F.Zero, Rounds(2));
        if (!V.LessThanAll(bestError, V.Create(effort == Effort.Best ? 0.5f : GoodEnough)))
        {
            TryApart();
            if (!V.EqualsAll(seeThrough, F.AllBitsSet))
                TryOpaque();
            if (!V.EqualsAll(seeThrough, F.Zero))
                TryAlpha();
        }
        Bc7Writer.Write(texels, BestEnds, BestIndices, BestAlone, bestMode, bestPartition, bestRotation, blocks);
    }

    private int Rounds(int normal) => effort switch { Effort.Draft => 1, Effort.Normal => normal, _ => normal + 2 };

    private void TryOpaque()
    {
        opaqueParts.Prepare(X);
        opaqueParts.RankTwo();
        for (int k = 0; k < Partitions; k++)
        {
            SetTwo(opaqueParts.Found[k]);
            TryLines<Bc7Shape1>(opaqueParts.Found[k], alphaError, Rounds(1));
            if (k == 0 || effort == Effort.Best)
                TryLines<Bc7Shape3>(opaqueParts.Found[k], alphaError, Rounds(1), started: effort != Effort.Best);
        }
        if (effort != Effort.Best)
            return;
        opaqueParts.RankThree(64);
        for (int k = 0; k < Partitions; k++)
        {
            SetThree(opaqueParts.Found[k]);
            TryLines<Bc7Shape2>(opaqueParts.Found[k], alphaError, Rounds(1));
        }
        opaqueParts.RankThree(16);
        for (int k = 0; k < Partitions / 2; k++)
        {
            SetThree(opaqueParts.Found[k]);
            TryLines<Bc7Shape0>(opaqueParts.Found[k], alphaError, Rounds(1));
        }
    }

    private void TryAlpha()
    {
        alphaParts.Prepare(X);
        alphaParts.RankTwo();
        for (int k = 0; k < Partitions; k++)
        {
            SetTwo(alphaParts.Found[k]);
            TryLines<Bc7Shape7>(alphaParts.Found[k], F.Zero, Rounds(1));
        }
    }

    /// <summary>A channel that goes its own way gets its own line.</summary>
    private void TryApart()
    {
        if (effort == Effort.Best)
        {
            for (int rotation = 0; rotation < 4; rotation++)
                TryApart(V.Create((float)rotation));
            return;
        }
        TryApart(LikelyRotation());
    }

    private void TryApart(F rotation)
    {
        Turn(rotation);
        TryBeside<Bc7Shape5>(rotation, 3, 8);
        if (effort == Effort.Draft)
            return;
        TryBeside<Bc7Shape4>(rotation, 7, 6);
        TryBeside<Bc7Shape4Turned>(rotation + V.Create(4f), 3, 6);
    }

    /// <summary>The channel whose leaving makes the line of the others fit best; a closed alpha never leaves.</summary>
    private F LikelyRotation()
    {
        var s = LineSums.Of(ref MemoryMarshal.GetReference(X), four: true);
        F n = V.Create(-1f / Texels), least = F.Zero, chosen = F.Zero;
        for (int rotation = 0; rotation < 4; rotation++)
        {
            F fourth, third, trace;
            var (sum, square) = rotation switch { 0 => (s.W, s.Ww), 1 => (s.X, s.Xx), 2 => (s.Y, s.Yy), _ => (s.Z, s.Zz) };
            if (rotation == 0)
                Bc7Partitions.Line(s.X, s.Y, s.Z, s.Xx, s.Xy, s.Xz, s.Yy, s.Yz, s.Zz, Texels, out fourth, out third, out trace);
            else if (rotation == 1)
                Bc7Partitions.Line(s.W, s.Y, s.Z, s.Ww, s.Yw, s.Zw, s.Yy, s.Yz, s.Zz, Texels, out fourth, out third, out trace);
            else if (rotation == 2)
                Bc7Partitions.Line(s.X, s.W, s.Z, s.Xx, s.Xw, s.Xz, s.Ww, s.Zw, s.Zz, Texels, out fourth, out third, out trace);
            else
                Bc7Partitions.Line(s.X, s.Y, s.W, s.Xx, s.Xy, s.Xw, s.Yy, s.Yw, s.Ww, Texels, out fourth, out third, out trace);
            var left = Lanes.Fma(Lanes.Fma(sum * n, sum, square), V.Create(AloneLeaves), trace - fourth / third);
            if (rotation == 0)
                left = Lanes.Select(V.GreaterThan(alphaError, F.Zero), left, V.Create(float.PositiveInfinity));
            var better = rotation == 0 ? F.AllBitsSet : V.LessThan(left, least);
            least = Lanes.Select(better, left, least);
            chosen = Lanes.Select(better, V.Create((float)rotation), chosen);
        }
        return chosen;
    }

    private void Turn(F rotation)
    {
        Span<F> turned = Turned, x = X;
        F first = V.Equals(rotation, V.Create(1f)), second = V.Equals(rotation, V.Create(2f)), third = V.Equals(rotation, V.Create(3f));
        for (int i = 0; i < Texels; i++)
        {
            F r = x[i], g = x[Texels + i], b = x[2 * Texels + i], a = x[3 * Texels + i];
            turned[i] = Lanes.Select(first, a, r);
            turned[Texels + i] = Lanes.Select(second, a, g);
            turned[2 * Texels + i] = Lanes.Select(third, a, b);
            turned[3 * Texels + i] = Lanes.Select(first, r, Lanes.Select(second, g, Lanes.Select(third, b, a)));
        }
        turnedScales[0] = Lanes.Select(first, scales[3], scales[0]);
        turnedScales[1] = Lanes.Select(second, scales[3], scales[1]);
        turnedScales[2] = Lanes.Select(third, scales[3], scales[2]);
        turnedScales[3] = Lanes.Select(first, scales[0], Lanes.Select(second, scales[1], Lanes.Select(third, scales[2], scales[3])));
    }

    private void SetTwo(F partitions)
    {
        Span<uint> bits = stackalloc uint[Lanes.Count];
        for (int lane = 0; lane < Lanes.Count; lane++)
            bits[lane] = Bc7Tables.TwoSubsets[(int)partitions[lane]];
        SetMasks(bits, Masks);
    }

    private void SetThree(F partitions)
    {
        Span<uint> second = stackalloc uint[Lanes.Count], third = stackalloc uint[Lanes.Count];
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            second[lane] = third[lane] = 0;
            for (int i = 0; i < Texels; i++)
            {
                int subset = Bc7Tables.Subset(3, (int)partitions[lane], i);
                second[lane] |= subset == 1 ? 1u << i : 0;
                third[lane] |= subset == 2 ? 1u << i : 0;
            }
        }
        SetMasks(second, Masks);
        SetMasks(third, Masks[Texels..]);
    }

    private static void SetMasks(ReadOnlySpan<uint> bits, Span<F> masks)
    {
        U all = V.Create(bits), one = V.Create(1u);
        for (int i = 0; i < Texels; i++)
            masks[i] = V.AsSingle(V.Equals(V.ShiftRightLogical(all, i) & one, one));
    }

    private void TryLines<T>(F partition, F penalty, int rounds, bool started = false)
        where T : struct, IBc7Shape
    {
        // Ends of another mode with the same partition are as good a beginning.
        if (!started)
            fit.Start<T>(X, Masks);
        for (int round = 0; round < rounds; round++)
        {
            if (round > 0)
                fit.Improve<T>(X, Masks);
            var error = fit.Assign<T>(X, Masks, scales) + penalty;
            var better = V.LessThan(error, bestError);
            if (V.EqualsAll(better, F.Zero))
                continue;
            Take<T>(better, error, partition, F.Zero);
        }
    }

    private void TryBeside<T>(F rotation, int steps, int bits)
        where T : struct, IBc7Shape
    {
        fit.Start<T>(Turned, Masks);
        var aloneError = FitAlone(steps, bits);
        for (int round = 0; round < Rounds(1); round++)
        {
            if (round > 0)
                fit.Improve<T>(Turned, Masks);
            var error = fit.Assign<T>(Turned, Masks, turnedScales) + aloneError;
            var better = V.LessThan(error, bestError);
            if (V.EqualsAll(better, F.Zero))
                continue;
            Take<T>(better, error, F.Zero, rotation);
            Span<F> ends = BestEnds, own = AloneEnds, indices = BestAlone, alone = Alone;
            ends[3] = Lanes.Select(better, own[0], ends[3]);
            ends[7] = Lanes.Select(better, own[1], ends[7]);
            for (int i = 0; i < Texels; i++)
                indices[i] = Lanes.Select(better, alone[i], indices[i]);
        }
    }

    private void Take<T>(F better, F error, F partition, F rotation)
        where T : struct, IBc7Shape
    {
        bestError = Lanes.Select(better, error, bestError);
        bestMode = Lanes.Select(better, V.Create((float)T.Mode), bestMode);
        bestPartition = Lanes.Select(better, partition, bestPartition);
        bestRotation = Lanes.Select(better, rotation, bestRotation);
        Span<F> from = fit.Ends, to = BestEnds, indices = fit.Indices, kept = BestIndices;
        for (int subset = 0; subset < T.Subsets; subset++)
            for (int end = 0; end < 2; end++)
                for (int c = 0; c < T.Channels; c++)
                    to[8 * subset + 4 * end + c] = Lanes.Select(better, from[8 * subset + 4 * end + c], to[8 * subset + 4 * end + c]);
        for (int i = 0; i < Texels; i++)
            kept[i] = Lanes.Select(better, indices[i], kept[i]);
    }

    /// <summary>Ends and indices of the channel that stands alone.</summary>
    private F FitAlone(int steps, int bits)
    {
        Span<F> own = Turned.Slice(3 * Texels, Texels), ends = AloneEnds, alone = Alone;
        F scale = turnedScales[3], low = own[0], high = own[0];
        for (int i = 1; i < Texels; i++)
        {
            low = V.MinNative(low, own[i]);
            high = V.MaxNative(high, own[i]);
        }
        F best = V.Create(float.PositiveInfinity), count = V.Create((float)steps), spread = V.Create(64f / steps), part = V.Create(1 / 64f);
        Span<F> tried = stackalloc F[Texels];
        for (int round = 0; round < Rounds(1) + 1; round++)
        {
            F first = Bc7Ends.Stored(low / scale, bits), second = Bc7Ends.Stored(high / scale, bits), from = first * scale, line = second * scale - from;
            F turn = count * Lanes.Inverse(line), error = F.Zero, w = F.Zero, bb = F.Zero, bx = F.Zero, all = F.Zero;
            for (int i = 0; i < Texels; i++)
            {
                var index = Lanes.Clamp(Lanes.Round((own[i] - from) * turn), F.Zero, count);
                tried[i] = index;
                F weight = Lanes.Round(index * spread) * part, off = own[i] - from - weight * line;
                error = Lanes.Fma(off, off, error);
                w += weight;
                bb = Lanes.Fma(weight, weight, bb);
                bx = Lanes.Fma(weight, own[i], bx);
                all += own[i];
            }
            var better = V.LessThan(error, best);
            best = Lanes.Select(better, error, best);
            ends[0] = Lanes.Select(better, first, ends[0]);
            ends[1] = Lanes.Select(better, second, ends[1]);
            for (int i = 0; i < Texels; i++)
                alone[i] = Lanes.Select(better, tried[i], alone[i]);
            F ab = w - bb, aa = V.Create((float)Texels) - w - ab, f = Lanes.Inverse(aa * bb - ab * ab), ax = all - bx;
            low = (ax * bb - bx * ab) * f;
            high = (bx * aa - ax * ab) * f;
        }
        return best;
    }
}
