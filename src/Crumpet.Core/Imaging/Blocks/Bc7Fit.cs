using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>
/// Fits the lines of one mode to sixteen blocks: ends by greatest spread, then by least squares over the indices they gave, rounded as the mode
/// stores them. Loops are written out by channel, for the numbers to stay in registers.
/// </summary>
internal sealed class Bc7Fit
{
    /// <summary>Texels of a block.</summary>
    public const int Texels = 16;

    /// <summary>Numbers of all ends: line, then end, then channel.</summary>
    public const int EndCount = 24;

    private readonly LaneBuffer buffer = new(2 * EndCount + 2 * Texels + 3 * Rows);
    private const int Rows = 9;

    /// <summary>Ends as they decode, 0 to 255.</summary>
    public Span<F> Ends => buffer.Span[..EndCount];

    /// <summary>Indices.</summary>
    public Span<F> Indices => buffer.Span.Slice(EndCount, Texels);

    /// <summary>Ends as they would serve best, not rounded.</summary>
    public Span<F> Exact => buffer.Span.Slice(EndCount + Texels, EndCount);

    private Span<F> Along => buffer.Span.Slice(2 * EndCount + Texels, Texels);

    // For each line: its first end, the way to the second, and steps over length.
    private Span<F> Lines => buffer.Span.Slice(2 * EndCount + 2 * Texels, 3 * Rows);

    /// <summary>Ends exactly where greatest spread and one round of least squares put them.</summary>
    /// <param name="x">Channels of the texels, times their weights.</param>
    /// <param name="masks">Set where a texel is of the second line; then the same for the third.</param>
    public void Start<T>(Span<F> x, Span<F> masks)
        where T : struct, IBc7Shape
    {
        ref F at = ref MemoryMarshal.GetReference(x);
        ref F mask = ref MemoryMarshal.GetReference(masks);
        bool four = T.Channels == 4;
        var all = LineSums.Of(ref at, four);
        if (T.Subsets == 1)
        {
            StartLine<T>(ref at, ref mask, all, 0);
            return;
        }
        var second = LineSums.Of(ref at, ref mask, four);
        var first = all.Less(second);
        if (T.Subsets == 3)
        {
            var third = LineSums.Of(ref at, ref Unsafe.Add(ref mask, Texels), four);
            first = first.Less(third);
            StartLine<T>(ref at, ref mask, third, 2);
        }
        StartLine<T>(ref at, ref mask, first, 0);
        StartLine<T>(ref at, ref mask, second, 1);
    }

    private void StartLine<T>(ref F x, ref F masks, in LineSums sums, int line)
        where T : struct, IBc7Shape
    {
        var axis = sums.Axis(T.Channels == 4);
        F low = V.Create(float.PositiveInfinity), high = V.Create(float.NegativeInfinity);
        ref F along = ref MemoryMarshal.GetReference(Along);
        for (int i = 0; i < Texels; i++)
        {
            var d = Lanes.Fma(Unsafe.Add(ref x, 32 + i), axis.Z, axis.Off);
            d = Lanes.Fma(Unsafe.Add(ref x, i), axis.X, Lanes.Fma(Unsafe.Add(ref x, 16 + i), axis.Y, d));
            if (T.Channels == 4)
                d = Lanes.Fma(Unsafe.Add(ref x, 48 + i), axis.W, d);
            Unsafe.Add(ref along, i) = d;
            var own = Own<T>(ref masks, i, line);
            low = V.MinNative(low, T.Subsets == 1 ? d : Lanes.Select(own, d, low));
            high = V.MaxNative(high, T.Subsets == 1 ? d : Lanes.Select(own, d, high));
        }
        F scale = V.Create((float)T.Steps) * Lanes.Inverse(high - low), from = V.Create(0.5f) - low * scale, share = V.Create(1f / T.Steps);
        F w = F.Zero, bb = F.Zero, bx = F.Zero, by = F.Zero, bz = F.Zero, bw = F.Zero;
        for (int i = 0; i < Texels; i++)
        {
            var weight = V.Floor(Lanes.Fma(Unsafe.Add(ref along, i), scale, from)) * share;
            if (T.Subsets > 1)
                weight &= Own<T>(ref masks, i, line);
            w += weight;
            bb = Lanes.Fma(weight, weight, bb);
            bx = Lanes.Fma(weight, Unsafe.Add(ref x, i), bx);
            by = Lanes.Fma(weight, Unsafe.Add(ref x, 16 + i), by);
            bz = Lanes.Fma(weight, Unsafe.Add(ref x, 32 + i), bz);
            if (T.Channels == 4)
                bw = Lanes.Fma(weight, Unsafe.Add(ref x, 48 + i), bw);
        }
        Solve<T>(sums.N, sums.X, sums.Y, sums.Z, sums.W, w, bb, bx, by, bz, bw, line);
    }

