using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Pairs;

/// <summary>Measures how well surfaces lie on each other, at points spread evenly over them.</summary>
internal static class FitMeasure
{
    private const int Samples = 768;

    /// <summary>How well the low side lies on the high side.</summary>
    /// <param name="low">Low objects.</param>
    /// <param name="high">High surface.</param>
    /// <param name="within">How far outside and inside the low surface is within reach.</param>
    public static PartFit Of(IReadOnlyList<Mesh> low, SurfaceTree high, ReachSettings within)
    {
        var (outward, inward) = within;
        int found = 0, all = 0;
        double sum = 0, greatest = 0;
        foreach (var (point, normal) in Spread(low, Samples))
        {
            all++;
            var near = high.Nearest(point, MathF.Max(outward, inward) * 1.0001f);
            if (near.Triangle < 0 || near.Distance > (Vector3.Dot(near.Point - point, normal) > 0 ? outward : inward) * 1.0001f)
                continue;
            found++;
            sum += near.Distance;
            greatest = Math.Max(greatest, near.Distance);
        }
        return new PartFit(all == 0 ? 0 : (double)found / all, greatest, found == 0 ? 0 : sum / found) { Within = within };
    }

    /// <summary>Share of a surface's area that has another surface within a distance.</summary>
    public static double Share(IReadOnlyList<Mesh> meshes, SurfaceTree surface, float distance, int samples)
    {
        int found = 0, all = 0;
        foreach (var (point, _) in Spread(meshes, samples))
        {
            all++;
            if (surface.Nearest(point, distance).Triangle >= 0)
                found++;
        }
        return all == 0 ? 0 : (double)found / all;
    }

    /// <summary>Points spread over a surface by area, with the flat normals there.</summary>
    private static IEnumerable<(Vector3 Point, Vector3 Normal)> Spread(IReadOnlyList<Mesh> meshes, int samples)
    {
        var (positions, corners) = Mesh.Join(meshes);
        var upTo = new double[corners.Length / 3];
        double total = 0;
        for (int i = 0; i < upTo.Length; i++)
            upTo[i] = total += Cross(i).Length();
        if (total <= 0)
            yield break;
        int triangle = 0;
        for (int k = 0; k < samples; k++)
        {
            while (triangle < upTo.Length - 1 && upTo[triangle] < (k + 0.5) / samples * total)
                triangle++;
            // The golden ratio of the plane. Source: M. Roberts, "The unreasonable effectiveness of quasirandom sequences", 2018.
            float u = (float)(k * 0.7548776662466927 % 1), v = (float)(k * 0.5698402909980532 % 1);
            if (u + v > 1)
                (u, v) = (1 - u, 1 - v);
            Vector3 a = positions[corners[3 * triangle]], b = positions[corners[3 * triangle + 1]], c = positions[corners[3 * triangle + 2]];
            yield return (a + u * (b - a) + v * (c - a), Vector3.Normalize(Cross(triangle)));
        }

        Vector3 Cross(int i)
        {
            var a = positions[corners[3 * i]];
            return Vector3.Cross(positions[corners[3 * i + 1]] - a, positions[corners[3 * i + 2]] - a);
        }
    }
}
