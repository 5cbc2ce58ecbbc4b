using System.Runtime.CompilerServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>
/// ASTC of low range: one line, two lines over the likeliest partitions, or a line beside a channel of its own, each with every plan of its footprint:
/// grid and range of weights, and what is left for the ends. What leaves least is written.
/// </summary>
/// <remarks>Source: Khronos Data Format Specification 1.3, "ASTC compressed texture image formats".</remarks>
internal sealed partial class AstcEncoder : BlockEncoder
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
    private readonly AstcStore writer;
    private readonly int kept;
    private readonly bool hasGrey;
    private readonly LaneBuffer buffer;
    private F seeThrough;

    /// <param name="width">Texels across.</param>
    /// <param name="height">Texels down.</param>
    /// <param name="settings">Effort and weights.</param>
    public AstcEncoder(int width, int height, EncodeSettings settings)
        : this(width * height, settings, AstcPlan.For(width, height, settings.Effort), AstcSeeds.For(width, height), (plans, seeds) =>
            new AstcWriter(plans, seeds, width * height))
    {
    }

    private AstcEncoder(int texels, EncodeSettings settings, AstcPlan[] plans, AstcSeeds seeds, Func<AstcPlan[], AstcSeeds, AstcStore> write)
    {
        (this.texels, this.plans, this.seeds, writer) = (texels, plans, seeds, write(plans, seeds));
        effort = settings.Effort;
        hasGrey = plans.Any(p => p.IsGrey);
        weights = [MathF.Sqrt(settings.Weights.X), MathF.Sqrt(settings.Weights.Y), MathF.Sqrt(settings.Weights.Z), MathF.Sqrt(settings.Weights.W)];
        for (int c = 0; c < 4; c++)
            scales[c] = V.Create(weights[c]);
        kept = effort switch { Effort.Draft => 0, Effort.Normal => texels == 16 ? 3 : 1, _ => 6 };
        // Texels, masks, places along the lines, weights of texels, weights of the grid, those of the best, ends, those of the best, what is best.
        buffer = new LaneBuffer(4 * texels + texels + 2 * texels + 2 * texels + 2 * MostTexels + 2 * MostTexels + 4 * EndCount + 8 + 2 * Math.Max(1, kept)
            + 14 * (texels + 1));
    }

    /// <summary>The same search among what UASTC can say.</summary>
    /// <param name="settings">Effort and weights.</param>
    public static AstcEncoder ForUastc(EncodeSettings settings) =>
        new(16, settings, AstcPlan.ForUastc(settings.Effort), AstcSeeds.ForUastc, (plans, _) => new UastcWriter(plans));

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
        bool grey = hasGrey && V.EqualsAll(lack, F.Zero) && IsGrey(source);
        bool anyAlpha = V.GreaterThanAny(lack, F.Zero), anyClosed = V.EqualsAny(lack, F.Zero);
        if (anyClosed)
            TryAll(1, 3, V.Create(-1f), F.Zero, grey);
        if (anyAlpha)
            TryAll(1, 4, V.Create(-1f), F.Zero);
        var enough = V.Create(effort == Effort.Best ? 0.1f * texels : GoodEnough * texels);
        if (effort != Effort.Draft && !V.LessThanAll(Best[0], enough))
        {
            if (!grey)
                TryApart(anyAlpha ? 4 : 3);
            Rank(anyAlpha ? 4 : 3);
            for (int k = 0; k < kept; k++)
            {
                SetMasks(Likely[k]);
                if (anyClosed)
                    TryAll(2, 3, V.Create(-1f), Likely[k], grey);
                if (anyAlpha)
                    TryAll(2, 4, V.Create(-1f), Likely[k]);
            }
        }
        writer.Write(source, Best, BestEnds, BestGrid, blocks);
    }

    private bool IsGrey(ReadOnlySpan<F> source)
    {
        ReadOnlySpan<F> red = source[..texels], green = source.Slice(texels, texels), blue = source.Slice(2 * texels, texels);
        for (int i = 0; i < texels; i++)
            if (!V.EqualsAll(red[i], green[i]) || !V.EqualsAll(red[i], blue[i]))
                return false;
        return true;
    }

    /// <summary>Every plan of so many lines and channels.</summary>
    [SkipLocalsInit]
    private void TryAll(int parts, int channels, F apart, F seed, bool grey = false)
    {
        bool two = !V.EqualsAll(apart, V.Create(-1f));
        StartLines(parts, channels, apart, two);
        Span<F> smooth = stackalloc F[2 * MostTexels];
        AstcInfill? grid = null;
        for (int p = 0; p < plans.Length; p++)
        {
            var plan = plans[p];
            if (plan.Parts != parts || plan.Channels != channels || plan.Mode.HasTwoPlanes != two || plan.IsGrey != grey)
                continue;
            // Plans of one grid follow each other.
            if (plan.Infill != grid)
                Smooth(plan, smooth, 2);
            grid = plan.Infill;
            Try(p, plan, apart, seed, smooth);
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
                var off = x[texels * c + i] - (plan.Parts == 1 ? Lanes.Fma(w, way, a)
                    : Lanes.Fma(w, Lanes.Select(masks[i], way2, way), Lanes.Select(masks[i], a2, a)));
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
}
