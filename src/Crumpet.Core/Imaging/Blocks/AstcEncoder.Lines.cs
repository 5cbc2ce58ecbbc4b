using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <content>Lines through texels: their ends, and where texels lie between them.</content>
internal sealed partial class AstcEncoder
{
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
                    F ax = sum - bx, mean = sum * share, a = Lanes.Select(flat, mean, (ax * bb - bx * ab) * f);
                    F b = Lanes.Select(flat, mean, (bx * aa - ax * ab) * f);
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
        var ends = MemoryMarshal.Cast<F, float>(Ends);
        if (plan.IsGrey)
        {
            // All channels are the same; what the first says holds for the others.
            for (int part = 0; part < plan.Parts; part++)
                for (int end = 0; end < 2; end++)
                    for (int c = 1; c < 3; c++)
                        Exact[8 * part + 4 * end + c] = Exact[8 * part + 4 * end] * scales[c] / scales[0];
        }
        for (int end = 0; end < 2 * plan.Parts; end++)
        {
            for (int c = 0; c < plan.Channels; c++)
            {
                int number = 4 * end + c;
                Look(plan, Exact[number] * V.Create(1 / weights[c]), ends.Slice(number * Lanes.Count, Lanes.Count));
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
        var stored = MemoryMarshal.Cast<F, float>(raw);
        for (int part = 0; part < plan.Parts; part++)
        {
            int number = 8 * part + 3;
            Look(plan, Exact[number] * V.Create(256f), stored.Slice(number * Lanes.Count, Lanes.Count));
            for (int c = 0; c < 3; c++)
            {
                var bright = ends[8 * part + 4 + c];
                raw[8 * part + c] = bright;
                ends[8 * part + c] = V.Floor(bright * raw[8 * part + 3] * V.Create(1 / 256f));
            }
        }
    }

    // The numbers a plan can say that lie nearest.
    private static void Look(AstcPlan plan, F exact, Span<float> to)
    {
        Span<int> codes = stackalloc int[Lanes.Count];
        V.ConvertToInt32Native(Lanes.Clamp(exact + V.Create(0.5f), F.Zero, V.Create(255f))).CopyTo(codes);
        for (int lane = 0; lane < Lanes.Count; lane++)
            to[lane] = plan.Nearest[codes[lane] & 255];
    }
}
