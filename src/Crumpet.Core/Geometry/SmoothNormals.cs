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
            float length = normal.Length();
            if (!(length > 0))
                continue;
            normal /= length;
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

    private static float Angle(Vector3 a, Vector3 b)
    {
        float lengths = a.Length() * b.Length();
        return lengths > 0 ? MathF.Acos(Math.Clamp(Vector3.Dot(a, b) / lengths, -1f, 1f)) : 0;
    }
}
