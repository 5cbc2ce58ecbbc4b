using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Demo;

/// <summary>Collects the flat faces of one low object and welds them where they meet.</summary>
internal sealed class LowBuilder(Matrix4x4 transform)
{
    private readonly Dictionary<Vector3, int> seen = [];
    private readonly List<Vector3> positions = [];
    private readonly List<int> corners = [];
    private readonly List<Vector3> normals = [];
    private readonly List<Vector2> uvs = [];

    public void Add(Island island, Vector2 corner, bool turned, float scale)
    {
        foreach (var (position, normal, flat) in island.Corners)
        {
            // Faces compute a shared corner by different sums; a tenth of a micrometre's raster makes them one point.
            var p = Vector3.Round(Vector3.Transform(position, transform) * 1e7f) / 1e7f;
            if (!seen.TryGetValue(p, out int index))
            {
                seen.Add(p, index = positions.Count);
                positions.Add(p);
            }
            corners.Add(index);
            normals.Add(Vector3.Normalize(Vector3.TransformNormal(normal, transform)));
            uvs.Add(corner + scale * (turned ? new Vector2(island.Height - flat.Y, flat.X) : flat));
        }
    }

    public Mesh Build(string name) => new()
    {
        Name = name,
        Positions = [.. positions],
        Corners = [.. corners],
        Normals = [.. normals],
        UvSets = [uvs.ToArray()],
        TriangleMaterials = new int[corners.Count / 3],
        PolygonCount = corners.Count / 3,
    };
}
