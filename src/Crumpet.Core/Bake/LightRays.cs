using System.Numerics;
using System.Runtime.Intrinsics;
using Crumpet.Core.Imaging;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Bake;

/// <summary>Casts rays over hemispheres of the high surface: outwards for occlusion, inwards for thickness.</summary>
/// <param name="settings">Which sides occlude, and how.</param>
/// <param name="rangeMetres">How far away something still occludes, metres; 0 for any distance.</param>
/// <param name="sizeMetres">No way through the solid is longer, metres.</param>
/// <param name="ground">Height of the ground, metres.</param>
/// <remarks>Points of a Sobol sequence, Owen-scrambled by a seed that every texel has of its own.</remarks>
internal sealed class LightRays(BakeSettings settings, float rangeMetres, float sizeMetres, float ground)
{
    private const float Unlimited = 1e30f;

    // To look ahead costs about as much as two rays.
    private const int LeastForLook = 6;

    /// <summary>Share of the cosine-weighted hemisphere that nothing blocks, and the mean of the open directions.</summary>
    /// <param name="occluders">What blocks light.</param>
    /// <param name="point">Place on the surface.</param>
    /// <param name="flat">Unit normal of its triangle.</param>
    /// <param name="normal">Unit shading normal.</param>
    /// <param name="sequence">Where in the sequence the rays are, and its seed.</param>
    /// <param name="count">Rays.</param>
    /// <param name="open">Sum of open directions, weighted by how open they are.</param>
    /// <param name="cast">Rays that were cast.</param>
    public float Openness(Bvh occluders, Vector3 point, Vector3 flat, Vector3 normal, (uint First, uint Seed) sequence, int count, out Vector3 open,
        out int cast)
    {
        float lift = Lift(point), range = rangeMetres > 0 ? rangeMetres : Unlimited, sum = 0;
        point += flat * lift;
        System.Runtime.CompilerServices.Unsafe.SkipInit(out Outlook outlook);
        bool looks = count >= LeastForLook && settings.OcclusionFalloffMetres <= 0 && settings.BackFacesOcclude;
        if (looks)
            occluders.Look(point, flat, lift / 2, range, out outlook);
        open = Vector3.Zero;
        cast = 0;
        var rays = new HemisphereRays(normal, flat, sequence.Seed);
        Span<Vector3> directions = stackalloc Vector3[HemisphereRays.Most];
        for (int i = 0; i < count; i += HemisphereRays.Most)
        {
            int some = rays.Next(sequence.First + (uint)i, Math.Min(HemisphereRays.Most, count - i), directions);
            foreach (var direction in directions[..some])
            {
                float share = 1 - Blocked(occluders, looks, in outlook, new Ray(point, direction, 0, range));
                sum += share;
                open += direction * share;
            }
            cast += some;
        }
        return cast > 0 ? sum / cast : 1;
    }

    /// <summary>Cosine-weighted mean way through the solid under a place, metres, none longer than the range.</summary>
    public float Thickness(Bvh solid, Vector3 point, Vector3 flat, Vector3 normal, (uint First, uint Seed) sequence, int count, out int cast)
    {
        point -= flat * Lift(point);
        float sum = 0, range = settings.ThicknessRangeMetres ?? sizeMetres;
        cast = 0;
        var rays = new HemisphereRays(-normal, -flat, sequence.Seed);
        Span<Vector3> directions = stackalloc Vector3[HemisphereRays.Most];
        for (int i = 0; i < count; i += HemisphereRays.Most)
        {
            int some = rays.Next(sequence.First + (uint)i, Math.Min(HemisphereRays.Most, count - i), directions);
            foreach (var direction in directions[..some])
                sum += solid.Closest(new Ray(point, direction, 0, range), out var hit) ? hit.Distance : range;
            cast += some;
        }
        return cast > 0 ? sum / cast : 0;
    }

    private float Blocked(Bvh bvh, bool looks, ref readonly Outlook outlook, in Ray ray)
    {
        float floor = settings.GroundOccludes && ray.Direction.Y < 0 ? (ground - ray.Origin.Y) / ray.Direction.Y : -1;
        bool onGround = floor >= 0 && floor <= ray.Far;
        if (looks)
            return onGround || bvh.Any(ray, in outlook) ? 1 : 0;
        if (settings.OcclusionFalloffMetres <= 0)
            return onGround || (settings.BackFacesOcclude ? bvh.Any(ray) : bvh.ClosestFacing(ray, out _, out _)) ? 1 : 0;
        float nearest = onGround ? floor : float.PositiveInfinity;
        if (settings.BackFacesOcclude ? bvh.Closest(ray, out var hit) : bvh.ClosestFacing(ray, out hit, out _))
            nearest = MathF.Min(nearest, hit.Distance);
        return Math.Clamp((ray.Far - nearest) / settings.OcclusionFalloffMetres, 0, 1);
    }

    // Far enough out that rounding of the point cannot put it under its own triangle.
    private static float Lift(Vector3 point) => MathF.Max(MathF.Abs(point.X), MathF.Max(MathF.Abs(point.Y), MathF.Abs(point.Z))) * 3.8e-6f + 1e-7f;
}

/// <summary>Directions over a hemisphere that leave a surface, eight at a time.</summary>
/// <param name="normal">Unit shading normal, around which they are.</param>
/// <param name="flat">Unit normal of the surface, on whose side they are.</param>
/// <param name="seed">What the points are scrambled by.</param>
internal readonly struct HemisphereRays(Vector3 normal, Vector3 flat, uint seed)
{
    /// <summary>The most that are made at once.</summary>
    public const int Most = 8;

    private readonly Hemisphere hemisphere = new(normal);
    private readonly SobolSequence.Points points = new(seed);

    /// <summary>Directions of points that follow each other.</summary>
    /// <param name="first">The first point's place in the sequence.</param>
    /// <param name="count">How many points, at most <see cref="Most"/>.</param>
    /// <param name="directions">Takes those that do not go into the surface.</param>
    /// <returns>How many those are.</returns>
    public int Next(uint first, int count, Span<Vector3> directions)
    {
        var (u, v) = points.Eight(first);
        var (x, y, z) = hemisphere.Directions(u, v);
        var rise = Vector256.FusedMultiplyAdd(x, Vector256.Create(flat.X), Vector256.FusedMultiplyAdd(y, Vector256.Create(flat.Y), z * flat.Z));
        uint leaving = Vector256.GreaterThan(rise, Vector256<float>.Zero).ExtractMostSignificantBits() & (0xffu >> (Most - count));
        Span<float> xs = stackalloc float[Most], ys = stackalloc float[Most], zs = stackalloc float[Most];
        x.CopyTo(xs);
        y.CopyTo(ys);
        z.CopyTo(zs);
        int found = 0;
        for (; leaving != 0; leaving &= leaving - 1)
        {
            int lane = BitOperations.TrailingZeroCount(leaving);
            directions[found++] = new Vector3(xs[lane], ys[lane], zs[lane]);
        }
        return found;
    }
}
