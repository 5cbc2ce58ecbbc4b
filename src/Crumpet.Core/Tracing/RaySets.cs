using System.Numerics;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Tracing;

/// <summary>Reproducible sets of rays of the two kinds a bake casts, for measuring.</summary>
public static class RaySets
{
    /// <summary>Rays that leave the surface in cosine-weighted directions, in no order: what ambient occlusion casts.</summary>
    /// <param name="positions">Positions, metres.</param>
    /// <param name="corners">Three indices a triangle.</param>
    /// <param name="count">How many rays.</param>
    public static Ray[] Hemisphere(Vector3[] positions, int[] corners, int count)
    {
        float size = Size(positions);
        return Fill(positions, corners, count, inOrder: false, (point, normal, random) =>
            new Ray(point + normal * (size * 1e-5f), new Hemisphere(normal).Direction(random), 0, size * 2));
    }

    /// <summary>Rays that start a little outside the surface and run back through it, triangle by triangle: what a cage casts.</summary>
    /// <param name="positions">Positions, metres.</param>
    /// <param name="corners">Three indices a triangle.</param>
    /// <param name="count">How many rays.</param>
    public static Ray[] Cage(Vector3[] positions, int[] corners, int count)
    {
        float reach = Size(positions) * 0.01f;
        return Fill(positions, corners, count, inOrder: true, (point, normal, _) => new Ray(point + normal * reach, -normal, 0, 2 * reach));
    }

    private static Ray[] Fill(Vector3[] positions, int[] corners, int count, bool inOrder, Func<Vector3, Vector3, Vector2, Ray> make)
    {
        int triangles = corners.Length / 3;
        var rays = new Ray[count];
        for (int i = 0; i < count; i++)
        {
            uint seed = Hash.Mix((uint)i);
            int triangle = inOrder ? (int)((long)i * triangles / count) : (int)(seed % (uint)triangles);
            Vector3 a = positions[corners[3 * triangle]], b = positions[corners[3 * triangle + 1]], c = positions[corners[3 * triangle + 2]];
            float u = Hash.ToUnit(Hash.Mix(seed + 1)), v = Hash.ToUnit(Hash.Mix(seed + 2));
            if (u + v > 1)
                (u, v) = (1 - u, 1 - v);
            var normal = Vector3.Cross(b - a, c - a);
            normal = normal.LengthSquared() > 0 ? Vector3.Normalize(normal) : Vector3.UnitY;
            rays[i] = make(a + u * (b - a) + v * (c - a), normal, new Vector2(Hash.ToUnit(Hash.Mix(seed + 3)), Hash.ToUnit(Hash.Mix(seed + 4))));
        }
        return rays;
    }

    private static float Size(Vector3[] positions)
    {
        Vector3 min = positions[0], max = positions[0];
        foreach (var p in positions)
            (min, max) = (Vector3.Min(min, p), Vector3.Max(max, p));
        return (max - min).Length();
    }
}
