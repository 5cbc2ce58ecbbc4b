using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Finds the islands of UVs as they came: triangles that share an edge in space and on the sheet.</summary>
internal static class IslandFinder
{
    /// <summary>UVs closer than this share of the tile are one.</summary>
    private const float Same = 1e-6f;

    /// <summary>For each half-edge whether islands end there.</summary>
    /// <param name="topology">Object.</param>
    /// <param name="uvs">One a corner.</param>
    /// <param name="byMaterial">Whether islands end where materials meet, because these lie on different sheets.</param>
    public static bool[] Seams(Topology topology, Vector2[] uvs, bool byMaterial)
    {
        int[] materials = topology.Mesh.TriangleMaterials;
        var isSeam = new bool[uvs.Length];
        for (int c = 0; c < uvs.Length; c++)
        {
            int other = topology.Across[c];
            isSeam[c] = other < 0 || topology.SameWay[c] || (byMaterial && materials[c / 3] != materials[other / 3]) || Apart(uvs[c], uvs[Topology.Next(other)])
                || Apart(uvs[Topology.Next(c)], uvs[other]);
        }
        return isSeam;
    }

    /// <summary>The islands of some triangles with their UVs, in tiles.</summary>
    public static List<FlatChart> Find(Topology topology, Vector2[] uvs, int[] triangles, bool byMaterial)
    {
        var localOf = new int[topology.Mesh.TriangleCount];
        Array.Fill(localOf, -1);
        var whole = ChartMesh.Of(topology, triangles, Seams(topology, uvs, byMaterial), localOf);
        var islands = new List<FlatChart>();
        foreach (var piece in whole.Pieces(new int[triangles.Length]))
        {
            var chart = whole.Part(piece);
            var uv = new double[2 * chart.VertexCount];
            for (int c = 0; c < chart.Corners.Length; c++)
            {
                var at = uvs[3 * chart.Triangles[c / 3] + c % 3];
                (uv[2 * chart.Corners[c]], uv[2 * chart.Corners[c] + 1]) = (at.X, at.Y);
            }
            islands.Add(new FlatChart(chart, uv, StretchMeasure.OfChart(chart, uv)));
        }
        return islands;
    }

    private static bool Apart(Vector2 a, Vector2 b) => MathF.Abs(a.X - b.X) > Same || MathF.Abs(a.Y - b.Y) > Same;
}
