using System.Buffers.Binary;
using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>
/// The colour block of BC1, BC2 and BC3: two 5:6:5 ends and a 2-bit index a texel. Texels are sorted along their greatest spread, and of all
/// ways to cut that order into the colours of a palette the one whose best ends leave least is found, without rounding; its ends are
/// then rounded together and the indices given anew, as long as that helps.
/// </summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "S3TC compressed texture image formats"; least squares over ordered clusters after
/// S. Brown, "DXT compression techniques", 2006.</remarks>
internal sealed class Bc1Encoder : BlockEncoder
{
    private const int Texels = 16;
    private const float Nearness = 0.02f;
    private const float Smooth = 200;
    private static readonly (byte First, byte Second)[] Solid5 = SolidTable(31), Solid6 = SolidTable(63);
    private static readonly Cuts ByFour = new(3), ByThree = new(2);
    private static readonly (int Low, int High)[] Network = SortingNetwork();

    private readonly LaneBuffer buffer = new(16 + 3 * 16 * 2 + 16 + 3 * 17 + 16 * 3);
    private readonly F weightX, weightY, weightZ;
    private readonly Vector3 weights;
    private readonly Bc1Use use;
    private readonly Effort effort;

    /// <param name="use">Which palettes may be used.</param>
    /// <param name="effort">How long to search.</param>
    /// <param name="weights">What an error of each channel counts, relative to the others.</param>
    public Bc1Encoder(Bc1Use use, Effort effort, Vector3 weights)
    {
        (this.use, this.effort) = (use, effort);
        this.weights = Vector3.SquareRoot(weights);
        (weightX, weightY, weightZ) = (V.Create(this.weights.X), V.Create(this.weights.Y), V.Create(this.weights.Z));
    }

    private Span<F> Opaque => buffer.Span[..16];

    private Span<F> Centred => buffer.Span.Slice(16, 48);

    private Span<F> Sorted => buffer.Span.Slice(64, 48);

    private Span<F> Keys => buffer.Span.Slice(112, 16);

    private Span<F> Sums => buffer.Span.Slice(128, 51);

    private Span<F> TrialSteps => buffer.Span.Slice(179, 16);

    private Span<F> BestSteps => buffer.Span.Slice(195, 16);

    /// <inheritdoc/>
    public override void Encode(ReadOnlySpan<F> texels, Span<byte> blocks) => Encode(texels, blocks, 8);

