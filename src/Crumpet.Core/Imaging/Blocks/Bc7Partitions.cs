using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using F = System.Runtime.Intrinsics.Vector512<float>;
using V = System.Runtime.Intrinsics.Vector512;

namespace Crumpet.Core.Imaging.Blocks;

/// <summary>
/// Which ways of parting a block into lines are worth fitting: for every one what would be left beside the best lines, without rounding and
/// with as many colours as one likes, from sums alone.
/// </summary>
/// <remarks>What a line leaves is the trace of its texels' covariance less its greatest eigenvalue, for which the trace of its fourth power over
/// that of its third is taken: exact where one spread outweighs the others and where two are equal, at most a fourteenth too small between.</remarks>
internal sealed class Bc7Partitions
{
    // More than any mode has: ends move with the steps. What photographs come out best with, of 5 to 24.
    private const int Levels = 14;
    private const int Texels = 16;
    private const float Least = 1e-18f;

    private readonly LaneBuffer buffer;
    private readonly int channels, kept;
    private readonly F taken;
    private int next;

    /// <param name="channels">3 or 4.</param>
    /// <param name="kept">How many to find.</param>
    public Bc7Partitions(int channels, int kept)
    {
        (this.channels, this.kept) = (channels, kept);
        taken = LineRank.TakenBy(Levels);
        buffer = new LaneBuffer((Texels + 1) * 14 + 2 * kept);
    }

    /// <summary>The partitions that leave least, best first.</summary>
    public ReadOnlySpan<F> Found => buffer.Span.Slice((Texels + 1) * 14, kept);

    private Span<F> Left => buffer.Span.Slice((Texels + 1) * 14 + kept, kept);

    /// <summary>Prepares the sums of a run.</summary>
    /// <param name="x">Channels of the texels.</param>
    /// <param name="most">What their values are below.</param>
    public void Prepare(ReadOnlySpan<F> x, float most = 256)
    {
        // Keeps fourth powers of sums within what a float holds.
        var scale = V.Create(4 / most);
        LineRank.Prepare(buffer.Span[..((Texels + 1) * 14)], x, Texels, channels, scale);
    }

    /// <summary>Ranks the first <paramref name="count"/> of the two-line partitions.</summary>
    public void RankTwo(int count = 64)
    {
        Begin();
        foreach (uint second in Bc7Tables.TwoSubsets.AsSpan(0, count))
        {
            // The smaller part is summed, the other is what is left.
            uint mask = BitOperations.PopCount(second) > Texels / 2 ? second ^ 0xffff : second;
            int size = BitOperations.PopCount(mask);
            if (channels == 3)
            {
                Offer(LeftOverTwo(mask, size));
            }
            else
            {
                Offer(LeftOver(mask, size) + LeftOver(mask ^ 0xffff, Texels - size));
            }
        }
    }

    /// <summary>Ranks the first <paramref name="count"/> of the three-line partitions.</summary>
    public void RankThree(int count)
    {
        Begin();
        for (int partition = 0; partition < count; partition++)
        {
            uint second = 0, third = 0;
            for (int i = 0; i < Texels; i++)
            {
                int subset = Bc7Tables.Subset(3, partition, i);
                second |= subset == 1 ? 1u << i : 0;
                third |= subset == 2 ? 1u << i : 0;
            }
            uint first = 0xffff ^ second ^ third;
            Offer(LeftOver(first, BitOperations.PopCount(first)) + LeftOver(second, BitOperations.PopCount(second))
                + LeftOver(third, BitOperations.PopCount(third)));
        }
    }

    private void Begin()
    {
        Left.Fill(V.Create(float.PositiveInfinity));
        next = 0;
    }

    private void Offer(F left) => LineRank.Offer(Left, buffer.Span.Slice((Texels + 1) * 14, kept), left, V.Create((float)next++));

