using System.Numerics;
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
        point += flat * Lift(point);
        float range = rangeMetres > 0 ? rangeMetres : Unlimited;
        float sum = 0;
        open = Vector3.Zero;
        cast = 0;
        var points = new SobolSequence.Points(sequence.Seed);
        for (uint i = 0; i < count; i++)
        {
            var direction = Hemispheres.CosineDirection(normal, points.Point(sequence.First + i));
            if (Vector3.Dot(direction, flat) <= 0)
                continue;
            cast++;
            float share = 1 - Blocked(occluders, new Ray(point, direction, 0, range));
            sum += share;
            open += direction * share;
        }
        return cast > 0 ? sum / cast : 1;
    }

    /// <summary>Cosine-weighted mean way through the solid under a place, metres, none longer than the range.</summary>
    public float Thickness(Bvh solid, Vector3 point, Vector3 flat, Vector3 normal, (uint First, uint Seed) sequence, int count, out int cast)
    {
        point -= flat * Lift(point);
        float sum = 0, range = settings.ThicknessRangeMetres ?? sizeMetres;
        cast = 0;
        var points = new SobolSequence.Points(sequence.Seed);
        for (uint i = 0; i < count; i++)
        {
            var direction = Hemispheres.CosineDirection(-normal, points.Point(sequence.First + i));
            if (Vector3.Dot(direction, flat) >= 0)
                continue;
            cast++;
            sum += solid.Closest(new Ray(point, direction, 0, range), out var hit) ? hit.Distance : range;
        }
        return cast > 0 ? sum / cast : 0;
    }

    private float Blocked(Bvh bvh, in Ray ray)
    {
        float floor = settings.GroundOccludes && ray.Direction.Y < 0 ? (ground - ray.Origin.Y) / ray.Direction.Y : -1;
        bool onGround = floor >= 0 && floor <= ray.Far;
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
