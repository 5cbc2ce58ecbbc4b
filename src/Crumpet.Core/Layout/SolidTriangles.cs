using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>
/// Lays out only triangles that have area. The others come along afterwards: they get the UVs of the surface around them, so that no texel
/// is theirs, and belong to an island they touch.
/// </summary>
internal sealed class SolidTriangles
{
    private readonly LayoutInput whole;
    private readonly int[]?[] kept;

    private SolidTriangles(LayoutInput whole, LayoutInput input, int[]?[] kept) => (this.whole, Input, this.kept) = (whole, input, kept);

    /// <summary>What is laid out.</summary>
    public LayoutInput Input { get; }

    /// <summary>Triangles that are not.</summary>
    public int Left => kept.Select((k, o) => k is null ? 0 : whole.Objects[o].Mesh.TriangleCount - k.Length).Sum();

    /// <summary>Sorts the triangles.</summary>
    public static SolidTriangles Of(LayoutInput input)
    {
        var kept = new int[]?[input.Objects.Count];
        var objects = input.Objects.Select((o, i) =>
        {
            int[] solid = [.. Enumerable.Range(0, o.Mesh.TriangleCount).Where(t => !MeshFlaws.IsEmpty(o.Mesh, t))];
            if (solid.Length == o.Mesh.TriangleCount)
                return o;
            kept[i] = solid;
            int[] from = SourcesOf(solid, o.Mesh.TriangleCount);
            return o with { Mesh = MeshRepair.Keep(o.Mesh, t => from[t] >= 0, out _) };
        }).ToArray();
        return new SolidTriangles(input, input with { Objects = objects }, kept);
    }

    /// <summary>The layout of all triangles.</summary>
    public LayoutResult Widen(LayoutResult result)
    {
        if (Left == 0)
            return result;
        var uvs = result.Uvs.ToArray();
        var even = result.EvenUvs?.ToArray();
        int[][] sheets = [.. result.TriangleSheets], islands = [.. result.TriangleIslands];
        bool[][] overlapping = [.. result.Overlapping];
        for (int o = 0; o < kept.Length; o++)
        {
            if (kept[o] is not { } solid)
                continue;
            var mesh = whole.Objects[o].Mesh;
            var around = new Surroundings(mesh, Input.Objects[o].Mesh, result.TriangleIslands[o]);
            int[] from = SourcesOf(solid, mesh.TriangleCount);
            uvs[o] = around.Uvs(from, result.Uvs[o]);
            if (even is not null)
                even[o] = around.Uvs(from, result.EvenUvs![o]);
            sheets[o] = around.PerTriangle(from, result.TriangleSheets[o]);
            islands[o] = around.PerTriangle(from, result.TriangleIslands[o]);
            overlapping[o] = [.. from.Select(t => t >= 0 && result.Overlapping[o][t])];
        }
        return result with { Uvs = uvs, EvenUvs = even, TriangleSheets = sheets, TriangleIslands = islands, Overlapping = overlapping };
    }

    /// <summary>For each triangle its number among the solid ones, or -1.</summary>
    private static int[] SourcesOf(int[] solid, int count)
    {
        int[] from = new int[count];
        Array.Fill(from, -1);
        for (int i = 0; i < solid.Length; i++)
            from[solid[i]] = i;
        return from;
    }

    /// <summary>The solid triangles of an object, by the places of their corners.</summary>
    private sealed class Surroundings
    {
        private readonly Mesh mesh;
        private readonly int[] islands;
        private readonly Dictionary<Vector3, List<int>> cornersAt = [];
        private readonly Dictionary<int, int> neighbours = [];

        public Surroundings(Mesh mesh, Mesh solid, int[] islands)
        {
            (this.mesh, this.islands) = (mesh, islands);
            for (int c = 0; c < solid.Corners.Length; c++)
            {
                var place = solid.PositionAt(c);
                if (!cornersAt.TryGetValue(place, out var corners))
                    cornersAt.Add(place, corners = []);
                corners.Add(c);
            }
        }

        public Vector2[] Uvs(int[] from, Vector2[] solid)
        {
            var uvs = new Vector2[3 * from.Length];
            for (int t = 0; t < from.Length; t++)
            {
                if (from[t] >= 0)
                    solid.AsSpan(3 * from[t], 3).CopyTo(uvs.AsSpan(3 * t));
                else if (Neighbour(t) is >= 0 and var neighbour)
                    Lend(t, neighbour, solid, uvs.AsSpan(3 * t, 3));
            }
            return uvs;
        }

        public int[] PerTriangle(int[] from, int[] solid) =>
            [.. from.Select((source, t) => source >= 0 ? solid[source] : Neighbour(t) is >= 0 and var neighbour ? solid[neighbour] : 0)];

        /// <summary>A solid triangle of the island that most corners of a triangle touch; of several the first. -1 where the object has none.</summary>
        private int Neighbour(int triangle)
        {
            if (neighbours.TryGetValue(triangle, out int known))
                return known;
            var touched = new SortedDictionary<int, (int Corners, int Triangle)>();
            for (int k = 0; k < 3; k++)
            {
                foreach (int corner in At(3 * triangle + k).DistinctBy(c => islands[c / 3]))
                {
                    var (corners, first) = touched.GetValueOrDefault(islands[corner / 3], (0, corner / 3));
                    touched[islands[corner / 3]] = (corners + 1, first);
                }
            }
            int best = touched.Count > 0 ? touched.Values.MaxBy(v => v.Corners).Triangle : islands.Length > 0 ? 0 : -1;
            return neighbours[triangle] = best;
        }

        private List<int> At(int corner) => cornersAt.TryGetValue(mesh.PositionAt(corner), out var corners) ? corners : [];

        private void Lend(int triangle, int neighbour, Vector2[] solid, Span<Vector2> uvs)
        {
            var found = new List<(Vector3 Place, Vector2 Uv)>(3);
            for (int k = 0; k < 3; k++)
            {
                int corner = 3 * triangle + k;
                if (At(corner).Where(c => islands[c / 3] == islands[neighbour]).Select(c => (int?)c).FirstOrDefault() is { } same)
                    found.Add((mesh.PositionAt(corner), solid[same]));
            }
            if (found.Count == 0)
                found.Add((mesh.PositionAt(3 * triangle), solid[3 * neighbour]));
            // All corners lie on the line through two of them.
            var (a, b) = (found[0], found.MaxBy(f => Vector3.DistanceSquared(f.Place, found[0].Place)));
            var along = b.Place - a.Place;
            for (int k = 0; k < 3; k++)
            {
                var place = mesh.PositionAt(3 * triangle + k);
                float share = along == Vector3.Zero ? 0 : Math.Clamp(Vector3.Dot(place - a.Place, along) / along.LengthSquared(), 0, 1);
                uvs[k] = Vector2.Lerp(a.Uv, b.Uv, share);
            }
        }
    }
}
