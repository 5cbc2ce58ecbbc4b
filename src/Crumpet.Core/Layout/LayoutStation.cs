using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>One UV island.</summary>
/// <param name="ObjectName">Name of its object.</param>
/// <param name="Triangles">Triangles.</param>
/// <param name="Density">Texel density, px/m.</param>
/// <param name="UvArea">Share of the tile its triangles cover.</param>
public sealed record Island(string ObjectName, int Triangles, double Density, double UvArea);

/// <summary>How the UVs of the low side use the tile.</summary>
/// <param name="Islands">Number of islands.</param>
/// <param name="RoomUsed">Share of the tile the islands cover, 0 to 1.</param>
/// <param name="MedianDensity">Area-weighted median, px/m.</param>
/// <param name="LeastDensity">Of the island with the fewest px/m.</param>
/// <param name="GreatestDensity">Of the island with the most px/m.</param>
/// <param name="FlippedTriangles">Triangles whose UVs run the other way round.</param>
/// <param name="OutsideTriangles">Triangles that leave the tile.</param>
/// <param name="Size">Side of the sheet the densities are for, pixels.</param>
public sealed record LayoutReport(
    int Islands, double RoomUsed, double MedianDensity, double LeastDensity, double GreatestDensity, int FlippedTriangles, int OutsideTriangles, int Size);

/// <summary>Measures UVs as they came.</summary>
public static class LayoutStation
{
    private const float Slack = 1e-4f;

    /// <summary>Measures the UVs of the low objects for one size of sheet.</summary>
    /// <param name="low">Low objects; those without UVs are passed over.</param>
    /// <param name="size">Side of the sheet, pixels.</param>
    public static (LayoutReport Report, IReadOnlyList<Finding> Findings) Run(IReadOnlyList<Mesh> low, int size)
    {
        var islands = new List<Island>();
        var findings = new List<Finding>();
        int flipped = 0, outside = 0;
        foreach (var mesh in low)
        {
            if (mesh.Uvs is not { } uvs)
                continue;
            islands.AddRange(IslandsOf(mesh, uvs, size));
            int flippedHere = 0, outsideHere = 0;
            for (int t = 0; t < mesh.TriangleCount; t++)
            {
                if (SignedArea(uvs, t) < 0)
                    flippedHere++;
                if (Enumerable.Range(3 * t, 3).Any(c => uvs[c].X < -Slack || uvs[c].Y < -Slack || uvs[c].X > 1 + Slack || uvs[c].Y > 1 + Slack))
                    outsideHere++;
            }
            flipped += flippedHere;
            outside += outsideHere;
        }
        var byDensity = islands.Where(i => i.Density > 0).OrderBy(i => i.Density).ToArray();
        double total = islands.Sum(i => i.UvArea), half = 0;
        double median = byDensity.FirstOrDefault(i => (half += i.UvArea) >= total / 2)?.Density ?? 0;
        var report = new LayoutReport(
            islands.Count, total, median, byDensity.Length > 0 ? byDensity[0].Density : 0, byDensity.Length > 0 ? byDensity[^1].Density : 0, flipped, outside, size);
        if (byDensity.Length > 0 && report.GreatestDensity > 1.5 * report.LeastDensity)
        {
            findings.Add(new Finding(
                Severity.Note, "uneven-density", byDensity[0].ObjectName,
                $"Density runs from {report.LeastDensity:0} px/m ({byDensity[0].ObjectName}) to {report.GreatestDensity:0} px/m ({byDensity[^1].ObjectName}); parts will not look equally sharp."));
        }
        return (report, Finding.Sorted(findings));
    }

    /// <summary>Splits a mesh into islands: triangles that share an edge both in space and on the sheet.</summary>
    public static IReadOnlyList<Island> IslandsOf(Mesh mesh, Vector2[] uvs, int size)
    {
        var parent = Enumerable.Range(0, mesh.TriangleCount).ToArray();
        var edges = new Dictionary<((int, Vector2), (int, Vector2)), int>();
        for (int corner = 0; corner < mesh.Corners.Length; corner++)
        {
            int next = corner % 3 == 2 ? corner - 2 : corner + 1;
            var a = (mesh.Corners[corner], uvs[corner]);
            var b = (mesh.Corners[next], uvs[next]);
            // The neighbour runs along the shared edge the other way.
            if (edges.TryGetValue((b, a), out int other))
                parent[Root(corner / 3)] = Root(other);
            edges.TryAdd((a, b), corner / 3);
        }
        return [.. Enumerable.Range(0, mesh.TriangleCount).GroupBy(Root).Select(group =>
        {
            double uvArea = group.Sum(t => Math.Abs(SignedArea(uvs, t))), area = group.Sum(t => Area(mesh, t));
            return new Island(mesh.Name, group.Count(), area > 0 ? Math.Sqrt(uvArea * size * size / area) : 0, uvArea);
        })];

        int Root(int triangle)
        {
            while (parent[triangle] != triangle)
                triangle = parent[triangle] = parent[parent[triangle]];
            return triangle;
        }
    }

    private static double SignedArea(Vector2[] uvs, int triangle)
    {
        Vector2 a = uvs[3 * triangle], b = uvs[3 * triangle + 1] - a, c = uvs[3 * triangle + 2] - a;
        return ((double)b.X * c.Y - (double)b.Y * c.X) / 2;
    }

    private static double Area(Mesh mesh, int triangle)
    {
        var a = mesh.PositionAt(3 * triangle);
        return Vector3.Cross(mesh.PositionAt(3 * triangle + 1) - a, mesh.PositionAt(3 * triangle + 2) - a).Length() / 2;
    }
}
