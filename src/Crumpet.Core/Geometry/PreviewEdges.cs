using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>Edges worth drawing: where normals are split and where UVs are cut.</summary>
/// <param name="Hard">Pairs of vertices of the preview: edges across which corner normals differ by more than 1e-4.</param>
/// <param name="Seams">Pairs of vertices: edges across which UVs differ, and open borders.</param>
internal sealed record PreviewEdges(int[] Hard, int[] Seams)
{
    private const float NormalTolerance = 1e-4f;

    /// <summary>Finds both kinds of edges of a mesh.</summary>
    /// <param name="mesh">Source.</param>
    /// <param name="indices">Vertex of the preview for each of its corners.</param>
    public static PreviewEdges Find(Mesh mesh, int[] indices)
    {
        var normals = mesh.NormalsOrSmooth();
        var weld = PositionWeld.Groups(mesh.Positions, out _);
        var open = new Dictionary<(int, int), int>();
        var hard = new List<int>();
        var seams = new List<int>();
        for (int corner = 0; corner < mesh.Corners.Length; corner++)
        {
            int next = Next(corner), a = weld[mesh.Corners[corner]], b = weld[mesh.Corners[next]];
            // The neighbour runs along the shared edge the other way.
            if (!open.Remove((b, a), out int other))
            {
                open[(a, b)] = corner;
                continue;
            }
            int otherNext = Next(other);
            if (Apart(normals[corner], normals[otherNext]) || Apart(normals[next], normals[other]))
                hard.AddRange([indices[corner], indices[next]]);
            if (mesh.Uvs is { } uvs && (uvs[corner] != uvs[otherNext] || uvs[next] != uvs[other]))
                seams.AddRange([indices[corner], indices[next], indices[other], indices[otherNext]]);
        }
        foreach (int corner in open.Values)
            seams.AddRange([indices[corner], indices[Next(corner)]]);
        return new PreviewEdges([.. hard], [.. seams]);
    }

    private static int Next(int corner) => corner % 3 == 2 ? corner - 2 : corner + 1;

    private static bool Apart(Vector3 a, Vector3 b) => (a - b).Length() > NormalTolerance;
}
