using System.Numerics;
using Crumpet.Core.Geometry;
using Crumpet.Core.Tracing;

namespace Crumpet.Core.Layout;

/// <summary>
/// How much of a place on the low side is seen: by rays that leave it in all directions its surface looks to, past its own and all other
/// objects. Directions from below count less, as things are mostly looked at from above and from around.
/// </summary>
internal sealed class SeamSight : IDisposable
{
    private const int Directions = 40;

    /// <summary>What a look straight from below counts against one from above or level.</summary>
    private const float FromBelow = 0.15f;

    /// <summary>Rays begin this share of the scene's size off the surface.</summary>
    private const float Lift = 1e-4f;

    private static readonly (Vector3 Towards, float Weight)[] Looks = [.. Enumerable.Range(0, Directions).Select(Look)];
    private static readonly float Most = Looks.Sum(l => l.Towards.Y > 0 ? l.Weight : 0);

    private readonly Bvh bvh;
    private readonly float size;

    /// <summary>Prepares for all that stands together.</summary>
    /// <param name="meshes">Every object of the low side.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="cancel">Ends the work early.</param>
    public SeamSight(IReadOnlyList<Mesh> meshes, int threads, CancellationToken cancel)
    {
        var (positions, corners) = Mesh.Join(meshes);
        bvh = Bvh.Build(positions, corners, threads, cancel);
        size = positions.Aggregate(Bounds.Empty, (b, p) => b.Including(p)).Size.Length();
    }

    /// <summary>How much a place is seen, from 0 for not at all to about 1 for what lies open and looks up.</summary>
    /// <param name="place">Where it is, metres.</param>
    /// <param name="normal">Which way its surface looks, of unit length.</param>
    public float At(Vector3 place, Vector3 normal)
    {
        float seen = 0;
        var from = place + Lift * size * normal;
        foreach (var (towards, weight) in Looks)
        {
            if (Vector3.Dot(towards, normal) > 0.01f && !bvh.Any(new Ray(from, towards, 0, 2 * size)))
                seen += weight;
        }
        return MathF.Min(1, seen / Most);
    }

    /// <summary>How much each point of an object is seen.</summary>
    /// <param name="topology">Object; one of those that stand together.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="cancel">Ends the work early.</param>
    public float[] AtPoints(Topology topology, int threads, CancellationToken cancel)
    {
        var mesh = topology.Mesh;
        var seen = new float[topology.PointCount];
        var normals = new Vector3[topology.PointCount];
        var at = new Vector3[topology.PointCount];
        for (int c = 0; c < mesh.Corners.Length; c++)
        {
            normals[topology.Points[c]] += topology.FaceNormal(c / 3);
            at[topology.Points[c]] = mesh.PositionAt(c);
        }
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        Parallel.For(0, (seen.Length + 255) / 256, options, block =>
        {
            for (int p = 256 * block; p < Math.Min(seen.Length, 256 * block + 256); p++)
                seen[p] = At(at[p], normals[p].LengthSquared() > 1e-12f ? Vector3.Normalize(normals[p]) : Vector3.UnitY);
        });
        return seen;
    }

    /// <summary>Length of the borders of charts, each as far as it is seen, metres; a seam has two sides that count half each.</summary>
    /// <param name="charts">The charts.</param>
    /// <param name="threads">Threads to use; the length does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    public double SeenMetres(IReadOnlyList<ChartMesh> charts, int threads, CancellationToken cancel)
    {
        var sums = new double[charts.Count];
        Parallel.For(0, sums.Length, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, i =>
        {
            var chart = charts[i];
            for (int c = 0; c < chart.Across.Length; c++)
            {
                if (chart.Across[c] >= 0)
                    continue;
                Vector3 a = chart.Positions[chart.Corners[c]], b = chart.Positions[chart.Corners[Topology.Next(c)]];
                sums[i] += 0.5 * chart.Length(c) * At((a + b) / 2, chart.Normal(c / 3));
            }
        });
        return sums.Sum();
    }

    public void Dispose() => bvh.Dispose();

    /// <summary>Even directions over the sphere, on a golden spiral.</summary>
    private static (Vector3 Towards, float Weight) Look(int number)
    {
        float y = 1 - (2 * number + 1) / (float)Directions;
        var (sin, cos) = MathF.SinCos(2.39996323f * number);
        float flat = MathF.Sqrt(1 - y * y);
        return (new Vector3(flat * cos, y, flat * sin), y >= 0 ? 1 : 1 + y * (1 - FromBelow));
    }
}
