using System.Numerics;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>What a line through some texels would leave, from sums of their channels and of the products of those.</summary>
internal static class LineRank
{
    /// <summary>Share of a line's spread that so many steps, evenly spread over it, take away.</summary>
    public static F TakenBy(int levels) => V.Create(1 - 1f / ((levels - 1) * (levels - 1)));

    /// <summary>Writes down the terms of each texel, fourteen each, and after them those of all.</summary>
    /// <param name="terms">Fourteen for each texel, and fourteen more.</param>
    /// <param name="x">Channels of the texels.</param>
    /// <param name="texels">How many texels.</param>
    /// <param name="channels">3 or 4.</param>
    /// <param name="scale">Keeps fourth powers of sums within what a float holds.</param>
    public static void Prepare(Span<F> terms, ReadOnlySpan<F> x, int texels, int channels, F scale)
    {
        terms.Clear();
        int used = channels == 3 ? 9 : 14;
        for (int i = 0; i < texels; i++)
        {
            int at = 14 * i;
            for (int c = 0; c < channels; c++)
                terms[at++] = x[texels * c + i] * scale;
            for (int a = 0; a < channels; a++)
                for (int b = a; b < channels; b++)
                    terms[at++] = terms[14 * i + a] * terms[14 * i + b];
            for (int t = 0; t < used; t++)
                terms[14 * texels + t] += terms[14 * i + t];
        }
    }

    /// <summary>Puts a candidate among those that leave least, which are kept in order.</summary>
    /// <param name="least">What they leave.</param>
    /// <param name="found">Their numbers.</param>
    /// <param name="left">What the candidate leaves.</param>
    /// <param name="number">Its number.</param>
    public static void Offer(Span<F> least, Span<F> found, F left, F number)
    {
        for (int place = 0; place < least.Length; place++)
        {
            F before = least[place], earlier = found[place], better = V.LessThan(left, before);
            least[place] = Lanes.Select(better, left, before);
            found[place] = Lanes.Select(better, number, earlier);
            left = Lanes.Select(better, before, left);
            number = Lanes.Select(better, earlier, number);
        }
    }

    /// <summary>Adds up the terms of texels, fourteen each: channels, then products.</summary>
    /// <returns>How many texels they are.</returns>
    public static int Sum(ReadOnlySpan<F> terms, ulong mask, int channels, Span<F> sums)
    {
        int count = BitOperations.PopCount(mask), used = channels == 3 ? 9 : 14;
        sums.Clear();
        for (; mask != 0; mask &= mask - 1)
        {
            var own = terms.Slice(14 * BitOperations.TrailingZeroCount(mask), 14);
            for (int t = 0; t < used; t++)
                sums[t] += own[t];
        }
        return count;
    }

    /// <summary>
    /// The trace of the covariance less an estimate of its greatest eigenvalue, of which a little stays: what rounding to so many steps leaves.
    /// </summary>
    /// <param name="s">Sums.</param>
    /// <param name="count">Texels.</param>
    /// <param name="channels">3 or 4.</param>
    /// <param name="kept">Share of the greatest eigenvalue that steps take away.</param>
    public static F LeftOver(ReadOnlySpan<F> s, int count, int channels, F kept)
    {
        if (channels == 3)
        {
            Bc7Partitions.Line(s[0], s[1], s[2], s[3], s[4], s[5], s[6], s[7], s[8], count, out var fourth, out var third, out var trace);
            return V.MaxNative(trace - kept * fourth / third, F.Zero);
        }
        Span<F> m = stackalloc F[16];
        var n = V.Create(-1f / count);
        int term = 4;
        for (int a = 0; a < 4; a++)
            for (int b = a; b < 4; b++)
                m[4 * a + b] = m[4 * b + a] = Lanes.Fma(s[a] * n, s[b], s[term++]);
        F of4 = F.Zero, of3 = V.Create(1e-18f);
        for (int a = 0; a < 4; a++)
        {
            for (int b = 0; b < 4; b++)
            {
                var product = Lanes.Fma(m[4 * a], m[b], Lanes.Fma(m[4 * a + 1], m[4 + b], Lanes.Fma(m[4 * a + 2], m[8 + b], m[4 * a + 3] * m[12 + b])));
                of4 = Lanes.Fma(product, product, of4);
                of3 = Lanes.Fma(product, m[4 * a + b], of3);
            }
        }
        return V.MaxNative(m[0] + m[5] + m[10] + m[15] - kept * of4 / of3, F.Zero);
    }
}
