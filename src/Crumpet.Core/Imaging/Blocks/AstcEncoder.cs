using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>
/// ASTC of low range: one line, two lines over the likeliest partitions, or a line beside a channel of its own, each with every plan of its footprint:
/// grid and range of weights, and what is left for the ends. What leaves least is written.
/// </summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "ASTC compressed texture image formats".</remarks>
internal sealed class AstcEncoder : BlockEncoder
{
    private const int MostTexels = 64, EndCount = 16;

    // Squared error of a texel that nobody looks at twice.
    private const float GoodEnough = 1;

    private readonly int texels;
    private readonly Effort effort;
    private readonly F[] scales = new F[4];
    private readonly float[] weights;
    private readonly AstcPlan[] plans;
    private readonly AstcSeeds seeds;
    private readonly AstcWriter writer;
    private readonly int kept;
    private readonly LaneBuffer buffer;
    private F seeThrough;

    /// <param name="width">Texels across.</param>
    /// <param name="height">Texels down.</param>
    /// <param name="settings">Effort and weights.</param>
    public AstcEncoder(int width, int height, EncodeSettings settings)
    {
        texels = width * height;
        effort = settings.Effort;
        weights = [MathF.Sqrt(settings.Weights.X), MathF.Sqrt(settings.Weights.Y), MathF.Sqrt(settings.Weights.Z), MathF.Sqrt(settings.Weights.W)];
        for (int c = 0; c < 4; c++)
            scales[c] = V.Create(weights[c]);
        plans = AstcPlan.For(width, height, effort);
        seeds = AstcSeeds.For(width, height);
        writer = new AstcWriter(plans, seeds, texels);
        kept = effort switch { Effort.Draft => 0, Effort.Normal => texels == 16 ? 3 : 1, _ => 6 };
        // Texels, masks, places along the lines, weights of texels, weights of the grid, those of the best, ends, those of the best, what is best.
        buffer = new LaneBuffer(4 * texels + texels + 2 * texels + 2 * texels + 2 * MostTexels + 2 * MostTexels + 4 * EndCount + 8 + 2 * Math.Max(1, kept)
            + 14 * (texels + 1));
    }

    private Span<F> X => buffer.Span[..(4 * texels)];

    private Span<F> Masks => buffer.Span.Slice(4 * texels, texels);

    private Span<F> Along => buffer.Span.Slice(5 * texels, 2 * texels);

    private Span<F> Drawn => buffer.Span.Slice(7 * texels, 2 * texels);

    private Span<F> Grid => buffer.Span.Slice(9 * texels, 2 * MostTexels);

    private Span<F> BestGrid => buffer.Span.Slice(9 * texels + 2 * MostTexels, 2 * MostTexels);

    private Span<F> Exact => buffer.Span.Slice(9 * texels + 4 * MostTexels, EndCount);

    private Span<F> Ends => buffer.Span.Slice(9 * texels + 4 * MostTexels + EndCount, EndCount);

    private Span<F> BestEnds => buffer.Span.Slice(9 * texels + 4 * MostTexels + 2 * EndCount, EndCount);

    // What is stored of the ends.
    private Span<F> Raw => buffer.Span.Slice(9 * texels + 4 * MostTexels + 3 * EndCount, EndCount);

    // Error, plan, seed and the channel apart.
    private Span<F> Best => buffer.Span.Slice(9 * texels + 4 * MostTexels + 4 * EndCount, 4);

    private Span<F> Likely => buffer.Span.Slice(9 * texels + 4 * MostTexels + 4 * EndCount + 8, 2 * Math.Max(1, kept));

    private Span<F> Terms => buffer.Span.Slice(9 * texels + 4 * MostTexels + 4 * EndCount + 8 + 2 * Math.Max(1, kept), 14 * (texels + 1));