    /// <summary>Rounds exact ends as the mode stores them, and gives every texel its nearest colour.</summary>
    /// <param name="x">Channels of the texels, times their weights.</param>
    /// <param name="masks">As above.</param>
    /// <param name="scales">Weights of the channels.</param>
    /// <returns>Squared error of each block.</returns>
    [SkipLocalsInit]
    public F Assign<T>(Span<F> x, Span<F> masks, ReadOnlySpan<F> scales)
        where T : struct, IBc7Shape
    {
        Span<F> ends = Ends, lines = Lines;
        for (int line = 0; line < T.Subsets; line++)
        {
            Bc7Ends.Quantise<T>(Exact.Slice(8 * line, 8), ends.Slice(8 * line, 8), scales);
            var length = F.Zero;
            for (int c = 0; c < T.Channels; c++)
            {
                var from = ends[8 * line + c] * scales[c];
                var way = ends[8 * line + 4 + c] * scales[c] - from;
                (lines[Rows * line + c], lines[Rows * line + 4 + c]) = (from, way);
                length = Lanes.Fma(way, way, length);
            }
            lines[Rows * line + 8] = V.Create((float)T.Steps) * Lanes.Inverse(length);
        }
        ref F at = ref MemoryMarshal.GetReference(x);
        ref F mask = ref MemoryMarshal.GetReference(masks);
        ref F index = ref MemoryMarshal.GetReference(Indices);
        ref F one = ref lines[0];
        ref F two = ref lines[Rows];
        ref F three = ref lines[2 * Rows];
        F steps = V.Create((float)T.Steps), spread = V.Create(64f / T.Steps), part = V.Create(1 / 64f), half = V.Create(0.5f);
        F ex = F.Zero, ey = F.Zero, ez = F.Zero, ew = F.Zero;
        for (int i = 0; i < Texels; i++)
        {
            F second = T.Subsets > 1 ? Unsafe.Add(ref mask, i) : F.Zero, third = T.Subsets > 2 ? Unsafe.Add(ref mask, 16 + i) : F.Zero;
            F ox = Unsafe.Add(ref at, i) - Pick<T>(ref one, ref two, ref three, 0, second, third), lx = Pick<T>(ref one, ref two, ref three, 4, second, third);
            F oy = Unsafe.Add(ref at, 16 + i) - Pick<T>(ref one, ref two, ref three, 1, second, third);
            F ly = Pick<T>(ref one, ref two, ref three, 5, second, third);
            F oz = Unsafe.Add(ref at, 32 + i) - Pick<T>(ref one, ref two, ref three, 2, second, third);
            F lz = Pick<T>(ref one, ref two, ref three, 6, second, third);
            F ow = F.Zero, lw = F.Zero, dot = Lanes.Fma(ox, lx, Lanes.Fma(oy, ly, oz * lz));
            if (T.Channels == 4)
            {
                ow = Unsafe.Add(ref at, 48 + i) - Pick<T>(ref one, ref two, ref three, 3, second, third);
                lw = Pick<T>(ref one, ref two, ref three, 7, second, third);
                dot = Lanes.Fma(ow, lw, dot);
            }
            var step = Lanes.Clamp(V.Floor(Lanes.Fma(dot, Pick<T>(ref one, ref two, ref three, 8, second, third), half)), F.Zero, steps);
            Unsafe.Add(ref index, i) = step;
            var weight = V.Floor(Lanes.Fma(step, spread, half)) * part;
            ox -= weight * lx;
            oy -= weight * ly;
            oz -= weight * lz;
            ex = Lanes.Fma(ox, ox, ex);
            ey = Lanes.Fma(oy, oy, ey);
            ez = Lanes.Fma(oz, oz, ez);
            if (T.Channels == 4)
            {
                ow -= weight * lw;
                ew = Lanes.Fma(ow, ow, ew);
            }
        }
        return T.Channels == 4 ? ex + ey + (ez + ew) : ex + ey + ez;
    }

