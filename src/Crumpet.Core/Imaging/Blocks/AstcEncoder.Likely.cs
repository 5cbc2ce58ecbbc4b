using System.Runtime.InteropServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <content>What is likely before it is fitted: the channel that stands apart, and the partitions.</content>
internal sealed partial class AstcEncoder
{
    // More than plans with two lines have: ends move with the steps. What photographs come out best with, of 4 to 16.
    private const int Levels = 10;

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
        F scale = V.Create(1 / 64f), taken = LineRank.TakenBy(Levels);
        LineRank.Prepare(terms, x, texels, channels, scale);
        likely.Fill(V.Create(float.PositiveInfinity));
        Span<F> some = stackalloc F[14], rest = stackalloc F[14];
        for (int k = 0; k < seeds.Masks.Length; k++)
        {
            int count = LineRank.Sum(terms, seeds.Masks[k], channels, some);
            for (int t = 0; t < 14; t++)
                rest[t] = terms[14 * texels + t] - some[t];
            F left = LineRank.LeftOver(some, count, channels, taken) + LineRank.LeftOver(rest, texels - count, channels, taken), own = V.Create((float)k);
            LineRank.Offer(likely.Slice(kept, kept), likely[..kept], left, own);
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
