using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;

namespace Crumpet.Core.Tracing;

/// <summary>Bins along three axes.</summary>
[InlineArray(3 * BvhBins.Count)]
internal struct BvhBinArray
{
    private BvhBin first;
}

// 48 bytes, so that none lies across two lines of the cache more than it must.
[StructLayout(LayoutKind.Sequential, Size = 48)]
internal struct BvhBin
{
    public Vector4 Min, Max;
    public int Count;
}

/// <summary>Bins that triangles are counted into to find where splitting them costs least.</summary>
internal static class BvhBins
{
    /// <summary>Bins along an axis.</summary>
    public const int Count = 16;

    /// <summary>Several neighbouring bins as one.</summary>
    public static BvhBin Joined(in BvhBinArray bins, int axis, int from, int to)
    {
        var sum = bins[axis * Count + from];
        for (int i = from + 1; i < to; i++)
            Join(ref sum, bins[axis * Count + i]);
        return sum;
    }

    private static void Join(ref BvhBin sum, in BvhBin bin)
    {
        sum.Min = Vector4.MinNative(sum.Min, bin.Min);
        sum.Max = Vector4.MaxNative(sum.Max, bin.Max);
        sum.Count += bin.Count;
    }

    /// <summary>Where splitting costs least; axis -1 where all centres are one.</summary>
    public static (int Axis, int Border) Cheapest(in BvhBinArray bins, int binCount, Vector4 extent)
    {
        int bestAxis = -1, bestBorder = 0;
        float bestCost = float.PositiveInfinity;
        Span<float> leftCost = stackalloc float[Count];
        for (int axis = 0; axis < 3; axis++)
        {
            if (!(Component(extent, axis) > 0))
                continue;
            var running = bins[axis * Count];
            leftCost[0] = Cost(running);
            for (int i = 1; i < binCount - 1; i++)
            {
                Join(ref running, bins[axis * Count + i]);
                leftCost[i] = Cost(running);
            }
            running = bins[axis * Count + binCount - 1];
            for (int i = binCount - 1; i > 0; i--)
            {
                if (i < binCount - 1)
                    Join(ref running, bins[axis * Count + i]);
                float cost = leftCost[i - 1] + Cost(running);
                if (cost < bestCost)
                    (bestCost, bestAxis, bestBorder) = (cost, axis, i);
            }
        }
        return (bestAxis, bestBorder);

        static float Cost(in BvhBin bin)
        {
            if (bin.Count == 0)
                return float.PositiveInfinity;
            var d = bin.Max - bin.Min;
            return (d.X * d.Y + d.Y * d.Z + d.Z * d.X) * ((bin.Count + BvhLeaf.Width - 1) / BvhLeaf.Width);
        }
    }

    private static float Component(Vector4 v, int axis) => axis == 0 ? v.X : axis == 1 ? v.Y : v.Z;
}
