using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.InteropServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Tracing;

/// <summary>
/// What of a hierarchy rays can meet that all start at one place and leave one plane: found once, it spares each of them the way down
/// through the boxes that hold their start, and all that lies behind the plane.
/// </summary>
internal unsafe struct Outlook
{
    /// <summary>The most boxes it holds.</summary>
    public const int Most = 32;

    private const int Floats = BvhNode.Width * 6;
    private fixed float boxes[Most / BvhNode.Width * Floats];
    private fixed int children[Most];

    /// <summary>How many boxes it holds.</summary>
    public int Count { readonly get; private set; }

    /// <summary>Looks out from a place.</summary>
    /// <param name="nodes">Nodes of the hierarchy, the root first.</param>
    /// <param name="leaves">Its leaves.</param>
    /// <param name="origin">Where the rays start.</param>
    /// <param name="up">Unit normal of the plane they leave.</param>
    /// <param name="slack">What lies this far or more behind the plane is never met, metres; more than the rounding of a place.</param>
    /// <param name="range">How far the rays go, metres.</param>
    [SkipLocalsInit]
    public void Look(BvhNode* nodes, BvhLeaf* leaves, Vector3 origin, Vector3 up, float slack, float range)
    {
        Count = 0;
        // Boxes that hold the origin are opened, as long as there is room: each has eight in it.
        var waiting = stackalloc (nint Node, int Lane)[Most];
        int left = 0;
        var node = nodes;
        while (true)
        {
            uint ahead = Ahead(node, origin, up, slack, range, out uint holding);
            for (; ahead != 0; ahead &= ahead - 1)
            {
                int lane = BitOperations.TrailingZeroCount(ahead), child = node->Children[lane];
                if (child < 0 && !IsAhead(leaves + ~child, origin, up, slack))
                    continue;
                if (child >= 0 && (holding >> lane & 1) != 0)
                    waiting[left++] = ((nint)node, lane);
                else
                    Add(node, lane);
            }
            while (true)
            {
                if (left == 0)
                    return;
                var (parent, lane) = waiting[--left];
                node = nodes + ((BvhNode*)parent)->Children[lane];
                if (Count + left + BvhNode.Width <= Most)
                    break;
                Add((BvhNode*)parent, lane);
            }
        }
    }

    /// <summary>Puts what a ray meets of the boxes on a stack.</summary>
    /// <returns>How much it now holds.</returns>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public readonly int Push(in Slabs slabs, float far, int* stack)
    {
        int top = 0;
        fixed (float* box = boxes)
        {
            for (int first = 0; first < Count; first += BvhNode.Width)
            {
                uint mask = slabs.Test(box + first / BvhNode.Width * Floats, far, out _);
                for (; mask != 0; mask &= mask - 1)
                    stack[top++] = children[first + BitOperations.TrailingZeroCount(mask)];
            }
        }
        return top;
    }

    private void Add(BvhNode* node, int lane)
    {
        int place = Count % BvhNode.Width, group = Count / BvhNode.Width * Floats;
        if (place == 0)
        {
            // Empty boxes are met by none.
            for (int row = 0; row < 6; row++)
            {
                float empty = row % 2 == 0 ? float.PositiveInfinity : float.NegativeInfinity;
                MemoryMarshal.CreateSpan(ref boxes[group + row * BvhNode.Width], BvhNode.Width).Fill(empty);
            }
        }
        for (int row = 0; row < 6; row++)
            boxes[group + row * BvhNode.Width + place] = node->Boxes[row * BvhNode.Width + lane];
        children[Count++] = node->Children[lane];
    }

    /// <summary>Which boxes reach over the plane and lie within the range, a bit each, and which hold the origin.</summary>
    private static uint Ahead(BvhNode* node, Vector3 origin, Vector3 up, float slack, float range, out uint holding)
    {
        float* box = node->Boxes;
        Vector256<float> x = Vector256.Create(origin.X), y = Vector256.Create(origin.Y), z = Vector256.Create(origin.Z);
        Vector256<float> leastX = Vector256.LoadAligned(box) - x, mostX = Vector256.LoadAligned(box + 8) - x;
        Vector256<float> leastY = Vector256.LoadAligned(box + 16) - y, mostY = Vector256.LoadAligned(box + 24) - y;
        Vector256<float> leastZ = Vector256.LoadAligned(box + 32) - z, mostZ = Vector256.LoadAligned(box + 40) - z;
        // The corner farthest along the normal.
        var height = (up.X < 0 ? leastX : mostX) * up.X + (up.Y < 0 ? leastY : mostY) * up.Y + (up.Z < 0 ? leastZ : mostZ) * up.Z;
        Vector256<float> awayX = Away(leastX, mostX), awayY = Away(leastY, mostY), awayZ = Away(leastZ, mostZ);
        var square = awayX * awayX + awayY * awayY + awayZ * awayZ;
        holding = Vector256.Equals(square, Vector256<float>.Zero).ExtractMostSignificantBits();
        return (Vector256.GreaterThan(height, Vector256.Create(-slack)) & Vector256.LessThanOrEqual(square, Vector256.Create(range * range * 1.00001f)))
            .ExtractMostSignificantBits();
    }

    private static Vector256<float> Away(Vector256<float> least, Vector256<float> most) =>
        Vector256.MaxNative(Vector256.MaxNative(least, -most), Vector256<float>.Zero);

    /// <summary>Whether any corner of a leaf's triangles lies over the plane.</summary>
    private static bool IsAhead(BvhLeaf* leaf, Vector3 origin, Vector3 up, float slack)
    {
        float* p = leaf->Corners;
        var behind = Vector256.Create(-slack);
        Vector256<float> x = Vector256.Create(origin.X), y = Vector256.Create(origin.Y), z = Vector256.Create(origin.Z);
        var ahead = Vector256<float>.Zero;
        for (int corner = 0; corner < 3; corner++, p += 24)
        {
            ahead |= Vector256.GreaterThan((Vector256.LoadAligned(p) - x) * up.X + (Vector256.LoadAligned(p + 8) - y) * up.Y
                + (Vector256.LoadAligned(p + 16) - z) * up.Z, behind);
        }
        return ahead.ExtractMostSignificantBits() != 0;
    }
}
