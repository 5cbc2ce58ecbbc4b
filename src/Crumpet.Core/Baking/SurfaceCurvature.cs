using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Baking;

/// <summary>Mean curvature of a mesh: half the sum of the two principal curvatures, positive where the surface bulges outwards.</summary>
/// <remarks>
/// The curvature of a piece of surface is the sum over its edges of half the signed dihedral angle times the edge's length.
/// Source: D. Cohen-Steiner, J.-M. Morvan, "Restricted Delaunay triangulations and normal cycle", SoCG 2003.
/// </remarks>
internal static class SurfaceCurvature
{
    private const int Sides = 6;

    /// <summary>Curvature at every corner, 1/m: 1/r on a sphere of radius r, 1/(2r) on a cylinder.</summary>
    /// <param name="mesh">Triangles.</param>
    /// <param name="radiusMetres">Radius over which it is averaged, metres; 0 averages over the triangles at a vertex.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static float[] PerCorner(Mesh mesh, float radiusMetres, int threads, CancellationToken cancel)
    {
        var topology = Topology.Of(mesh);
        var points = new Point[topology.PointCount];
        var faces = new Vector3[mesh.TriangleCount];
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            Vector3 a = mesh.PositionAt(3 * t), cross = Vector3.Cross(mesh.PositionAt(3 * t + 1) - a, mesh.PositionAt(3 * t + 2) - a);
            float twice = cross.Length();
            faces[t] = twice > 0 ? cross / twice : Vector3.Zero;
            for (int c = 3 * t; c < 3 * t + 3; c++)
            {
                ref var point = ref points[topology.Points[c]];
                point.At = mesh.PositionAt(c);
                point.Area += twice / 6;
                point.Normal += cross;
            }
        }
        cancel.ThrowIfCancellationRequested();
        for (int c = 0; c < mesh.Corners.Length; c++)
        {
            int across = topology.Across[c];
            if (across <= c)
                continue;
            Vector3 one = faces[c / 3], two = faces[across / 3], along = mesh.PositionAt(Topology.Next(c)) - mesh.PositionAt(c);
            float length = along.Length();
            if (length <= 0 || one == Vector3.Zero || two == Vector3.Zero)
                continue;
            float angle = MathF.Atan2(Vector3.Dot(Vector3.Cross(one, two), along) / length, Vector3.Dot(one, two));
            // Half of the edge's sum goes to each of its ends.
            points[topology.Points[c]].Bend += angle * length / 4;
            points[topology.Points[Topology.Next(c)]].Bend += angle * length / 4;
        }
        float[] values = radiusMetres > 0 ? Averaged(points, radiusMetres, threads, cancel) : Array.ConvertAll(points, p => p.Area > 0 ? p.Bend / p.Area : 0);
        return Array.ConvertAll(topology.Points, p => values[p]);
    }

    private struct Point
    {
        public Vector3 At, Normal;
        public float Area, Bend;
    }

    /// <summary>Sums of the points of a cell that look to one of six sides.</summary>
    private struct Cell
    {
        public Vector3 Moment;
        public float Area, Bend;
    }

    // Points are summed in cells of half the radius, apart by the side they look to, so that the two faces of a thin plate do not mix
    // and the time does not grow with the radius.
    private static float[] Averaged(Point[] points, float radius, int threads, CancellationToken cancel)
    {
        float cell = radius / 2;
        var slots = new Dictionary<(int, int, int), int>(points.Length / 2);
        var cells = new List<Cell>();
        for (int i = 0; i < points.Length; i++)
        {
            var key = Key(points[i].At, cell);
            if (!slots.TryGetValue(key, out int slot))
            {
                slots.Add(key, slot = cells.Count);
                for (int side = 0; side < Sides; side++)
                    cells.Add(default);
            }
            var n = Unit(points[i].Normal);
            for (int side = 0; side < Sides; side++)
            {
                float weight = Toward(n, side);
                if (weight <= 0)
                    continue;
                var sum = cells[slot + side];
                sum.Area += weight * points[i].Area;
                sum.Bend += weight * points[i].Bend;
                sum.Moment += weight * points[i].Area * points[i].At;
                cells[slot + side] = sum;
            }
        }
        var all = cells.ToArray();
        var values = new float[points.Length];
        Parallel.For(0, (points.Length + 1023) / 1024, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, part =>
        {
            for (int i = part * 1024; i < Math.Min(points.Length, (part + 1) * 1024); i++)
                values[i] = Average(points[i], slots, all, cell, radius);
        });
        return values;
    }

    private static float Average(in Point point, Dictionary<(int, int, int), int> slots, Cell[] cells, float cell, float radius)
    {
        var (x, y, z) = Key(point.At, cell);
        var n = Unit(point.Normal);
        // The point itself always counts, so that a radius below the edges' length changes nothing.
        float area = point.Area, bend = point.Bend;
        for (int dz = -2; dz <= 2; dz++)
        {
            for (int dy = -2; dy <= 2; dy++)
            {
                for (int dx = -2; dx <= 2; dx++)
                {
                    if (!slots.TryGetValue((x + dx, y + dy, z + dz), out int slot))
                        continue;
                    for (int side = 0; side < Sides; side++)
                    {
                        float toward = Toward(n, side);
                        ref var sum = ref cells[slot + side];
                        if (toward <= 0 || sum.Area <= 0)
                            continue;
                        float share = 1 - Vector3.DistanceSquared(sum.Moment / sum.Area, point.At) / (radius * radius);
                        if (share <= 0)
                            continue;
                        area += toward * share * share * sum.Area;
                        bend += toward * share * share * sum.Bend;
                    }
                }
            }
        }
        return area > 0 ? bend / area : 0;
    }

    private static (int, int, int) Key(Vector3 at, float cell) => ((int)MathF.Floor(at.X / cell), (int)MathF.Floor(at.Y / cell), (int)MathF.Floor(at.Z / cell));

    private static Vector3 Unit(Vector3 n) => n.LengthSquared() > 0 ? Vector3.Normalize(n) : Vector3.UnitY;

    /// <summary>How much a unit normal looks to a side; the six add up to 1.</summary>
    private static float Toward(Vector3 n, int side)
    {
        float along = (side / 2) switch { 0 => n.X, 1 => n.Y, _ => n.Z };
        return (side % 2 == 0) == (along > 0) ? along * along : 0;
    }
}
