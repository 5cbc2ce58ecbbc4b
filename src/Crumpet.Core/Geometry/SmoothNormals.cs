using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>Normals averaged over the triangles that meet in a point, weighted by their angle there.</summary>
/// <remarks>Source: G. Thürmer and C. Wüthrich, "Computing vertex normals from polygonal facets", 1998.</remarks>
public static class SmoothNormals
{
    /// <summary>One unit normal per corner; corners at bit-equal positions share it, whatever splits the source has.</summary>
    /// <param name="mesh">Triangles; those of no area are passed over.</param>
    public static Vector3[] PerCorner(Mesh mesh)
    {
        var groups = PositionWeld.Groups(mesh.Positions, out int groupCount);
        var sums = new Vector3[groupCount];
        for (int triangle = 0; triangle < mesh.TriangleCount; triangle++)
        {
            var a = mesh.PositionAt(3 * triangle);
            var b = mesh.PositionAt(3 * triangle + 1);
            var c = mesh.PositionAt(3 * triangle + 2);
            var normal = Vector3.Cross(b - a, c - a);
            if (MeshFlaws.IsEmpty(mesh, triangle))
                continue;
            normal /= normal.Length();
            sums[groups[mesh.Corners[3 * triangle]]] += normal * Angle(b - a, c - a);
            sums[groups[mesh.Corners[3 * triangle + 1]]] += normal * Angle(c - b, a - b);
            sums[groups[mesh.Corners[3 * triangle + 2]]] += normal * Angle(a - c, b - c);
        }
        var result = new Vector3[mesh.Corners.Length];
        for (int corner = 0; corner < result.Length; corner++)
        {
            var sum = sums[groups[mesh.Corners[corner]]];
            float length = sum.Length();
            result[corner] = length > 0 ? sum / length : Vector3.UnitY;
        }
        return result;
    }

    /// <summary>One unit normal per corner, smooth only among triangles that meet in a point and are of the same group.</summary>
    /// <param name="mesh">Triangles.</param>
    /// <param name="triangleGroups">Smoothing group per triangle; 0 for flat.</param>
    public static Vector3[] ByGroups(Mesh mesh, int[] triangleGroups)
    {
        var welded = PositionWeld.Groups(mesh.Positions, out _);
        var sums = new Dictionary<(int Point, int Group), Vector3>();
        var result = new Vector3[mesh.Corners.Length];
        for (int pass = 0; pass < 2; pass++)
        {
            for (int corner = 0; corner < mesh.Corners.Length; corner++)
            {
                int triangle = corner / 3, next = 3 * triangle + (corner + 1) % 3, last = 3 * triangle + (corner + 2) % 3;
                Vector3 at = mesh.PositionAt(corner), toNext = mesh.PositionAt(next) - at, toLast = mesh.PositionAt(last) - at;
                var flat = Vector3.Cross(toNext, toLast);
                flat = flat.LengthSquared() > 0 ? Vector3.Normalize(flat) : Vector3.Zero;
                var key = (welded[mesh.Corners[corner]], triangleGroups[triangle]);
                if (pass == 0 && key.Item2 > 0)
                    sums[key] = sums.GetValueOrDefault(key) + flat * Angle(toNext, toLast);
                else if (pass == 1)
                    result[corner] = UnitOr(key.Item2 > 0 ? sums[key] : flat);
            }
        }
        return result;
    }

    /// <summary>One unit normal per corner, averaged over the triangles that hang together around a point across smooth edges.</summary>
    /// <param name="topology">Neighbourhoods.</param>
    /// <param name="isSmooth">Whether shading runs on over a half-edge that has a triangle across.</param>
    /// <param name="fans">Receives for each corner the number of its fan: corners of one fan share their normal.</param>
    public static Vector3[] ByFans(Topology topology, Func<int, bool> isSmooth, out int[] fans)
    {
        var mesh = topology.Mesh;
        var parent = new int[mesh.Corners.Length];
        for (int c = 0; c < parent.Length; c++)
            parent[c] = c;
        for (int c = 0; c < parent.Length; c++)
        {
            if (topology.Across[c] <= c || !isSmooth(c))
                continue;
            var (near, far) = MeshFlaws.Ends(topology, c);
            parent[Topology.Root(parent, near)] = Topology.Root(parent, c);
            parent[Topology.Root(parent, far)] = Topology.Root(parent, Topology.Next(c));
        }
        var sums = new Vector3[parent.Length];
        fans = new int[parent.Length];
        for (int c = 0; c < parent.Length; c++)
        {
            fans[c] = Topology.Root(parent, c);
            Vector3 at = mesh.PositionAt(c), toNext = mesh.PositionAt(Topology.Next(c)) - at, toLast = mesh.PositionAt(Topology.Next(Topology.Next(c))) - at;
            sums[fans[c]] += topology.FaceNormal(c / 3) * Angle(toNext, toLast);
        }
        var result = new Vector3[parent.Length];
        for (int c = 0; c < parent.Length; c++)
            result[c] = UnitOr(sums[fans[c]]);
        return result;
    }

    private static Vector3 UnitOr(Vector3 sum) => sum.LengthSquared() > 0 ? Vector3.Normalize(sum) : Vector3.UnitY;

    /// <summary>Angle between two directions, radians; 0 where one has no length.</summary>
    internal static float Angle(Vector3 a, Vector3 b)
    {
        float lengths = a.Length() * b.Length();
        return lengths > 0 ? MathF.Acos(Math.Clamp(Vector3.Dot(a, b) / lengths, -1f, 1f)) : 0;
    }
}