    /// <summary>The same with <paramref name="stride"/> bytes from block to block.</summary>
    [SkipLocalsInit]
    public void Encode(ReadOnlySpan<F> texels, Span<byte> blocks, int stride)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(texels.Length, 3 * Texels);
        var mean = Centre(texels, out var seeThrough);
        var axis = Axis(Centred, effort == Effort.Draft ? 3 : 6);
        var best = new Fit { Error = V.Create(float.PositiveInfinity) };
        int rounds = effort == Effort.Best ? 2 : 1;
        for (int round = 0; round < rounds; round++)
        {
            Sort(axis);
            if (use != Bc1Use.FourOnly)
                Try(ByThree, mean, F.Zero, ref best);
            Try(ByFour, mean, seeThrough, ref best);
            axis = best.Second - best.First;
        }
        if (effort != Effort.Draft)
            Nudge(mean, ref best);
        Write(texels, best, blocks, stride);
    }

    // Texels less their mean; where there are holes, holes lie in the mean of the others and count for nothing.
    private Colour3 Centre(ReadOnlySpan<F> texels, out F seeThrough)
    {
        Span<F> keep = Opaque, centred = Centred;
        var count = F.Zero;
        var mean = default(Colour3);
        for (int i = 0; i < Texels; i++)
        {
            keep[i] = use == Bc1Use.Cutout ? Lanes.Select(V.LessThan(texels[3 * Texels + i], V.Create(127.5f)), F.Zero, F.One) : F.One;
            count += keep[i];
            mean += new Colour3(texels[i] * weightX, texels[Texels + i] * weightY, texels[2 * Texels + i] * weightZ) * keep[i];
        }
        seeThrough = V.LessThan(count, V.Create((float)Texels));
        mean *= Lanes.Inverse(count);
        for (int i = 0; i < Texels; i++)
        {
            centred[i] = (texels[i] * weightX - mean.X) * keep[i];
            centred[Texels + i] = (texels[Texels + i] * weightY - mean.Y) * keep[i];
            centred[2 * Texels + i] = (texels[2 * Texels + i] * weightZ - mean.Z) * keep[i];
        }
        return mean;
    }

    /// <summary>Direction of greatest spread of centred texels, of no particular length.</summary>
    internal static Colour3 Axis(ReadOnlySpan<F> centred, int rounds)
    {
        F xx = F.Zero, xy = F.Zero, xz = F.Zero, yy = F.Zero, yz = F.Zero, zz = F.Zero;
        for (int i = 0; i < Texels; i++)
        {
            F x = centred[i], y = centred[Texels + i], z = centred[2 * Texels + i];
            xx = Lanes.Fma(x, x, xx);
            xy = Lanes.Fma(x, y, xy);
            xz = Lanes.Fma(x, z, xz);
            yy = Lanes.Fma(y, y, yy);
            yz = Lanes.Fma(y, z, yz);
            zz = Lanes.Fma(z, z, zz);
        }
        // The longest row of the covariance is never orthogonal to the axis.
        F byY = V.GreaterThan(yy, xx), byZ = V.GreaterThan(zz, V.MaxNative(xx, yy));
        var axis = new Colour3(
            Lanes.Select(byZ, xz, Lanes.Select(byY, xy, xx)), Lanes.Select(byZ, yz, Lanes.Select(byY, yy, xy)),
            Lanes.Select(byZ, zz, Lanes.Select(byY, yz, xz)));
        for (int round = 0; round < rounds; round++)
        {
            axis *= Lanes.Inverse(V.MaxNative(V.Abs(axis.X), V.MaxNative(V.Abs(axis.Y), V.Abs(axis.Z))));
            axis = new Colour3(
                Lanes.Fma(xx, axis.X, Lanes.Fma(xy, axis.Y, xz * axis.Z)), Lanes.Fma(xy, axis.X, Lanes.Fma(yy, axis.Y, yz * axis.Z)),
                Lanes.Fma(xz, axis.X, Lanes.Fma(yz, axis.Y, zz * axis.Z)));
        }
        return axis;
    }

    private void Sort(Colour3 axis)
    {
        Span<F> centred = Centred, sorted = Sorted, keys = Keys, sums = Sums;
        centred.CopyTo(sorted);
        for (int i = 0; i < Texels; i++)
            keys[i] = Lanes.Fma(centred[i], axis.X, Lanes.Fma(centred[Texels + i], axis.Y, centred[2 * Texels + i] * axis.Z));
        foreach (var (low, high) in Network)
        {
            var swap = V.GreaterThan(keys[low], keys[high]);
            Exchange(ref keys[low], ref keys[high], swap);
            Exchange(ref sorted[low], ref sorted[high], swap);
            Exchange(ref sorted[Texels + low], ref sorted[Texels + high], swap);
            Exchange(ref sorted[2 * Texels + low], ref sorted[2 * Texels + high], swap);
        }
        for (int c = 0; c < 3; c++)
        {
            sums[17 * c] = F.Zero;
            for (int i = 0; i < Texels; i++)
                sums[17 * c + i + 1] = sums[17 * c + i] + sorted[Texels * c + i];
        }
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static void Exchange(ref F a, ref F b, F swap) => (a, b) = (Lanes.Select(swap, b, a), Lanes.Select(swap, a, b));

    /// <summary>Finds the best cut of the order into a palette's colours, and improves on it.</summary>
    private void Try(Cuts cuts, Colour3 mean, F forbidden, ref Fit best)
    {
        var steps = V.Create((float)cuts.Steps);
        var (first, second) = EndsOf(cuts, BestCut(cuts, out var gain));
        var ends = (First: Quantise(first + mean), Second: Quantise(second + mean));
        Keep(Assign(ends.First, ends.Second, mean, steps, out var squares), forbidden, ref best);
        if (effort == Effort.Draft)
            return;
        ends = BestRoundedCut(cuts, mean, best.Error, ends, gain);
        Keep(Assign(ends.First, ends.Second, mean, steps, out squares), forbidden, ref best);
        for (int round = 0; round < (effort == Effort.Normal ? 1 : 3); round++)
        {
            ends = Solve(squares, mean);
            Keep(Assign(ends.First, ends.Second, mean, steps, out squares), forbidden, ref best);
        }
    }

    /// <summary>The ends that serve each block's cut best, less the mean.</summary>
    private (Colour3 First, Colour3 Second) EndsOf(Cuts cuts, F found)
    {
        var sums = MemoryMarshal.Cast<F, float>(Sums);
        Span<F> ends = stackalloc F[6];
        var flat = MemoryMarshal.Cast<F, float>(ends);
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            var cut = cuts.All[(int)found[lane]];
            for (int c = 0; c < 3; c++)
            {
                float sum = sums[(17 * c + cut.I) * Lanes.Count + lane] + sums[(17 * c + cut.J) * Lanes.Count + lane];
                if (cuts.Steps == 3)
                    sum += sums[(17 * c + cut.K) * Lanes.Count + lane];
                flat[c * Lanes.Count + lane] = sum * cut.First;
                flat[(3 + c) * Lanes.Count + lane] = sum * cut.Second;
            }
        }
        return (new Colour3(ends[0], ends[1], ends[2]), new Colour3(ends[3], ends[4], ends[5]));
    }

    /// <summary>Of all cuts whose exact ends might still beat what is there, the one whose rounded ends leave least.</summary>
    private (Colour3 First, Colour3 Second) BestRoundedCut(Cuts cuts, Colour3 mean, F least, (Colour3 First, Colour3 Second) ends, F gain)
    {
        Span<F> sums = Sums, centred = Centred;
        var total = F.Zero;
        foreach (var value in centred)
            total = Lanes.Fma(value, value, total);
        // Where texels differ by less than codes do, which cut it is hardly matters: nudging the codes finds more in less time.
        if (effort == Effort.Normal)
            least = Lanes.Select(V.LessThan(total, V.Create(Smooth)), F.Zero, least);
        // In a hurry only those are tried whose exact ends are nearer to the best exact ones than to what is to be beaten.
        var part = V.Create(effort == Effort.Best ? 1f : Nearness);
        F floor = V.MaxNative(total - gain, F.Zero);
        var (first, second) = ends;
        var all = cuts.All;
        int at = 0;
        foreach (var (from, to, i, j) in cuts.Pairs)
        {
            var pair = new Colour3(sums[i] + sums[j], sums[17 + i] + sums[17 + j], sums[34 + i] + sums[34 + j]);
            for (int k = from; k <= to; k++, at++)
            {
                var sum = cuts.Steps == 3 ? pair + new Colour3(sums[k], sums[17 + k], sums[34 + k]) : pair;
                ref readonly var cut = ref all[at];
                if (V.GreaterThanOrEqualAll(total - sum.Dot(sum) * V.Create(cut.Gain), Lanes.Fma(least - floor, part, floor)))
                    continue;
                var error = total;
                var (x0, x1) = RoundEnds(cut, sum.X, mean.X, weightX, 31, ref error);
                var (y0, y1) = RoundEnds(cut, sum.Y, mean.Y, weightY, 63, ref error);
                var (z0, z1) = RoundEnds(cut, sum.Z, mean.Z, weightZ, 31, ref error);
                var better = V.LessThan(error, least);
                least = Lanes.Select(better, error, least);
                first = Colour3.Select(better, new Colour3(x0, y0, z0), first);
                second = Colour3.Select(better, new Colour3(x1, y1, z1), second);
            }
        }
        return (first, second);
    }

    // Each exact end lies between two codes: the best of the four pairs.
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static (F First, F Second) RoundEnds(in Cut cut, F sum, F mean, F weight, int most, ref F error)
    {
        F codes = V.Create((float)most), scale = codes / (V.Create(255f) * weight), twice = sum * V.Create(cut.Twice), cross = V.Create(cut.Cross);
        F a = V.Floor(Lanes.Clamp(Lanes.Fma(sum, V.Create(cut.First), mean) * scale, F.Zero, codes));
        F b = V.Floor(Lanes.Clamp(Lanes.Fma(sum, V.Create(cut.Second), mean) * scale, F.Zero, codes));
        F a0 = Lanes.Fma(Expand(a, most), weight, -mean), a1 = Lanes.Fma(Expand(V.MinNative(a + F.One, codes), most), weight, -mean);
        F b0 = Lanes.Fma(Expand(b, most), weight, -mean), b1 = Lanes.Fma(Expand(V.MinNative(b + F.One, codes), most), weight, -mean);
        F ofA0 = a0 * Lanes.Fma(a0, V.Create(cut.Aa), -twice), ofA1 = a1 * Lanes.Fma(a1, V.Create(cut.Aa), -twice);
        F ofB0 = b0 * Lanes.Fma(b0, V.Create(cut.Bb), twice), ofB1 = b1 * Lanes.Fma(b1, V.Create(cut.Bb), twice);
        F e00 = Lanes.Fma(a0 * b0, cross, ofA0 + ofB0), e01 = Lanes.Fma(a0 * b1, cross, ofA0 + ofB1);
        F e10 = Lanes.Fma(a1 * b0, cross, ofA1 + ofB0), e11 = Lanes.Fma(a1 * b1, cross, ofA1 + ofB1);
        F with0 = V.MinNative(e00, e01), with1 = V.MinNative(e10, e11);
        F upA = V.LessThan(with1, with0), upB = Lanes.Select(upA, V.LessThan(e11, e10), V.LessThan(e01, e00));
        error += V.MinNative(with0, with1);
        return (Lanes.Select(upA, a1, a0) + mean, Lanes.Select(upB, b1, b0) + mean);
    }

    private void Keep(Fit fit, F forbidden, ref Fit best)
    {
        fit.Error = Lanes.Select(forbidden, V.Create(float.PositiveInfinity), fit.Error);
        Take(ref best, fit);
    }

    private F BestCut(Cuts cuts, out F most)
    {
        var sums = Sums;
        var found = F.Zero;
        most = V.Create(-1f);
        var all = cuts.All;
        int at = 0;
        ref var x = ref sums[0];
        ref var y = ref sums[17];
        ref var z = ref sums[34];
        foreach (var (from, to, i, j) in cuts.Pairs)
        {
            F px = Unsafe.Add(ref x, i) + Unsafe.Add(ref x, j), py = Unsafe.Add(ref y, i) + Unsafe.Add(ref y, j);
            F pz = Unsafe.Add(ref z, i) + Unsafe.Add(ref z, j);
            for (int k = from; k <= to; k++, at++)
            {
                F sx = px, sy = py, sz = pz;
                if (cuts.Steps == 3)
                {
                    sx += Unsafe.Add(ref x, k);
                    sy += Unsafe.Add(ref y, k);
                    sz += Unsafe.Add(ref z, k);
                }
                var gain = Lanes.Fma(sx, sx, Lanes.Fma(sy, sy, sz * sz)) * V.Create(all[at].Gain);
                var better = V.GreaterThan(gain, most);
                most = Lanes.Select(better, gain, most);
                found = Lanes.Select(better, V.Create((float)at), found);
            }
        }
        return found;
    }

    /// <summary>Gives every texel its nearest colour and gathers what least squares needs. Ends are as they decode, times their weights.</summary>
    [SkipLocalsInit]
    private Fit Assign(Colour3 first, Colour3 second, Colour3 mean, F steps, out Squares squares)
    {
        Span<F> centred = Centred, keep = Opaque, chosen = TrialSteps;
        Colour3 a = first - mean, line = second - first;
        var scale = steps * Lanes.Inverse(line.Dot(line));
        var share = F.One / steps;
        // Colours between the ends are rounded, as the card rounds them.
        Colour3 whole = new(F.One / weightX, F.One / weightY, F.One / weightZ), from = first, error3 = default;
        squares = default;
        var cut = use == Bc1Use.Cutout;
        for (int i = 0; i < Texels; i++)
        {
            var texel = new Colour3(centred[i], centred[Texels + i], centred[2 * Texels + i]);
            var step = Lanes.Clamp(Lanes.Round((texel - a).Dot(line) * scale), F.Zero, steps);
            chosen[i] = step;
            var w = step * share;
            Colour3 drawn = new(
                Lanes.Round(Lanes.Fma(line.X, w, from.X) * whole.X) * weightX - mean.X,
                Lanes.Round(Lanes.Fma(line.Y, w, from.Y) * whole.Y) * weightY - mean.Y,
                Lanes.Round(Lanes.Fma(line.Z, w, from.Z) * whole.Z) * weightZ - mean.Z);
            var off = texel - drawn;
            if (cut)
                off *= keep[i];
            error3 = new Colour3(Lanes.Fma(off.X, off.X, error3.X), Lanes.Fma(off.Y, off.Y, error3.Y), Lanes.Fma(off.Z, off.Z, error3.Z));
            F v = F.One - w, wk = cut ? w * keep[i] : w, vk = cut ? v * keep[i] : v;
            squares.Bb = Lanes.Fma(wk, w, squares.Bb);
            squares.Ab = Lanes.Fma(wk, v, squares.Ab);
            squares.Aa = Lanes.Fma(vk, v, squares.Aa);
            squares.A = squares.A.Plus(texel, vk);
            squares.B = squares.B.Plus(texel, wk);
        }
        return new Fit { Error = error3.X + error3.Y + error3.Z, First = first, Second = second, Steps = steps };
    }

    private void Take(ref Fit best, Fit fit)
    {
        var better = V.LessThan(fit.Error, best.Error);
        if (better == F.Zero)
            return;
        best.Error = Lanes.Select(better, fit.Error, best.Error);
        best.First = Colour3.Select(better, fit.First, best.First);
        best.Second = Colour3.Select(better, fit.Second, best.Second);
        best.Steps = Lanes.Select(better, fit.Steps, best.Steps);
        Span<F> kept = BestSteps, chosen = TrialSteps;
        for (int i = 0; i < Texels; i++)
            kept[i] = Lanes.Select(better, chosen[i], kept[i]);
    }

    /// <summary>The ends that serve given indices best, rounded together: of nine pairs around the exact answer the best, channel by channel.</summary>
    private (Colour3 First, Colour3 Second) Solve(in Squares s, Colour3 mean)
    {
        var f = Lanes.Inverse(s.Aa * s.Bb - s.Ab * s.Ab);
        Colour3 a = (s.A * s.Bb - s.B * s.Ab) * f, b = (s.B * s.Aa - s.A * s.Ab) * f;
        var (x0, x1) = SolveChannel(s, a.X, b.X, s.A.X, s.B.X, mean.X, weightX, 31);
        var (y0, y1) = SolveChannel(s, a.Y, b.Y, s.A.Y, s.B.Y, mean.Y, weightY, 63);
        var (z0, z1) = SolveChannel(s, a.Z, b.Z, s.A.Z, s.B.Z, mean.Z, weightZ, 31);
        return (new Colour3(x0, y0, z0), new Colour3(x1, y1, z1));
    }

    private static (F First, F Second) SolveChannel(in Squares s, F a, F b, F ax, F bx, F mean, F weight, int most)
    {
        F codes = V.Create((float)most), scale = codes / (V.Create(255f) * weight);
        F qa = Lanes.Round((a + mean) * scale), qb = Lanes.Round((b + mean) * scale), least = V.Create(float.PositiveInfinity), first = F.Zero, second = F.Zero;
        for (int move = 0; move < 9; move++)
        {
            F ta = Expand(Lanes.Clamp(qa + V.Create((float)(move % 3 - 1)), F.Zero, codes), most) * weight;
            F tb = Expand(Lanes.Clamp(qb + V.Create((float)(move / 3 - 1)), F.Zero, codes), most) * weight;
            F ca = ta - mean, cb = tb - mean;
            var error = Lanes.Fma(ca, Lanes.Fma(s.Aa, ca, s.Ab * cb * V.Create(2f) - ax * V.Create(2f)), cb * Lanes.Fma(s.Bb, cb, bx * V.Create(-2f)));
            var better = V.LessThan(error, least);
            least = Lanes.Select(better, error, least);
            first = Lanes.Select(better, ta, first);
            second = Lanes.Select(better, tb, second);
        }
        return (first, second);
    }

    // One code up or down in each channel of each end, twice over.
    private void Nudge(Colour3 mean, ref Fit best)
    {
        for (int move = 0; move < (effort == Effort.Best ? 24 : 12); move++)
        {
            int channel = move % 3, way = move / 3 % 2 == 0 ? 1 : -1;
            var step = new Colour3(
                channel == 0 ? V.Create(way * weights.X * 255 / 31f) : F.Zero, channel == 1 ? V.Create(way * weights.Y * 255 / 63f) : F.Zero,
                channel == 2 ? V.Create(way * weights.Z * 255 / 31f) : F.Zero);
            bool ofFirst = move % 12 < 6;
            var fit = Assign(ofFirst ? Quantise(best.First + step) : best.First, ofFirst ? best.Second : Quantise(best.Second + step), mean, best.Steps, out _);
            Take(ref best, fit);
        }
    }

    private Colour3 Quantise(Colour3 c) => new(
        Expand(Code(c.X, weights.X, 31), 31) * weightX, Expand(Code(c.Y, weights.Y, 63), 63) * weightY, Expand(Code(c.Z, weights.Z, 31), 31) * weightZ);

    private static F Code(F value, float weight, int most) =>
        Lanes.Clamp(Lanes.Round(value * V.Create(most / (255 * weight))), F.Zero, V.Create((float)most));

    // Five or six bits widened to eight by repeating the highest.
    private static F Expand(F code, int most) => most == 31
        ? Lanes.Fma(code, V.Create(8f), V.Floor(code * V.Create(0.25f))) : Lanes.Fma(code, V.Create(4f), V.Floor(code * V.Create(0.0625f)));

    private void Write(ReadOnlySpan<F> texels, in Fit best, Span<byte> blocks, int stride)
    {
        Span<F> codes = stackalloc F[6];
        Colour3 a = best.First, b = best.Second;
        (codes[0], codes[1], codes[2]) = (Code(a.X, weights.X, 31), Code(a.Y, weights.Y, 63), Code(a.Z, weights.Z, 31));
        (codes[3], codes[4], codes[5]) = (Code(b.X, weights.X, 31), Code(b.Y, weights.Y, 63), Code(b.Z, weights.Z, 31));
        Span<F> keep = Opaque, steps = BestSteps;
        // Index 0 is the first end, 1 the second, and those between follow; 3 of the short palette is the hole.
        var indices = System.Runtime.Intrinsics.Vector512<uint>.Zero;
        var solid = V.Equals(texels[0], texels[0]);
        for (int i = 0; i < Texels; i++)
        {
            var step = steps[i];
            var index = Lanes.Select(V.Equals(step, F.Zero), F.Zero, Lanes.Select(V.Equals(step, best.Steps), F.One, step + F.One));
            index = Lanes.Select(V.Equals(keep[i], F.Zero), V.Create(3f), index);
            indices |= V.ShiftLeft(V.ConvertToUInt32Native(index), 2 * i);
            solid &= V.Equals(texels[i], texels[0]) & V.Equals(texels[Texels + i], texels[Texels]) & V.Equals(texels[2 * Texels + i], texels[2 * Texels]);
            solid &= V.Equals(keep[i], F.One);
        }
        ulong whole = V.ExtractMostSignificantBits(solid);
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            var block = blocks.Slice(lane * stride, 8);
            if ((whole >> lane & 1) == 1)
            {
                WriteSolid(Byte(texels[0][lane]), Byte(texels[Texels][lane]), Byte(texels[2 * Texels][lane]), block);
                continue;
            }
            int first = (int)codes[0][lane] << 11 | (int)codes[1][lane] << 5 | (int)codes[2][lane];
            int second = (int)codes[3][lane] << 11 | (int)codes[4][lane] << 5 | (int)codes[5][lane];
            uint bits = indices[lane];
            bool four = best.Steps[lane] == 3;
            if (four && first == second)
                bits = 0;
            if (four ? first < second : first > second)
            {
                (first, second) = (second, first);
                // Both ends change places, and in the long palette the two between them.
                bits ^= four ? 0x55555555 : 0x55555555 & ~(bits >> 1);
            }
            BinaryPrimitives.WriteUInt16LittleEndian(block, (ushort)first);
            BinaryPrimitives.WriteUInt16LittleEndian(block[2..], (ushort)second);
            BinaryPrimitives.WriteUInt32LittleEndian(block[4..], bits);
        }
    }

    private static int Byte(float value) => (int)(value + 0.5f);

    private static void WriteSolid(int red, int green, int blue, Span<byte> block)
    {
        var (r, g, b) = (Solid5[red], Solid6[green], Solid5[blue]);
        int first = r.First << 11 | g.First << 5 | b.First, second = r.Second << 11 | g.Second << 5 | b.Second;
        // All texels at one third of the way.
        uint indices = first == second ? 0u : 0xaaaaaaaa;
        if (first < second)
        {
            (first, second) = (second, first);
            indices = 0xffffffff;
        }
        BinaryPrimitives.WriteUInt16LittleEndian(block, (ushort)first);
        BinaryPrimitives.WriteUInt16LittleEndian(block[2..], (ushort)second);
        BinaryPrimitives.WriteUInt32LittleEndian(block[4..], indices);
    }

    private static (byte, byte)[] SolidTable(int largest)
    {
        var table = new (byte, byte)[256];
        for (int value = 0; value < 256; value++)
        {
            int best = int.MaxValue;
            for (int a = 0; a <= largest; a++)
            {
                for (int b = 0; b <= largest; b++)
                {
                    int ea = largest == 31 ? a << 3 | a >> 2 : a << 2 | a >> 4, eb = largest == 31 ? b << 3 | b >> 2 : b << 2 | b >> 4;
                    // Close ends break ties: cards differ in how they round between far ones.
                    int cost = Math.Abs((2 * ea + eb + 1) / 3 - value) * 1000 + Math.Abs(ea - eb);
                    if (cost < best)
                        (best, table[value]) = (cost, ((byte)a, (byte)b));
                }
            }
        }
        return table;
    }

    // Pairs to compare, after K. E. Batcher, "Sorting networks and their applications", 1968: odd-even merging.
    private static (int, int)[] SortingNetwork()
    {
        var pairs = new List<(int, int)>();
        for (int p = 1; p < Texels; p *= 2)
            for (int k = p; k >= 1; k /= 2)
                for (int j = k % p; j + k < Texels; j += 2 * k)
                    for (int i = 0; i < Math.Min(k, Texels - j - k); i++)
                        if ((i + j) / (2 * p) == (i + j + k) / (2 * p))
                            pairs.Add((i + j, i + j + k));
        return [.. pairs];
    }

    private struct Fit
    {
        public F Error;
        public Colour3 First, Second;
        public F Steps;
    }

    private struct Squares
    {
        public F Aa, Ab, Bb;
        public Colour3 A, B;
    }

    /// <summary>All ways to cut sixteen ordered texels into the colours of a palette.</summary>
    private sealed class Cuts
    {
        public readonly int Steps;
        public readonly Cut[] All;
        public readonly (int From, int To, int I, int J)[] Pairs;

        public Cuts(int steps)
        {
            Steps = steps;
            var all = new List<Cut>();
            var pairs = new List<(int, int, int, int)>();
            for (int i = 0; i <= Texels; i++)
            {
                for (int j = i; j <= Texels; j++)
                {
                    int from = all.Count;
                    int least = -1, most = -1;
                    for (int k = j; k <= (steps == 3 ? Texels : j); k++)
                    {
                        var cut = Cut.Of(steps, i, j, k);
                        if (cut is null)
                            continue;
                        all.Add(cut.Value);
                        if (least < 0)
                            least = k;
                        most = k;
                    }
                    if (all.Count > from)
                        pairs.Add((least, most, i, j));
                }
            }
            All = [.. all];
            Pairs = [.. pairs];
        }
    }

    /// <summary>One cut: where each colour ends, what its least error gains, and how its sum gives the two ends.</summary>
    private readonly record struct Cut(int I, int J, int K, float Gain, float First, float Second, float Aa, float Bb, float Cross, float Twice)
    {
        public static Cut? Of(int steps, int i, int j, int k)
        {
            int[] counts = steps == 3 ? [i, j - i, k - j, Texels - k] : [i, j - i, Texels - j];
            if (counts.Count(c => c > 0) < 2)
                return null;
            double aa = 0, ab = 0, bb = 0;
            for (int step = 0; step <= steps; step++)
            {
                double b = step / (double)steps, a = 1 - b;
                aa += a * a * counts[step];
                ab += a * b * counts[step];
                bb += b * b * counts[step];
            }
            double f = 1 / (aa * bb - ab * ab);
            return new Cut(i, j, k, (float)(Texels * f / (steps * steps)), (float)((ab + bb) * f / steps), (float)(-(aa + ab) * f / steps),
                (float)aa, (float)bb, (float)(2 * ab), 2f / steps);
        }
    }
}

/// <summary>Which palettes a colour block may use.</summary>
internal enum Bc1Use
{
    /// <summary>Four colours, or three.</summary>
    Opaque,

    /// <summary>Three colours and a hole where alpha is under a half, or four where there is none.</summary>
    Cutout,

    /// <summary>Four colours always, as BC2 and BC3 read their blocks.</summary>
    FourOnly,
}