    /// <summary>The exact ends that serve the indices given last best.</summary>
    public void Improve<T>(Span<F> x, Span<F> masks)
        where T : struct, IBc7Shape
    {
        ref F at = ref MemoryMarshal.GetReference(x);
        ref F mask = ref MemoryMarshal.GetReference(masks);
        ref F index = ref MemoryMarshal.GetReference(Indices);
        F spread = V.Create(64f / T.Steps), part = V.Create(1 / 64f), half = V.Create(0.5f);
        for (int line = 0; line < T.Subsets; line++)
        {
            F w = F.Zero, bb = F.Zero, bx = F.Zero, by = F.Zero, bz = F.Zero, bw = F.Zero, n = F.Zero, sx = F.Zero, sy = F.Zero, sz = F.Zero, sw = F.Zero;
            for (int i = 0; i < Texels; i++)
            {
                F weight = V.Floor(Lanes.Fma(Unsafe.Add(ref index, i), spread, half)) * part, keep = F.One;
                if (T.Subsets > 1)
                {
                    var own = Own<T>(ref mask, i, line);
                    weight &= own;
                    keep &= own;
                }
                F a = Unsafe.Add(ref at, i), b = Unsafe.Add(ref at, 16 + i), c = Unsafe.Add(ref at, 32 + i);
                w += weight;
                bb = Lanes.Fma(weight, weight, bb);
                bx = Lanes.Fma(weight, a, bx);
                by = Lanes.Fma(weight, b, by);
                bz = Lanes.Fma(weight, c, bz);
                n += keep;
                sx = Lanes.Fma(keep, a, sx);
                sy = Lanes.Fma(keep, b, sy);
                sz = Lanes.Fma(keep, c, sz);
                if (T.Channels == 4)
                {
                    bw = Lanes.Fma(weight, Unsafe.Add(ref at, 48 + i), bw);
                    sw = Lanes.Fma(keep, Unsafe.Add(ref at, 48 + i), sw);
                }
            }
            Solve<T>(n, sx, sy, sz, sw, w, bb, bx, by, bz, bw, line);
        }
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static F Pick<T>(ref F first, ref F second, ref F third, int row, F isSecond, F isThird)
        where T : struct, IBc7Shape
    {
        var chosen = Unsafe.Add(ref first, row);
        if (T.Subsets > 1)
            chosen = Lanes.Select(isSecond, Unsafe.Add(ref second, row), chosen);
        if (T.Subsets > 2)
            chosen = Lanes.Select(isThird, Unsafe.Add(ref third, row), chosen);
        return chosen;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static F Own<T>(ref F masks, int i, int line)
        where T : struct, IBc7Shape
    {
        if (T.Subsets == 1)
            return F.AllBitsSet;
        if (line > 0)
            return Unsafe.Add(ref masks, 16 * (line - 1) + i);
        return T.Subsets == 2 ? ~Unsafe.Add(ref masks, i) : ~(Unsafe.Add(ref masks, i) | Unsafe.Add(ref masks, 16 + i));
    }

    // With w the share of the second end: the ends that leave least, or the mean where all texels have the same share.
    private void Solve<T>(F n, F sx, F sy, F sz, F sw, F w, F bb, F bx, F by, F bz, F bw, int line)
        where T : struct, IBc7Shape
    {
        F ab = w - bb, aa = n - w - ab, determinant = aa * bb - ab * ab, f = Lanes.Inverse(determinant), share = Lanes.Inverse(n);
        var flat = V.LessThanOrEqual(determinant, V.Create(1e-5f));
        var exact = Exact.Slice(8 * line, 8);
        (exact[0], exact[4]) = Solve(sx, bx, aa, ab, bb, f, flat, share);
        (exact[1], exact[5]) = Solve(sy, by, aa, ab, bb, f, flat, share);
        (exact[2], exact[6]) = Solve(sz, bz, aa, ab, bb, f, flat, share);
        if (T.Channels == 4)
            (exact[3], exact[7]) = Solve(sw, bw, aa, ab, bb, f, flat, share);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static (F First, F Second) Solve(F sum, F bx, F aa, F ab, F bb, F f, F flat, F share)
    {
        F ax = sum - bx, mean = sum * share;
        return (Lanes.Select(flat, mean, (ax * bb - bx * ab) * f), Lanes.Select(flat, mean, (bx * aa - ax * ab) * f));
    }
}
