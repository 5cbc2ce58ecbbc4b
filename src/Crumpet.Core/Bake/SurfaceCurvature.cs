using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Bake;

/// <summary>Mean curvature of a mesh: half the sum of the two principal curvatures, positive where the surface bulges outwards.</summary>
/// <remarks>
/// The curvature of a piece of surface is the sum over its edges of half the signed dihedral angle times the edge's length.
/// Source: D. Cohen-Steiner, J.-M. Morvan, "Restricted Delaunay triangulations and normal cycle", SoCG 2003.
/// </remarks>
internal static class SurfaceCurvature
{
    private const int Sides = 6;

    // Two texels of an object that fills a sheet of 512, a finger's width on what is as large as a house.
    private const float RadiusShare = 0.004f;

    /// <summary>Radius that goes with an object's size, metres.</summary>
    /// <param name="box">Its box, metres.</param>
    public static float RadiusFor(Bounds box) => Lengths.RoundedUp(RadiusShare * box.Size.Length());

    /// <summary>Curvature at every corner, 1/m: 1/r on a sphere of radius r, 1/(2r) on a cylinder.</summary>
    /// <param name="mesh">Triangles.</param>
    /// <param name="radiusMetres">Radius over which it is averaged, metres; 0 averages over the triangles at a vertex.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static float[] PerCorner(Mesh mesh, float radiusMetres, int threads, CancellationToken cancel)
    {
        var topology = Topology.OfSolid(mesh);
        var points = new Point[topology.PointCount];
        var faces = new Vector3[mesh.TriangleCount];
        for (int t = 0; t < mesh.TriangleCount; t++)
        {
            Vector3 a = mesh.PositionAt(3 * t), cross = Vector3.Cross(mesh.PositionAt(3 * t + 1) - a, mesh.PositionAt(3 * t + 2) - a);
            if (MeshFlaws.IsEmpty(mesh, t))
                cross = Vector3.Zero;
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
            points[topology.Points[c]].Curvature += angle * length / 4;
            points[topology.Points[Topology.Next(c)]].Curvature += angle * length / 4;
        }
        float[] values = radiusMetres > 0 ? Averaged(points, radiusMetres, threads, cancel)
            : Array.ConvertAll(points, p => p.Area > 0 ? p.Curvature / p.Area : 0);
        return Array.ConvertAll(topology.Points, p => values[p]);
    }

    private struct Point
    {
        public Vector3 At, Normal;
        public float Area, Curvature;
    }

    /// <summary>Sums of the points of a cell that look to one of six sides.</summary>
    private struct Cell
    {
        public Vector3 Centre;
        public float Area, Curvature;
    }

    // Points are summed in cells of half the radius, apart by the side they look to, so that the two faces of a thin plate do not mix
    // and the time does not grow with the radius.
    private static float[] Averaged(Point[] points, float radius, int threads, CancellationToken cancel)
    {
        float cell = radius / 2;
        var slots = new Dictionary<(int, int, int), int>(points.Length / 2);
        var slotOf = new int[points.Length];
        for (int i = 0; i < points.Length; i++)
        {
            points[i].Normal = Unit(points[i].Normal);
            var key = Key(points[i].At, cell);
            if (!slots.TryGetValue(key, out slotOf[i]))
                slots.Add(key, slotOf[i] = slots.Count);
        }
        cancel.ThrowIfCancellationRequested();
        var cells = new Cell[slots.Count * Sides];
        var starts = new int[slots.Count + 1];
        for (int i = 0; i < points.Length; i++)
        {
            starts[slotOf[i] + 1]++;
            for (int side = 0; side < Sides; side++)
            {
                float weight = Toward(points[i].Normal, side);
                ref var sum = ref cells[slotOf[i] * Sides + side];
                sum.Area += weight * points[i].Area;
                sum.Curvature += weight * points[i].Curvature;
                sum.Centre += weight * points[i].Area * points[i].At;
            }
        }
        for (int i = 0; i < cells.Length; i++)
            cells[i].Centre = cells[i].Area > 0 ? cells[i].Centre / cells[i].Area : default;
        for (int i = 0; i < slots.Count; i++)
            starts[i + 1] += starts[i];
        var inCell = new int[points.Length];
        int[] next = starts[..^1];
        for (int i = 0; i < points.Length; i++)
            inCell[next[slotOf[i]]++] = i;
        var values = new float[points.Length];
        Parallel.For(0, slots.Count, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, slot =>
        {
            Span<int> near = stackalloc int[125];
            int count = Near(Key(points[inCell[starts[slot]]].At, cell), slots, near);
            foreach (int i in inCell.AsSpan(starts[slot], starts[slot + 1] - starts[slot]))
                values[i] = Average(points[i], cells, near[..count], radius);
        });
        return values;
    }

    /// <summary>The occupied cells up to two away in each direction.</summary>
    private static int Near((int X, int Y, int Z) at, Dictionary<(int, int, int), int> slots, Span<int> near)
    {
        int count = 0;
        for (int dz = -2; dz <= 2; dz++)
            for (int dy = -2; dy <= 2; dy++)
                for (int dx = -2; dx <= 2; dx++)
                    if (slots.TryGetValue((at.X + dx, at.Y + dy, at.Z + dz), out int slot))
                        near[count++] = slot;
        return count;
    }

    private static float Average(in Point point, Cell[] cells, ReadOnlySpan<int> near, float radius)
    {
        // A normal looks to three sides at most.
        Span<(int Side, float Share)> toward = stackalloc (int, float)[3];
        for (int axis = 0; axis < 3; axis++)
        {
            int side = Toward(point.Normal, 2 * axis) > 0 ? 2 * axis : 2 * axis + 1;
            toward[axis] = (side, Toward(point.Normal, side));
        }
        // The point itself always counts, so that a radius below the edges' length changes nothing.
        float area = point.Area, curvature = point.Curvature, scale = 1 / (radius * radius);
        foreach (int slot in near)
        {
            foreach (var (side, weight) in toward)
            {
                ref var sum = ref cells[slot * Sides + side];
                if (weight * sum.Area <= 0)
                    continue;
                float share = 1 - Vector3.DistanceSquared(sum.Centre, point.At) * scale;
                if (share <= 0)
                    continue;
                area += weight * share * share * sum.Area;
                curvature += weight * share * share * sum.Curvature;
            }
        }
        return area > 0 ? curvature / area : 0;
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