    // What two lines leave, with one division for both.
    private F LeftOverTwo(uint mask, int size)
    {
        ref F terms = ref MemoryMarshal.GetReference(buffer.Span);
        ref F at = ref Unsafe.Add(ref terms, 14 * BitOperations.TrailingZeroCount(mask));
        F x = at, y = Unsafe.Add(ref at, 1), z = Unsafe.Add(ref at, 2), xx = Unsafe.Add(ref at, 3), xy = Unsafe.Add(ref at, 4);
        F xz = Unsafe.Add(ref at, 5), yy = Unsafe.Add(ref at, 6), yz = Unsafe.Add(ref at, 7), zz = Unsafe.Add(ref at, 8);
        for (mask &= mask - 1; mask != 0; mask &= mask - 1)
        {
            at = ref Unsafe.Add(ref terms, 14 * BitOperations.TrailingZeroCount(mask));
            x += at;
            y += Unsafe.Add(ref at, 1);
            z += Unsafe.Add(ref at, 2);
            xx += Unsafe.Add(ref at, 3);
            xy += Unsafe.Add(ref at, 4);
            xz += Unsafe.Add(ref at, 5);
            yy += Unsafe.Add(ref at, 6);
            yz += Unsafe.Add(ref at, 7);
            zz += Unsafe.Add(ref at, 8);
        }
        Line(x, y, z, xx, xy, xz, yy, yz, zz, size, out var fourth, out var third, out var trace);
        at = ref Unsafe.Add(ref terms, 14 * Texels);
        Line(at - x, Unsafe.Add(ref at, 1) - y, Unsafe.Add(ref at, 2) - z, Unsafe.Add(ref at, 3) - xx, Unsafe.Add(ref at, 4) - xy, Unsafe.Add(ref at, 5) - xz,
            Unsafe.Add(ref at, 6) - yy, Unsafe.Add(ref at, 7) - yz, Unsafe.Add(ref at, 8) - zz, Texels - size, out var fourth2, out var third2, out var trace2);
        return V.MaxNative(trace + trace2 - taken * Lanes.Fma(fourth, third2, fourth2 * third) / (third * third2), F.Zero);
    }

    // Trace of the fourth and of the third power of a covariance, whose quotient is near its greatest eigenvalue, and its own trace.
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    internal static void Line(F x, F y, F z, F sxx, F sxy, F sxz, F syy, F syz, F szz, int count, out F fourth, out F third, out F trace)
    {
        F n = V.Create(-1f / count), nx = x * n, ny = y * n;
        F xx = Lanes.Fma(nx, x, sxx), xy = Lanes.Fma(nx, y, sxy), xz = Lanes.Fma(nx, z, sxz);
        F yy = Lanes.Fma(ny, y, syy), yz = Lanes.Fma(ny, z, syz), zz = Lanes.Fma(z * n, z, szz);
        F xx2 = Lanes.Fma(xx, xx, Lanes.Fma(xy, xy, xz * xz)), yy2 = Lanes.Fma(xy, xy, Lanes.Fma(yy, yy, yz * yz));
        F zz2 = Lanes.Fma(xz, xz, Lanes.Fma(yz, yz, zz * zz)), xy2 = Lanes.Fma(xx, xy, Lanes.Fma(xy, yy, xz * yz));
        F xz2 = Lanes.Fma(xx, xz, Lanes.Fma(xy, yz, xz * zz)), yz2 = Lanes.Fma(xy, xz, Lanes.Fma(yy, yz, yz * zz));
        F off4 = Lanes.Fma(xy2, xy2, Lanes.Fma(xz2, xz2, yz2 * yz2)), off3 = Lanes.Fma(xy2, xy, Lanes.Fma(xz2, xz, yz2 * yz));
        fourth = Lanes.Fma(xx2, xx2, Lanes.Fma(yy2, yy2, Lanes.Fma(zz2, zz2, off4 + off4)));
        third = Lanes.Fma(xx2, xx, Lanes.Fma(yy2, yy, Lanes.Fma(zz2, zz, off3 + off3))) + V.Create(Least);
        trace = xx + yy + zz;
    }

    private F LeftOver(uint mask, int count)
    {
        Span<F> sums = stackalloc F[14];
        LineRank.Sum(buffer.Span, mask, channels, sums);
        return LineRank.LeftOver(sums, count, channels, taken);
    }
}
