using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Tracing;

/// <summary>
/// Triangles prepared for rays: an eight-wide bounding volume hierarchy whose boxes and leaves are tested with SIMD.
/// Closed meshes never leak a ray through an edge. Safe to use from many threads at once.
/// </summary>
/// <remarks>
/// Source: traversal as in Wald, Benthin, Boulos, "Getting rid of packets", 2008; the edge test in Plücker form, whose sign
/// on a shared edge is exactly opposite for the two triangles, as in Davidovič et al., "3D rasterization: a bridge between
/// rasterization and ray casting", 2012; the slack of the box test after T. Ize, "Robust BVH ray traversal", 2013.
/// </remarks>
public sealed unsafe class Bvh : IDisposable
{
    /// <summary>
    /// Farthest a triangle may lie from the origin along an axis, metres: areas and products of three lengths are still ordinary numbers
    /// there.
    /// </summary>
    public const float Farthest = 1e12f;

    private const int StackSize = 512;

    // Differences to any box, times the reciprocal of any direction, are still no products of zero and infinity.
    private const float FarthestRay = 1e15f;

    private readonly AlignedMemory nodeMemory;
    private readonly AlignedMemory leafMemory;
    private readonly BvhNode* nodes;
    private readonly BvhLeaf* leaves;

    private Bvh((AlignedMemory Nodes, int NodeCount, AlignedMemory Leaves, int LeafCount, int Levels) built, int triangleCount)
    {
        (nodeMemory, NodeCount, leafMemory, LeafCount, Levels) = built;
        // On each level all children but the one that is gone into wait on the stack, and traversal itself has no time to look.
        if (Levels * (BvhNode.Width - 1) + 1 > StackSize)
            throw new InvalidOperationException($"The hierarchy has {Levels} levels, more than its rays can go down.");
        nodes = (BvhNode*)nodeMemory.Pointer;
        leaves = (BvhLeaf*)leafMemory.Pointer;
        TriangleCount = triangleCount;
    }

    /// <summary>How many triangles it holds.</summary>
    public int TriangleCount { get; }

    /// <summary>How many inner nodes it has.</summary>
    public int NodeCount { get; }

    /// <summary>How many leaves it has.</summary>
    public int LeafCount { get; }

    /// <summary>How many levels of inner nodes it has.</summary>
    public int Levels { get; }

    /// <summary>Builds the hierarchy. The same triangles give the same tree on any number of threads.</summary>
    /// <param name="positions">Positions, metres. Triangles with a corner that is no number, or beyond <see cref="Farthest"/>, are never met.</param>
    /// <param name="corners">Three indices a triangle.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="cancel">Ends the build early.</param>
    /// <exception cref="ArgumentException">A corner numbers no position.</exception>
    public static Bvh Build(Vector3[] positions, int[] corners, int threads = 1, CancellationToken cancel = default) =>
        new(BvhBuilder.Build(positions, corners, threads, cancel), corners.Length / 3);

    /// <summary>The nearest triangle on the ray, whichever way it faces. A ray whose origin or direction is no number meets nothing.</summary>
    public bool Closest(in Ray ray, out Hit hit) => Trace<EveryFace>(ray, out hit, out _);

    /// <summary>The nearest triangle whose outside faces the ray's start.</summary>
    /// <param name="ray">The ray.</param>
    /// <param name="hit">The hit, or <see cref="Hit.None"/>.</param>
    /// <param name="metBackFace">Whether a triangle seen from behind lies on the tested part of the ray.</param>
    public bool ClosestFacing(in Ray ray, out Hit hit, out bool metBackFace) => Trace<FrontFace>(ray, out hit, out metBackFace);

    /// <summary>Whether any triangle lies on the ray.</summary>
    [SkipLocalsInit]
    public bool Any(in Ray ray)
    {
        if (!CanBeCast(ray))
            return false;
        var stack = stackalloc int[StackSize];
        stack[0] = 0;
        return Any(ray, new Slabs(ray), stack, 1);
    }

    /// <summary>What rays can meet that start at a place and leave a plane; see <see cref="Outlook.Look"/>.</summary>
    internal void Look(Vector3 origin, Vector3 up, float slack, float range, out Outlook outlook)
    {
        Unsafe.SkipInit(out outlook);
        outlook.Look(nodes, leaves, origin, up, slack, range);
    }

    /// <summary>Whether any triangle lies on the ray, which must be one of those an outlook is for.</summary>
    [SkipLocalsInit]
    internal bool Any(in Ray ray, ref readonly Outlook outlook)
    {
        if (outlook.Count == 0 || !CanBeCast(ray))
            return false;
        var stack = stackalloc int[StackSize + Outlook.Most];
        var slabs = new Slabs(ray);
        int top = outlook.Push(slabs, ray.Far, stack);
        return top > 0 && Any(ray, slabs, stack, top);
    }