    /// <inheritdoc/>
    public override void Encode(ReadOnlySpan<F> source, Span<byte> blocks)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(source.Length, 4 * texels);
        var x = X;
        F lack = F.Zero;
        for (int i = 0; i < texels; i++)
        {
            for (int c = 0; c < 4; c++)
                x[texels * c + i] = source[texels * c + i] * scales[c];
            F off = (V.Create(255f) - source[3 * texels + i]) * scales[3];
            lack = Lanes.Fma(off, off, lack);
        }
        seeThrough = lack;
        Best[0] = V.Create(float.PositiveInfinity);
        bool anyAlpha = V.GreaterThanAny(lack, F.Zero), anyClosed = V.EqualsAny(lack, F.Zero);
        if (anyClosed)
            TryAll(1, 3, V.Create(-1f), F.Zero);
        if (anyAlpha)
            TryAll(1, 4, V.Create(-1f), F.Zero);
        var enough = V.Create(effort == Effort.Best ? 0.1f * texels : GoodEnough * texels);
        if (effort != Effort.Draft && !V.LessThanAll(Best[0], enough))
        {
            TryApart(anyAlpha ? 4 : 3);
            Rank(anyAlpha ? 4 : 3);
            for (int k = 0; k < kept; k++)
            {
                SetMasks(Likely[k]);
                if (anyClosed)
                    TryAll(2, 3, V.Create(-1f), Likely[k]);
                if (anyAlpha)
                    TryAll(2, 4, V.Create(-1f), Likely[k]);
            }
        }
        writer.Write(source, Best, BestEnds, BestGrid, blocks);
    }

    /// <summary>Every plan of so many lines and channels.</summary>
    [SkipLocalsInit]
    private void TryAll(int parts, int channels, F apart, F seed)
    {
        bool two = !V.EqualsAll(apart, V.Create(-1f));
        StartLines(parts, channels, apart, two);
        Span<F> smooth = stackalloc F[2 * MostTexels];
        AstcInfill? grid = null;
        for (int p = 0; p < plans.Length; p++)
        {
            var plan = plans[p];
            if (plan.Parts != parts || plan.Channels != channels || plan.Mode.HasTwoPlanes != two)
                continue;
            // Plans of one grid follow each other.
            if (plan.Infill != grid)
                Smooth(plan, smooth, 2);
            grid = plan.Infill;
            Try(p, plan, apart, seed, smooth);
        }
    }

    // Ends by greatest spread, and where each texel lies between them.
    private void StartLines(int parts, int channels, F apart, bool two)
    {
        Span<F> x = X, masks = Masks, exact = Exact, axis = stackalloc F[4], mean = stackalloc F[4];
        for (int part = 0; part < parts; part++)
        {
            Axis(x, masks, parts, part, channels, apart, two, axis, mean);
            F low = V.Create(float.MaxValue), high = V.Create(float.MinValue);
            for (int i = 0; i < texels; i++)
            {
                var d = F.Zero;
                for (int c = 0; c < channels; c++)
                    d = Lanes.Fma(x[texels * c + i] - mean[c], axis[c], d);
                var own = Own(masks, parts, part, i);
                low = V.MinNative(low, Lanes.Select(own, d, low));
                high = V.MaxNative(high, Lanes.Select(own, d, high));
            }
            for (int c = 0; c < channels; c++)
            {
                exact[8 * part + c] = Lanes.Fma(axis[c], low, mean[c]);
                exact[8 * part + 4 + c] = Lanes.Fma(axis[c], high, mean[c]);
            }
        }
        if (two)
            StartAlone(channels, apart);
        Place(exact, parts, channels, apart, two, scaled: true);
    }

    // The channel that stands apart has its own least and greatest.
    private void StartAlone(int channels, F apart)
    {
        Span<F> x = X, exact = Exact;
        for (int c = 0; c < channels; c++)
        {
            var isApart = V.Equals(apart, V.Create((float)c));
            F low = x[texels * c], high = low;
            for (int i = 1; i < texels; i++)
            {
                low = V.MinNative(low, x[texels * c + i]);
                high = V.MaxNative(high, x[texels * c + i]);
            }
            exact[c] = Lanes.Select(isApart, low, exact[c]);
            exact[4 + c] = Lanes.Select(isApart, high, exact[4 + c]);
        }
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static F Own(ReadOnlySpan<F> masks, int parts, int part, int i) => parts == 1 ? F.AllBitsSet : part == 1 ? masks[i] : ~masks[i];

    private void Axis(ReadOnlySpan<F> x, ReadOnlySpan<F> masks, int parts, int part, int channels, F apart, bool two, Span<F> axis, Span<F> mean)
    {
        Span<F> spread = stackalloc F[16], turned = stackalloc F[4], own = stackalloc F[4];
        spread.Clear();
        mean.Clear();
        var count = F.Zero;
        for (int i = 0; i < texels; i++)
        {
            var mask = Own(masks, parts, part, i);
            count += F.One & mask;
            for (int c = 0; c < channels; c++)
            {
                own[c] = x[texels * c + i] & mask;
                mean[c] += own[c];
            }
            for (int a = 0; a < channels; a++)
                for (int b = a; b < channels; b++)
                    spread[4 * a + b] = Lanes.Fma(own[a], own[b], spread[4 * a + b]);
        }
        var share = Lanes.Inverse(count);
        for (int c = 0; c < channels; c++)
            mean[c] *= share;
        for (int a = 0; a < channels; a++)
        {
            for (int b = a; b < channels; b++)
            {
                var v = spread[4 * a + b] - mean[a] * mean[b] * count;
                if (two)
                    v = Lanes.Select(V.Equals(apart, V.Create((float)a)) | V.Equals(apart, V.Create((float)b)), F.Zero, v);
                spread[4 * a + b] = spread[4 * b + a] = v;
            }
        }
        var widest = F.Zero;
        for (int row = 0; row < channels; row++)
        {
            var wider = V.GreaterThanOrEqual(spread[5 * row], widest);
            widest = V.MaxNative(widest, spread[5 * row]);
            for (int c = 0; c < channels; c++)
                axis[c] = Lanes.Select(wider, spread[4 * row + c], axis[c]);
        }
        for (int round = 0; round < 5; round++)
        {
            var largest = F.Zero;
            for (int a = 0; a < channels; a++)
            {
                turned[a] = F.Zero;
                for (int b = 0; b < channels; b++)
                    turned[a] = Lanes.Fma(spread[4 * a + b], axis[b], turned[a]);
                largest = V.MaxNative(largest, V.Abs(turned[a]));
            }
            largest = Lanes.Inverse(largest);
            for (int c = 0; c < channels; c++)
                axis[c] = turned[c] * largest;
        }
        var square = F.Zero;
        for (int c = 0; c < channels; c++)
            square = Lanes.Fma(axis[c], axis[c], square);
        square = V.Sqrt(Lanes.Inverse(square));
        for (int c = 0; c < channels; c++)
            axis[c] *= square;
    }

    /// <summary>Where texels lie between the ends of their lines, 0 to 1; of the channel apart in the second half.</summary>
    private void Place(ReadOnlySpan<F> ends, int parts, int channels, F apart, bool two, bool scaled)
    {
        Span<F> x = X, masks = Masks, along = Along, from = stackalloc F[8], way = stackalloc F[8], turn = stackalloc F[3];
        turn.Clear();
        for (int part = 0; part < parts; part++)
        {
            for (int c = 0; c < channels; c++)
            {
                F scale = scaled ? F.One : scales[c], a = ends[8 * part + c] * scale, w = ends[8 * part + 4 + c] * scale - a;
                from[4 * part + c] = a;
                way[4 * part + c] = w;
                var square = w * w;
                if (two)
                {
                    var isApart = V.Equals(apart, V.Create((float)c));
                    turn[2] += Lanes.Select(isApart, square, F.Zero);
                    square = Lanes.Select(isApart, F.Zero, square);
                }
                turn[part] += square;
            }
        }
        for (int part = 0; part < parts; part++)
        {
            var inverse = Lanes.Inverse(turn[part]);
            for (int c = 0; c < channels; c++)
            {
                var w = way[4 * part + c];
                way[4 * part + c] = (two ? Lanes.Select(V.Equals(apart, V.Create((float)c)), F.Zero, w) : w) * inverse;
            }
        }
        for (int i = 0; i < texels; i++)
        {
            var d = F.Zero;
            for (int c = 0; c < channels; c++)
            {
                F a = from[c], w = way[c];
                if (parts == 2)
                    (a, w) = (Lanes.Select(masks[i], from[4 + c], a), Lanes.Select(masks[i], way[4 + c], w));
                d = Lanes.Fma(x[texels * c + i] - a, w, d);
            }
            along[i] = Lanes.Clamp(d, F.Zero, F.One);
        }
        if (!two)
            return;
        F start = F.Zero, length = F.Zero;
        for (int c = 0; c < channels; c++)
        {
            var isApart = V.Equals(apart, V.Create((float)c));
            F scale = scaled ? F.One : scales[c];
            start = Lanes.Select(isApart, from[c], start);
            length = Lanes.Select(isApart, ends[4 + c] * scale - ends[c] * scale, length);
        }
        var over = length * Lanes.Inverse(turn[2]);
        for (int i = 0; i < texels; i++)
        {
            var v = x[i];
            for (int c = 1; c < channels; c++)
                v = Lanes.Select(V.Equals(apart, V.Create((float)c)), x[texels * c + i], v);
            along[texels + i] = Lanes.Clamp((v - start) * over, F.Zero, F.One);
        }
    }

    /// <summary>Weights of the grid that serve the places of texels best, not rounded.</summary>
    private void Smooth(AstcPlan plan, Span<F> smooth, int rounds)
    {
        int size = plan.Mode.Width * plan.Mode.Height;
        for (int plane = 0; plane < (plan.Mode.HasTwoPlanes ? 2 : 1); plane++)
        {
            Span<F> along = Along.Slice(plane * texels, texels), drawn = Drawn.Slice(plane * texels, texels), grid = smooth.Slice(plane * MostTexels, size);
            if (plan.Infill.IsWhole)
            {
                along[..size].CopyTo(grid);
                continue;
            }
            for (int at = 0; at < size; at++)
            {
                var sum = F.Zero;
                foreach (var (texel, part) in plan.Infill.Weights[at])
                    sum = Lanes.Fma(along[texel], V.Create((float)(part * part)), sum);
                grid[at] = sum * V.Create(plan.Infill.Squares[at]);
            }
            // What texels miss is given to the weights they hang on.
            for (int round = 0; round < rounds; round++)
            {
                Spread(plan, grid, drawn);
                for (int at = 0; at < size; at++)
                {
                    var sum = F.Zero;
                    foreach (var (texel, part) in plan.Infill.Weights[at])
                        sum = Lanes.Fma(along[texel] - drawn[texel], V.Create((float)part), sum);
                    grid[at] = Lanes.Clamp(Lanes.Fma(sum, V.Create(1.2f * plan.Infill.Sums[at]), grid[at]), F.Zero, F.One);
                }
            }
        }
    }

    /// <summary>The weights in steps, and what texels get of them.</summary>
    [SkipLocalsInit]
    private void RoundGrid(AstcPlan plan, ReadOnlySpan<F> smooth)
    {
        int size = plan.Mode.Width * plan.Mode.Height;
        F steps = V.Create(plan.Mode.Range.Levels - 1f), share = V.Create(1f / (plan.Mode.Range.Levels - 1));
        Span<F> scaled = stackalloc F[MostTexels];
        for (int plane = 0; plane < (plan.Mode.HasTwoPlanes ? 2 : 1); plane++)
        {
            Span<F> drawn = Drawn.Slice(plane * texels, texels), grid = Grid.Slice(plane * MostTexels, size);
            for (int at = 0; at < size; at++)
            {
                grid[at] = Lanes.Round(smooth[plane * MostTexels + at] * steps);
                scaled[at] = grid[at] * share;
            }
            if (plan.Infill.IsWhole)
                scaled[..size].CopyTo(drawn);
            else
                Spread(plan, scaled, drawn);
        }
    }

    private void Spread(AstcPlan plan, ReadOnlySpan<F> grid, Span<F> drawn)
    {
        for (int i = 0; i < texels; i++)
        {
            var sum = F.Zero;
            foreach (var (at, part) in plan.Infill.Texels[i])
                sum = Lanes.Fma(grid[at], V.Create(part / 16f), sum);
            drawn[i] = sum;
        }
    }

    [SkipLocalsInit]
    private void Try(int number, AstcPlan plan, F apart, F seed, Span<F> smooth)
    {
        bool two = plan.Mode.HasTwoPlanes;
        RoundGrid(plan, smooth);
        Span<F> first = stackalloc F[2 * MostTexels], own = stackalloc F[2 * MostTexels];
        int count = two ? 2 * texels : texels;
        Along[..count].CopyTo(first);
        for (int round = 0; round < (effort == Effort.Best ? 3 : 1); round++)
        {
            Solve(plan, apart, two);
            Quantise(plan);
            Place(Ends, plan.Parts, plan.Channels, apart, two, scaled: false);
            Smooth(plan, own, effort == Effort.Best ? 2 : 1);
            RoundGrid(plan, own);
            Take(number, plan, apart, seed, Error(plan, apart, two));
        }
        // Other plans begin where this one did.
        first[..count].CopyTo(Along);
    }

    // The ends that leave least with the weights that texels get.
    private void Solve(AstcPlan plan, F apart, bool two)
    {
        Span<F> x = X, masks = Masks, drawn = Drawn, exact = Exact;
        for (int part = 0; part < plan.Parts; part++)
        {
            for (int plane = 0; plane < (two ? 2 : 1); plane++)
            {
                F n = F.Zero, w = F.Zero, bb = F.Zero;
                for (int i = 0; i < texels; i++)
                {
                    F own = Own(masks, plan.Parts, part, i), weight = drawn[plane * texels + i] & own;
                    n += F.One & own;
                    w += weight;
                    bb = Lanes.Fma(weight, weight, bb);
                }
                F ab = w - bb, aa = n - w - ab, determinant = aa * bb - ab * ab, f = Lanes.Inverse(determinant), share = Lanes.Inverse(n);
                var flat = V.LessThanOrEqual(determinant, V.Create(1e-4f));
                F dot = F.Zero, square = F.Zero;
                for (int c = 0; c < plan.Channels; c++)
                {
                    F bx = F.Zero, sum = F.Zero;
                    for (int i = 0; i < texels; i++)
                    {
                        F own = Own(masks, plan.Parts, part, i), v = x[texels * c + i] & own;
                        sum += v;
                        bx = Lanes.Fma(v, drawn[plane * texels + i], bx);
                    }
                    F ax = sum - bx, mean = sum * share, a = Lanes.Select(flat, mean, (ax * bb - bx * ab) * f), b = Lanes.Select(flat, mean, (bx * aa - ax * ab) * f);
                    if (two)
                    {
                        var isOwn = V.Equals(apart, V.Create((float)c));
                        if (plane == 0)
                            isOwn = ~isOwn;
                        (a, b) = (Lanes.Select(isOwn, a, exact[c]), Lanes.Select(isOwn, b, exact[4 + c]));
                    }
                    (exact[8 * part + c], exact[8 * part + 4 + c]) = (a, b);
                    dot = Lanes.Fma(a, b, dot);
                    square = Lanes.Fma(b, b, square);
                }
                if (plan.IsScaled)
                    Darken(part, aa, ab, bb, Lanes.Clamp(dot * Lanes.Inverse(square), F.Zero, F.One), flat);
            }
        }
    }

    // With the first end a share of the second, the second that leaves least.
    private void Darken(int part, F aa, F ab, F bb, F share, F flat)
    {
        var exact = Exact;
        // The unbound ends tell the sums they came from.
        var inverse = Lanes.Inverse(Lanes.Fma(share * share, aa, Lanes.Fma(V.Create(2f) * share, ab, bb)));
        for (int c = 0; c < 3; c++)
        {
            F a = exact[8 * part + c], b = exact[8 * part + 4 + c], ax = Lanes.Fma(aa, a, ab * b), bx = Lanes.Fma(ab, a, bb * b);
            b = Lanes.Select(flat, b, Lanes.Fma(share, ax, bx) * inverse);
            (exact[8 * part + c], exact[8 * part + 4 + c]) = (b * share, b);
        }
        exact[8 * part + 3] = share;
    }

    // Ends as the plan can say them, 0 to 255; the brighter one is the second, or the block would be read another way.
    private void Quantise(AstcPlan plan)
    {
        Span<float> exact = MemoryMarshal.Cast<F, float>(Exact), ends = MemoryMarshal.Cast<F, float>(Ends);
        for (int end = 0; end < 2 * plan.Parts; end++)
        {
            for (int c = 0; c < plan.Channels; c++)
            {
                float scale = 1 / weights[c];
                int row = (4 * end + c) * Lanes.Count;
                for (int lane = 0; lane < Lanes.Count; lane++)
                    ends[row + lane] = plan.Nearest[(int)Math.Clamp(exact[row + lane] * scale + 0.5f, 0, 255)];
            }
        }
        var all = Ends;
        if (plan.IsScaled)
        {
            QuantiseShares(plan);
            return;
        }
        for (int part = 0; part < plan.Parts; part++)
        {
            var e = all.Slice(8 * part, 8);
            var turn = V.GreaterThan(e[0] + e[1] + e[2], e[4] + e[5] + e[6]);
            for (int c = 0; c < plan.Channels; c++)
                (e[c], e[4 + c]) = (Lanes.Select(turn, e[4 + c], e[c]), Lanes.Select(turn, e[c], e[4 + c]));
        }
        all.CopyTo(Raw);
    }

    private void QuantiseShares(AstcPlan plan)
    {
        Span<F> ends = Ends, raw = Raw;
        Span<float> shares = MemoryMarshal.Cast<F, float>(Exact), stored = MemoryMarshal.Cast<F, float>(raw);
        for (int part = 0; part < plan.Parts; part++)
        {
            int row = (8 * part + 3) * Lanes.Count;
            for (int lane = 0; lane < Lanes.Count; lane++)
                stored[row + lane] = plan.Nearest[(int)Math.Clamp(shares[row + lane] * 256 + 0.5f, 0, 255)];
            for (int c = 0; c < 3; c++)
            {
                var bright = ends[8 * part + 4 + c];
                raw[8 * part + c] = bright;
                ends[8 * part + c] = V.Floor(bright * raw[8 * part + 3] * V.Create(1 / 256f));
            }
        }
    }

    private F Error(AstcPlan plan, F apart, bool two)
    {
        Span<F> x = X, masks = Masks, drawn = Drawn, ends = Ends;
        // Without alpha in the plan, alpha is 1.
        var error = plan.Channels == 3 ? seeThrough : F.Zero;
        for (int c = 0; c < plan.Channels; c++)
        {
            F a = ends[c] * scales[c], way = ends[4 + c] * scales[c] - a, a2 = a, way2 = way;
            if (plan.Parts == 2)
            {
                a2 = ends[8 + c] * scales[c];
                way2 = ends[12 + c] * scales[c] - a2;
            }
            var isApart = V.Equals(apart, V.Create((float)c));
            for (int i = 0; i < texels; i++)
            {
                var w = drawn[i];
                if (two)
                    w = Lanes.Select(isApart, drawn[texels + i], w);
                var off = x[texels * c + i] - (plan.Parts == 1 ? Lanes.Fma(w, way, a) : Lanes.Fma(w, Lanes.Select(masks[i], way2, way), Lanes.Select(masks[i], a2, a)));
                error = Lanes.Fma(off, off, error);
            }
        }
        return error;
    }

    private void Take(int number, AstcPlan plan, F apart, F seed, F error)
    {
        var best = Best;
        var better = V.LessThan(error, best[0]);
        if (V.EqualsAll(better, F.Zero))
            return;
        best[0] = Lanes.Select(better, error, best[0]);
        best[1] = Lanes.Select(better, V.Create((float)number), best[1]);
        best[2] = Lanes.Select(better, seed, best[2]);
        best[3] = Lanes.Select(better, apart, best[3]);
        Span<F> ends = Raw, bestEnds = BestEnds, grid = Grid, bestGrid = BestGrid;
        for (int i = 0; i < 8 * plan.Parts; i++)
            bestEnds[i] = Lanes.Select(better, ends[i], bestEnds[i]);
        for (int plane = 0; plane < (plan.Mode.HasTwoPlanes ? 2 : 1); plane++)
            for (int i = MostTexels * plane; i < MostTexels * plane + plan.Mode.Width * plan.Mode.Height; i++)
                bestGrid[i] = Lanes.Select(better, grid[i], bestGrid[i]);
    }

    /// <summary>The channel whose leaving makes the line of the others fit best gets weights of its own.</summary>
    private void TryApart(int channels)
    {
        if (effort == Effort.Best)
        {
            for (int c = 0; c < channels; c++)
                TryApart(channels, V.Create((float)c));
            return;
        }
        Span<F> x = X;
        F least = V.Create(float.PositiveInfinity), chosen = F.Zero;
        Span<F> axis = stackalloc F[4], mean = stackalloc F[4];
        for (int apart = 0; apart < channels; apart++)
        {
            var alone = V.Create((float)apart);
            Axis(x, default, 1, 0, channels, alone, two: true, axis, mean);
            F left = F.Zero, own = F.Zero;
            for (int i = 0; i < texels; i++)
            {
                F d = F.Zero, square = F.Zero;
                for (int c = 0; c < channels; c++)
                {
                    var off = x[texels * c + i] - mean[c];
                    if (c == apart)
                    {
                        own = Lanes.Fma(off, off, own);
                        continue;
                    }
                    d = Lanes.Fma(off, axis[c], d);
                    square = Lanes.Fma(off, off, square);
                }
                left += square - d * d;
            }
            left = Lanes.Fma(own, V.Create(0.04f), left);
            var better = V.LessThan(left, least);
            least = Lanes.Select(better, left, least);
            chosen = Lanes.Select(better, alone, chosen);
        }
        TryApart(channels, chosen);
    }

    private void TryApart(int channels, F apart) => TryAll(1, channels, apart, F.Zero);

    // Partitions by what two lines would leave, from sums.
    private void Rank(int channels)
    {
        Span<F> terms = Terms, x = X, likely = Likely;
        terms.Clear();
        var scale = V.Create(1 / 64f);
        for (int i = 0; i < texels; i++)
        {
            int at = 14 * i;
            for (int c = 0; c < channels; c++)
                terms[at++] = x[texels * c + i] * scale;
            for (int a = 0; a < channels; a++)
                for (int b = a; b < channels; b++)
                    terms[at++] = terms[14 * i + a] * terms[14 * i + b];
            for (int t = 0; t < 14; t++)
                terms[14 * texels + t] += terms[14 * i + t];
        }
        likely.Fill(V.Create(float.PositiveInfinity));
        Span<F> some = stackalloc F[14], rest = stackalloc F[14];
        for (int k = 0; k < seeds.Masks.Length; k++)
        {
            int count = LineRank.Sum(terms, seeds.Masks[k], channels, some);
            for (int t = 0; t < 14; t++)
                rest[t] = terms[14 * texels + t] - some[t];
            F left = LineRank.LeftOver(some, count, channels) + LineRank.LeftOver(rest, texels - count, channels), own = V.Create((float)k);
            for (int place = 0; place < kept; place++)
            {
                F before = likely[kept + place], earlier = likely[place], better = V.LessThan(left, before);
                likely[kept + place] = Lanes.Select(better, left, before);
                likely[place] = Lanes.Select(better, own, earlier);
                left = Lanes.Select(better, before, left);
                own = Lanes.Select(better, earlier, own);
            }
        }
    }

    private void SetMasks(F chosen)
    {
        var bits = MemoryMarshal.Cast<F, uint>(Masks);
        for (int lane = 0; lane < Lanes.Count; lane++)
        {
            ulong mask = seeds.Masks[(int)chosen[lane]];
            for (int i = 0; i < texels; i++)
                bits[i * Lanes.Count + lane] = (mask >> i & 1) == 1 ? uint.MaxValue : 0;
        }
    }
}
