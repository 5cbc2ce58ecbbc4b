using System.Numerics;
using System.Runtime.CompilerServices;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Tracing;

/// <summary>A ray prepared for the boxes of nodes, eight of which it is tested against at once.</summary>
/// <remarks>
/// Source: the slack that keeps the test from missing a box for rounding is that of T. Ize, "Robust BVH ray traversal", 2013,
/// here in the reciprocals. Where it would narrow a box, at distances below 0, the ray has not begun.
/// </remarks>
internal readonly unsafe struct Slabs
{
    private const float RoundDown = 1 - 3 * 1.1920929e-7f;
    private const float RoundUp = 1 + 3 * 1.1920929e-7f;

    public readonly Vector256<float> OriginX, OriginY, OriginZ;
    private readonly Vector256<float> enterX, enterY, enterZ, leaveX, leaveY, leaveZ, near;
    private readonly nint nearX, nearY, nearZ;

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public Slabs(in Ray ray)
    {
        float x = Reciprocal(ray.Direction.X), y = Reciprocal(ray.Direction.Y), z = Reciprocal(ray.Direction.Z);
        OriginX = Vector256.Create(ray.Origin.X);
        OriginY = Vector256.Create(ray.Origin.Y);
        OriginZ = Vector256.Create(ray.Origin.Z);
        enterX = Vector256.Create(x * RoundDown);
        enterY = Vector256.Create(y * RoundDown);
        enterZ = Vector256.Create(z * RoundDown);
        leaveX = Vector256.Create(x * RoundUp);
        leaveY = Vector256.Create(y * RoundUp);
        leaveZ = Vector256.Create(z * RoundUp);
        near = Vector256.Create(ray.Near);
        nearX = x >= 0 ? 0 : 8;
        nearY = y >= 0 ? 16 : 24;
        nearZ = z >= 0 ? 32 : 40;
    }

    /// <summary>Which of a node's boxes the ray meets no later than <paramref name="far"/>, a bit each, and where it enters them.</summary>
    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    public uint Test(float* boxes, float far, out Vector256<float> enter)
    {
        var x = (Vector256.Load(boxes + nearX) - OriginX) * enterX;
        var y = (Vector256.Load(boxes + nearY) - OriginY) * enterY;
        var z = (Vector256.Load(boxes + nearZ) - OriginZ) * enterZ;
        enter = Vector256.MaxNative(Vector256.MaxNative(x, y), Vector256.MaxNative(z, near));
        x = (Vector256.Load(boxes + (nearX ^ 8)) - OriginX) * leaveX;
        y = (Vector256.Load(boxes + (nearY ^ 8)) - OriginY) * leaveY;
        z = (Vector256.Load(boxes + (nearZ ^ 8)) - OriginZ) * leaveZ;
        var leave = Vector256.MinNative(Vector256.MinNative(x, y), Vector256.MinNative(z, Vector256.Create(far)));
        return Vector256.LessThanOrEqual(enter, leave).ExtractMostSignificantBits();
    }

    // A component of zero would make 0 · ∞; a tiny one of the same sign gives the same boxes.
    private static float Reciprocal(float d) => MathF.Abs(d) < 1e-18f ? MathF.CopySign(1e18f, d) : 1 / d;
}