    // Any hit will do, so the order does not matter.
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private bool Any(in Ray ray, in Slabs slabs, int* stack, int top)
    {
        var best = new Best { Distance = ray.Far, Triangle = -1 };
        bool metBackFace = false;
        while (top > 0)
        {
            int current = stack[--top];
            if (current < 0)
            {
                TestLeaf<EveryFace>(leaves + ~current, slabs.OriginX, slabs.OriginY, slabs.OriginZ, ray.Direction, ray.Near, ref best, ref metBackFace);
                if (best.Triangle >= 0)
                    return true;
                continue;
            }
            var node = nodes + current;
            uint mask = slabs.Test(node->Boxes, ray.Far, out _);
            for (; mask != 0; mask &= mask - 1)
                stack[top++] = node->Children[BitOperations.TrailingZeroCount(mask)];
        }
        return false;
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        nodeMemory.Dispose();
        leafMemory.Dispose();
    }

    private interface IRule;

    private struct EveryFace : IRule;

    private struct FrontFace : IRule;

    private struct Best
    {
        public float Distance, U, V;
        public int Triangle;
    }

    [SkipLocalsInit]
    private bool Trace<TRule>(in Ray ray, out Hit hit, out bool metBackFace)
        where TRule : struct, IRule
    {
        metBackFace = false;
        if (!CanBeCast(ray))
        {
            hit = Hit.None;
            return false;
        }
        // What is still to be visited: where the ray enters it in the upper half, so that numbers order as distances do, and the child below.
        var stack = stackalloc long[StackSize];
        var entries = stackalloc float[BvhNode.Width];
        int top = 0;
        var slabs = new Slabs(ray);
        var best = new Best { Distance = ray.Far, Triangle = -1 };
        int current = 0;
        while (true)
        {
            while (current >= 0)
            {
                var node = nodes + current;
                uint mask = slabs.Test(node->Boxes, best.Distance, out var enter);
                if (mask == 0)
                    goto next;
                int first = BitOperations.TrailingZeroCount(mask);
                mask &= mask - 1;
                if (mask == 0)
                {
                    current = node->Children[first];
                    continue;
                }
                enter.Store(entries);
                long nearest = Entry(entries, node, first), farthest = TakeEntry(entries, node, ref mask);
                Order(ref nearest, ref farthest);
                stack[top++] = farthest;
                if (mask != 0)
                {
                    int bottom = top - 1;
                    do
                    {
                        long entry = TakeEntry(entries, node, ref mask);
                        Order(ref nearest, ref entry);
                        // Keep what this node pushed sorted, nearest on top.
                        int place = top++;
                        while (place > bottom && stack[place - 1] < entry)
                        {
                            stack[place] = stack[place - 1];
                            place--;
                        }
                        stack[place] = entry;
                    }
                    while (mask != 0);
                }
                current = (int)nearest;
            }
            TestLeaf<TRule>(leaves + ~current, slabs.OriginX, slabs.OriginY, slabs.OriginZ, ray.Direction, ray.Near, ref best, ref metBackFace);
        next:
            do
            {
                if (top == 0)
                    goto done;
                current = (int)stack[--top];
            }
            while (BitConverter.Int32BitsToSingle((int)(stack[top] >> 32)) > best.Distance);
        }
    done:
        hit = best.Triangle < 0 ? Hit.None : new Hit(best.Triangle, best.Distance, best.U, best.V);
        return best.Triangle >= 0;
    }

