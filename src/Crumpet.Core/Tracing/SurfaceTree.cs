using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Tracing;

/// <summary>The nearest place of a surface.</summary>
/// <param name="Triangle">Triangle; -1 for none.</param>
/// <param name="Point">The place, metres.</param>
/// <param name="Distance">How far it is, metres.</param>
public readonly record struct NearPoint(int Triangle, Vector3 Point, float Distance);

/// <summary>Triangles in a hierarchy for distances. Safe to use from many threads at once.</summary>
public sealed class SurfaceTree
{
    private SurfaceTree(Vector3[] positions, int[] corners, BoxTree boxes)
    {
        Positions = positions;
        Corners = corners;
        Boxes = boxes;
    }

    /// <summary>Positions, metres.</summary>
    public Vector3[] Positions { get; }

    /// <summary>Three indices a triangle.</summary>
    public int[] Corners { get; }

    /// <summary>Boxes of the triangles.</summary>
    public BoxTree Boxes { get; }

    /// <summary>Builds the hierarchy of all triangles of some objects.</summary>
    public static SurfaceTree Build(IReadOnlyList<Mesh> meshes)
    {
        var (positions, corners) = Mesh.Join(meshes);
        var boxes = new Bounds[corners.Length / 3];
        for (int i = 0; i < boxes.Length; i++)
            boxes[i] = Bounds.Empty.Including(positions[corners[3 * i]]).Including(positions[corners[3 * i + 1]]).Including(positions[corners[3 * i + 2]]);
        return new SurfaceTree(positions, corners, BoxTree.Build(boxes));
    }

    /// <summary>Corner of a triangle.</summary>
    public Vector3 Corner(int triangle, int corner) => Positions[Corners[3 * triangle + corner]];

    /// <summary>The nearest place of the surface; <see cref="NearPoint.Triangle"/> is -1 where nothing is nearer than the limit.</summary>
    /// <param name="point">Metres.</param>
    /// <param name="limit">How far to look, metres.</param>
    public NearPoint Nearest(Vector3 point, float limit)
    {
        var measure = new ToTriangle(this, point);
        int triangle = Boxes.Nearest(point, limit, ref measure, out float squared);
        return triangle < 0 ? new NearPoint(-1, default, limit)
            : new NearPoint(triangle, ClosestOnTriangle(point, Corner(triangle, 0), Corner(triangle, 1), Corner(triangle, 2)), MathF.Sqrt(squared));
    }

    /// <summary>The point of a triangle nearest to a point.</summary>
    /// <remarks>Source: C. Ericson, Real-Time Collision Detection, 2005, section 5.1.5.</remarks>
    public static Vector3 ClosestOnTriangle(Vector3 p, Vector3 a, Vector3 b, Vector3 c)
    {
        Vector3 ab = b - a, ac = c - a, ap = p - a;
        float d1 = Vector3.Dot(ab, ap), d2 = Vector3.Dot(ac, ap);
        if (d1 <= 0 && d2 <= 0)
            return a;
        var bp = p - b;
        float d3 = Vector3.Dot(ab, bp), d4 = Vector3.Dot(ac, bp);
        if (d3 >= 0 && d4 <= d3)
            return b;
        float vc = d1 * d4 - d3 * d2;
        if (vc <= 0 && d1 >= 0 && d3 <= 0)
            return a + ab * (d1 / (d1 - d3));
        var cp = p - c;
        float d5 = Vector3.Dot(ab, cp), d6 = Vector3.Dot(ac, cp);
        if (d6 >= 0 && d5 <= d6)
            return c;
        float vb = d5 * d2 - d1 * d6;
        if (vb <= 0 && d2 >= 0 && d6 <= 0)
            return a + ac * (d2 / (d2 - d6));
        float va = d3 * d6 - d5 * d4;
        if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0)
            return b + (c - b) * ((d4 - d3) / (d4 - d3 + (d5 - d6)));
        float sum = va + vb + vc;
        return sum > 0 ? a + ab * (vb / sum) + ac * (vc / sum) : a;
    }

    private readonly struct ToTriangle(SurfaceTree tree, Vector3 point) : IPointDistance
    {
        public float SquaredDistance(int item) =>
            Vector3.DistanceSquared(point, ClosestOnTriangle(point, tree.Corner(item, 0), tree.Corner(item, 1), tree.Corner(item, 2)));
    }
}
