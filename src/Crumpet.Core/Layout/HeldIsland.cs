using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>An island that is to stay where it lies.</summary>
/// <param name="ObjectName">Name of its object.</param>
/// <param name="Pins">Two pins that lock it.</param>
/// <param name="Vertices">Its vertices, metres.</param>
public sealed record HeldIsland(string ObjectName, IReadOnlyList<UvPin> Pins, IReadOnlyCollection<Vector3> Vertices)
{
    /// <summary>The islands on which places lie.</summary>
    /// <param name="objects">Objects with their UVs.</param>
    /// <param name="spots">A place on each island.</param>
    /// <param name="bySheet">Whether the objects' materials are the numbers of sheets.</param>
    internal static IEnumerable<HeldIsland> At(IReadOnlyList<Mesh> objects, IReadOnlyCollection<SurfaceSpot> spots, bool bySheet)
    {
        foreach (var mesh in objects.Where(m => m.Uvs is not null && spots.Any(s => s.ObjectName == m.Name)))
        {
            var chosen = ChosenIslands.TrianglesAt(mesh, spots);
            foreach (var island in IslandFinder.Find(Topology.Of(mesh), mesh.Uvs!, [.. Enumerable.Range(0, mesh.TriangleCount)], true)
                .Where(i => i.Chart.Triangles.Any(chosen.Contains)))
            {
                // The farther apart they are, the less rounding turns the island.
                int one = Farthest(island, 0), two = Farthest(island, one);
                int sheet = bySheet ? mesh.TriangleMaterials[island.Chart.Triangles[0]] : 0;
                yield return new HeldIsland(mesh.Name, [Pin(mesh.Name, island, one, sheet), Pin(mesh.Name, island, two, sheet)], [.. island.Chart.Positions]);
            }
        }
    }

    private static int Farthest(FlatChart island, int from)
    {
        double[] uv = island.Uv;
        return Enumerable.Range(0, island.Chart.VertexCount).MaxBy(v => Math.Pow(uv[2 * v] - uv[2 * from], 2) + Math.Pow(uv[2 * v + 1] - uv[2 * from + 1], 2));
    }

    private static UvPin Pin(string name, FlatChart island, int vertex, int sheet)
    {
        var at = island.Chart.Positions[vertex];
        return new UvPin(name, at.X, at.Y, at.Z, (float)island.Uv[2 * vertex], (float)island.Uv[2 * vertex + 1], true, sheet);
    }
}
