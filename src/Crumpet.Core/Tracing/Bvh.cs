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
    private const int StackSize = 512;
    private const float RoundDown = 1 - 3 * 1.1920929e-7f;
    private const float RoundUp = 1 + 3 * 1.1920929e-7f;

    private readonly AlignedMemory nodeMemory;
    private readonly AlignedMemory leafMemory;
    private readonly BvhNode* nodes;
    private readonly BvhLeaf* leaves;

    private Bvh((AlignedMemory Nodes, int NodeCount, AlignedMemory Leaves, int LeafCount) built, int triangleCount)
    {
        (nodeMemory, NodeCount, leafMemory, LeafCount) = built;
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

    /// <summary>Builds the hierarchy. The same triangles give the same tree on any number of threads.</summary>
    /// <param name="positions">Positions, metres; all finite.</param>
    /// <param name="corners">Three indices a triangle.</param>
    /// <param name="threads">Threads to use, at least 1.</param>
    /// <param name="cancel">Ends the build early.</param>
    public static Bvh Build(Vector3[] positions, int[] corners, int threads = 1, CancellationToken cancel = default) =>
        new(BvhBuilder.Build(positions, corners, threads, cancel), corners.Length / 3);

    /// <summary>The nearest triangle on the ray, whichever way it faces.</summary>
    public bool Closest(in Ray ray, out Hit hit) => Trace<EveryFace>(ray, out hit, out _);

    /// <summary>The nearest triangle whose outside faces the ray's start.</summary>
    /// <param name="ray">The ray.</param>
    /// <param name="hit">The hit, or <see cref="Hit.None"/>.</param>
    /// <param name="metBackFace">Whether a triangle seen from behind lies on the tested part of the ray.</param>
    public bool ClosestFacing(in Ray ray, out Hit hit, out bool metBackFace) => Trace<FrontFace>(ray, out hit, out metBackFace);

    /// <summary>Whether any triangle lies on the ray.</summary>
    public bool Any(in Ray ray) => Trace<FirstFound>(ray, out _, out _);

    /// <inheritdoc/>
    public void Dispose()
    {
        nodeMemory.Dispose();
        leafMemory.Dispose();
    }

    private interface IRule;

    private struct EveryFace : IRule;

    private struct FrontFace : IRule;

    private struct FirstFound : IRule;

    private struct Best
    {
        public float Distance, U, V;
        public int Triangle;
    }

    [SkipLocalsInit]
    private bool Trace<TRule>(in Ray ray, out Hit hit, out bool metBackFace)
        where TRule : struct, IRule
    {
        var stackNode = stackalloc int[StackSize];
        var stackDistance = stackalloc float[StackSize];
        int top = 0;
        var d = ray.Direction;
        float rx = Reciprocal(d.X), ry = Reciprocal(d.Y), rz = Reciprocal(d.Z);
        Vector256<float> inverseX = Vector256.Create(rx), inverseY = Vector256.Create(ry), inverseZ = Vector256.Create(rz);
        Vector256<float> originX = Vector256.Create(ray.Origin.X), originY = Vector256.Create(ray.Origin.Y), originZ = Vector256.Create(ray.Origin.Z);
        int nearX = rx >= 0 ? 0 : 8, nearY = ry >= 0 ? 16 : 24, nearZ = rz >= 0 ? 32 : 40;
        var nearLimit = Vector256.Create(ray.Near);
        var best = new Best { Distance = ray.Far, Triangle = -1 };
        metBackFace = false;
        int current = 0;
        while (true)
        {
            while (current >= 0)
            {
                var node = nodes + current;
                float* boxes = node->Boxes;
                var enterX = (Vector256.LoadAligned(boxes + nearX) - originX) * inverseX;
                var enterY = (Vector256.LoadAligned(boxes + nearY) - originY) * inverseY;
                var enterZ = (Vector256.LoadAligned(boxes + nearZ) - originZ) * inverseZ;
                var leaveX = (Vector256.LoadAligned(boxes + (nearX ^ 8)) - originX) * inverseX;
                var leaveY = (Vector256.LoadAligned(boxes + (nearY ^ 8)) - originY) * inverseY;
                var leaveZ = (Vector256.LoadAligned(boxes + (nearZ ^ 8)) - originZ) * inverseZ;
                var enter = Vector256.MaxNative(Vector256.MaxNative(enterX, enterY), Vector256.MaxNative(enterZ, nearLimit));
                var leave = Vector256.MinNative(Vector256.MinNative(leaveX, leaveY), Vector256.MinNative(leaveZ, Vector256.Create(best.Distance)));
                uint mask = Vector256.LessThanOrEqual(enter * RoundDown, leave * RoundUp).ExtractMostSignificantBits();
                if (mask == 0)
                {
                    current = int.MinValue;
                    break;
                }
                int first = BitOperations.TrailingZeroCount(mask);
                mask &= mask - 1;
                current = node->Children[first];
                if (mask == 0)
                    continue;
                if (typeof(TRule) == typeof(FirstFound))
                {
                    // Any hit will do, so the order does not matter.
                    do
                    {
                        int lane = BitOperations.TrailingZeroCount(mask);
                        mask &= mask - 1;
                        stackDistance[top] = 0;
                        stackNode[top++] = node->Children[lane];
                    }
                    while (mask != 0);
                    continue;
                }
                float currentDistance = enter.GetElement(first);
                int bottom = top;
                do
                {
                    int lane = BitOperations.TrailingZeroCount(mask);
                    mask &= mask - 1;
                    int child = node->Children[lane];
                    float distance = enter.GetElement(lane);
                    if (distance < currentDistance)
                        (child, current, distance, currentDistance) = (current, child, currentDistance, distance);
                    // Keep what this node pushed sorted, nearest on top.
                    int place = top++;
                    while (place > bottom && stackDistance[place - 1] < distance)
                    {
                        stackDistance[place] = stackDistance[place - 1];
                        stackNode[place] = stackNode[place - 1];
                        place--;
                    }
                    stackDistance[place] = distance;
                    stackNode[place] = child;
                }
                while (mask != 0);
            }
            if (current != int.MinValue)
            {
                TestLeaf<TRule>(leaves + ~current, originX, originY, originZ, d, ray.Near, ref best, ref metBackFace);
                if (typeof(TRule) == typeof(FirstFound) && best.Triangle >= 0)
                    break;
            }
            do
            {
                if (top == 0)
                    goto done;
                top--;
            }
            while (stackDistance[top] > best.Distance);
            current = stackNode[top];
        }
    done:
        hit = best.Triangle < 0 ? Hit.None : new Hit(best.Triangle, best.Distance, best.U, best.V);
        return best.Triangle >= 0;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static void TestLeaf<TRule>(BvhLeaf* leaf, Vector256<float> ox, Vector256<float> oy, Vector256<float> oz, Vector3 direction, float near, ref Best best, ref bool metBackFace)
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
    private static Vector256<float> Dot(Vector256<float> ax, Vector256<float> ay, Vector256<float> az, Vector256<float> bx, Vector256<float> by, Vector256<float> bz) =>
        Vector256.FusedMultiplyAdd(ax, bx, Vector256.FusedMultiplyAdd(ay, by, az * bz));

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private static Vector256<float> Edge(
        Vector256<float> ex, Vector256<float> ey, Vector256<float> ez, Vector256<float> sx, Vector256<float> sy, Vector256<float> sz,
        Vector256<float> dx, Vector256<float> dy, Vector256<float> dz) =>
        Dot(Difference(ey, sz, ez, sy), Difference(ez, sx, ex, sz), Difference(ex, sy, ey, sx), dx, dy, dz);

    // A component of zero would make 0 · ∞; a tiny one of the same sign gives the same boxes.
    private static float Reciprocal(float d) => MathF.Abs(d) < 1e-18f ? MathF.CopySign(1e18f, d) : 1 / d;
}
