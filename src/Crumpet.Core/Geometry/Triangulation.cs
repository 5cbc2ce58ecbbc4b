using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>Cuts polygons into triangles, the same way wherever a polygon is read.</summary>
/// <remarks>Source: G. H. Meisters, "Polygons have ears", 1975; quads by the shorter diagonal unless that would fold them.</remarks>
public static class Triangulation
{
    /// <summary>Most corners of a polygon; readers refuse larger ones.</summary>
    public const int LargestPolygon = 1 << 14;

    // Polygons that wind through themselves would take cubic time; past this many tests the widest corner is taken unlooked.
    private const int MostTests = 1 << 24;

    /// <summary>Appends the triangles of one polygon as indices into it, three a triangle, in its winding.</summary>
    /// <param name="polygon">Corner positions in order, at least three.</param>
    /// <param name="triangles">Receives <c>3 * (n - 2)</c> indices.</param>
    public static void Cut(ReadOnlySpan<Vector3> polygon, List<int> triangles)
    {
        if (polygon.Length == 3)
        {
            triangles.AddRange([0, 1, 2]);
            return;
        }
        var normal = Newell(polygon);
        if (polygon.Length == 4)
        {
            CutQuad(polygon, normal, triangles);
            return;
        }
        var remaining = new List<int>(polygon.Length);
        for (int i = 0; i < polygon.Length; i++)
            remaining.Add(i);
        int tests = 0;
        while (remaining.Count > 3)
        {
            int ear = FindEar(polygon, normal, remaining, ref tests);
            int previous = remaining[(ear + remaining.Count - 1) % remaining.Count];
            int next = remaining[(ear + 1) % remaining.Count];
            triangles.AddRange([previous, remaining[ear], next]);
            remaining.RemoveAt(ear);
        }
        triangles.AddRange(remaining);
    }

    private static void CutQuad(ReadOnlySpan<Vector3> p, Vector3 normal, List<int> triangles)
    {
        bool fits02 = Facing(p[0], p[1], p[2], normal) > 0 && Facing(p[0], p[2], p[3], normal) > 0;
        bool fits13 = Facing(p[0], p[1], p[3], normal) > 0 && Facing(p[1], p[2], p[3], normal) > 0;
        bool shorter02 = Vector3.DistanceSquared(p[0], p[2]) <= Vector3.DistanceSquared(p[1], p[3]);
        bool along02 = fits02 == fits13 ? shorter02 : fits02;
        triangles.AddRange(along02 ? [0, 1, 2, 0, 2, 3] : [0, 1, 3, 1, 2, 3]);
    }

    private static int FindEar(ReadOnlySpan<Vector3> polygon, Vector3 normal, List<int> remaining, ref int tests)
    {
        int fallback = 0;
        float widest = float.NegativeInfinity;
        for (int i = 0; i < remaining.Count; i++)
        {
            int previous = remaining[(i + remaining.Count - 1) % remaining.Count], next = remaining[(i + 1) % remaining.Count];
            Vector3 a = polygon[previous], b = polygon[remaining[i]], c = polygon[next];
            float facing = Facing(a, b, c, normal);
            if (facing > widest)
                (widest, fallback) = (facing, i);
            if (facing <= 0)
                continue;
            if (tests > MostTests)
                return i;
            bool empty = true;
            tests += remaining.Count;
            foreach (int other in remaining)
            {
                if (other == previous || other == remaining[i] || other == next)
                    continue;
                var q = polygon[other];
                if (q != a && q != b && q != c && Facing(a, b, q, normal) >= 0 && Facing(b, c, q, normal) >= 0 && Facing(c, a, q, normal) >= 0)
                {
                    empty = false;
                    break;
                }
            }
            if (empty)
                return i;
        }
        // A polygon that crosses itself has no clean ear left; the widest corner loses least.
        return fallback;
    }

    private static float Facing(Vector3 a, Vector3 b, Vector3 c, Vector3 normal) => Vector3.Dot(Vector3.Cross(b - a, c - a), normal);

    private static Vector3 Newell(ReadOnlySpan<Vector3> polygon)
    {
        var sum = Vector3.Zero;
        for (int i = 0; i < polygon.Length; i++)
            sum += Vector3.Cross(polygon[i] - polygon[0], polygon[(i + 1) % polygon.Length] - polygon[0]);
        return sum;
    }
}