    /// <summary>
    /// Whether a ray starts somewhere and goes somewhere. From what is no number the box test could enter the empty places of a node,
    /// which lead back to the root.
    /// </summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static bool CanBeCast(in Ray ray)
    {
        // Absent numbers compare false.
        var most = Vector128.Create(FarthestRay);
        return Vector128.LessThanOrEqualAll(Vector128.Abs(ray.Origin.AsVector128()), most)
            && Vector128.LessThanOrEqualAll(Vector128.Abs(ray.Direction.AsVector128()), most);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static long TakeEntry(float* entries, BvhNode* node, ref uint mask)
    {
        int lane = BitOperations.TrailingZeroCount(mask);
        mask &= mask - 1;
        return Entry(entries, node, lane);
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static long Entry(float* entries, BvhNode* node, int lane) => ((long)((int*)entries)[lane] << 32) | (uint)node->Children[lane];

    // Without a branch: which of two boxes is nearer cannot be foretold.
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static void Order(ref long less, ref long more)
    {
        long difference = more - less;
        long swap = difference & (difference >> 63);
        less += swap;
        more -= swap;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static void TestLeaf<TRule>(BvhLeaf* leaf, Vector256<float> ox, Vector256<float> oy, Vector256<float> oz, Vector3 direction, float near,
        ref Best best, ref bool metBackFace)
        where TRule : struct, IRule
    {
        float* p = leaf->Corners;
        Vector256<float> dx = Vector256.Create(direction.X), dy = Vector256.Create(direction.Y), dz = Vector256.Create(direction.Z);
        Vector256<float> ax = Vector256.LoadAligned(p) - ox, ay = Vector256.LoadAligned(p + 8) - oy, az = Vector256.LoadAligned(p + 16) - oz;
        Vector256<float> bx = Vector256.LoadAligned(p + 24) - ox, by = Vector256.LoadAligned(p + 32) - oy, bz = Vector256.LoadAligned(p + 40) - oz;
        Vector256<float> cx = Vector256.LoadAligned(p + 48) - ox, cy = Vector256.LoadAligned(p + 56) - oy, cz = Vector256.LoadAligned(p + 64) - oz;
        Vector256<float> e0x = cx - ax, e0y = cy - ay, e0z = cz - az;
        Vector256<float> e1x = ax - bx, e1y = ay - by, e1z = az - bz;
        Vector256<float> e2x = bx - cx, e2y = by - cy, e2z = bz - cz;
        var u = Edge(e0x, e0y, e0z, cx + ax, cy + ay, cz + az, dx, dy, dz);
        var v = Edge(e1x, e1y, e1z, ax + bx, ay + by, az + bz, dx, dy, dz);
        var w = Edge(e2x, e2y, e2z, bx + cx, by + cy, bz + cz, dx, dy, dz);
        var sum = u + v + w;
        var slack = Vector256.Abs(sum) * 1.1920929e-7f;
        var least = Vector256.MinNative(u, Vector256.MinNative(v, w));
        var most = Vector256.MaxNative(u, Vector256.MaxNative(v, w));
        var inside = Vector256.GreaterThanOrEqual(least, -slack) | Vector256.LessThanOrEqual(most, slack);
        if (inside.ExtractMostSignificantBits() == 0)
            return;
        // The triangle's normal from the two edges at the first corner.
        var nx = Difference(e0y, e1z, e0z, e1y);
        var ny = Difference(e0z, e1x, e0x, e1z);
        var nz = Difference(e0x, e1y, e0y, e1x);
        var determinant = Dot(nx, ny, nz, dx, dy, dz);
        var distance = Dot(nx, ny, nz, ax, ay, az) / determinant;
        inside &= Vector256.GreaterThanOrEqual(distance, Vector256.Create(near)) & Vector256.LessThanOrEqual(distance, Vector256.Create(best.Distance));
        inside &= ~Vector256.Equals(determinant, Vector256<float>.Zero);
        if (typeof(TRule) == typeof(FrontFace))
        {
            var facing = Vector256.LessThan(determinant, Vector256<float>.Zero);
            metBackFace |= (inside & ~facing).ExtractMostSignificantBits() != 0;
            inside &= facing;
        }
        uint mask = inside.ExtractMostSignificantBits();
        while (mask != 0)
        {
            int lane = BitOperations.TrailingZeroCount(mask);
            mask &= mask - 1;
            float t = distance.GetElement(lane);
            // At equal distance the lower index wins, so that shared edges give the same hit in any tree.
            if (t < best.Distance || (t == best.Distance && (best.Triangle < 0 || leaf->Triangles[lane] < best.Triangle)))
            {
                float total = sum.GetElement(lane);
                best = new Best { Distance = t, Triangle = leaf->Triangles[lane], U = u.GetElement(lane) / total, V = v.GetElement(lane) / total };
            }
        }
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector256<float> Difference(Vector256<float> a, Vector256<float> b, Vector256<float> c, Vector256<float> d) =>
        Vector256.FusedMultiplyAdd(a, b, -(c * d));

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector256<float> Dot(Vector256<float> ax, Vector256<float> ay, Vector256<float> az, Vector256<float> bx, Vector256<float> by,
        Vector256<float> bz) =>
        Vector256.FusedMultiplyAdd(ax, bx, Vector256.FusedMultiplyAdd(ay, by, az * bz));

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector256<float> Edge(
        Vector256<float> ex, Vector256<float> ey, Vector256<float> ez, Vector256<float> sx, Vector256<float> sy, Vector256<float> sz,
        Vector256<float> dx, Vector256<float> dy, Vector256<float> dz) =>
        Dot(Difference(ey, sz, ez, sy), Difference(ez, sx, ex, sz), Difference(ex, sy, ey, sx), dx, dy, dz);
}
