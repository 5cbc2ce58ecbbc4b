using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Bake;

/// <summary>The low triangles of one part on one sheet, laid flat: all that a sample needs, per corner.</summary>
internal sealed class LowSurface
{
    private LowSurface(int cornerCount)
    {
        Positions = new Vector3[cornerCount];
        Normals = new Vector3[cornerCount];
        Tangents = new Vector4[cornerCount];
        Directions = new Vector3[cornerCount];
        Starts = new Vector3[cornerCount];
        Inward = new float[cornerCount];
        Texels = new Vector2[cornerCount];
        Sources = new (int, int)[cornerCount / 3];
    }

    public Vector3[] Positions { get; }
    public Vector3[] Normals { get; }
    public Vector4[] Tangents { get; }

    /// <summary>Where rays come from, outwards.</summary>
    public Vector3[] Directions { get; }

    /// <summary>Where rays start, for parts with a cage.</summary>
    public Vector3[] Starts { get; }

    /// <summary>How far rays go on below the surface, metres.</summary>
    public float[] Inward { get; }

    /// <summary>Place on the sheet in pixels, from the top left corner.</summary>
    public Vector2[] Texels { get; }

    /// <summary>Object of the part and triangle in it, per triangle.</summary>
    public (int Object, int Triangle)[] Sources { get; }

    /// <summary>Lays a part's triangles on a sheet.</summary>
    /// <param name="part">The part.</param>
    /// <param name="material">Number of the sheet's material; null for all triangles.</param>
    /// <param name="stacked">Triangles that lie exactly on those of an earlier part, which bakes them; numbered over the part's objects.</param>
    /// <param name="size">Side of the sheet, pixels.</param>
    public static LowSurface Build(BakePart part, int? material, IReadOnlySet<int> stacked, int size)
    {
        var chosen = Chosen(part.Low, material).Where(c => !stacked.Contains(c.Number)).ToArray();
        var surface = new LowSurface(3 * chosen.Length);
        int at = 0;
        foreach (var group in chosen.GroupBy(c => c.Object))
        {
            var mesh = part.Low[group.Key];
            var rays = part.Rays?[group.Key];
            var uvs = mesh.Uvs ?? throw new InvalidOperationException($"{mesh.Name} has no UVs.");
            var normals = mesh.NormalsOrSmooth();
            var tangents = TangentSpace.PerCorner(mesh);
            var directions = rays?.Directions ?? SmoothNormals.PerCorner(mesh);
            float inward = part.InwardReachMetres ?? 0;
            foreach (var (_, number, triangle) in group)
            {
                surface.Sources[at / 3] = (number, triangle);
                for (int corner = 3 * triangle; corner < 3 * triangle + 3; corner++, at++)
                {
                    surface.Positions[at] = mesh.PositionAt(corner);
                    surface.Normals[at] = normals[corner];
                    surface.Tangents[at] = tangents[corner];
                    surface.Directions[at] = directions[corner];
                    surface.Starts[at] = rays?.Cage?[corner] ?? default;
                    surface.Inward[at] = rays?.Inward[corner] ?? inward;
                    surface.Texels[at] = new Vector2(uvs[corner].X * size, (1 - uvs[corner].Y) * size);
                }
            }
        }
        return surface;
    }

    /// <summary>A part's triangles on a sheet: number over all its objects, object, and number in it.</summary>
    public static IEnumerable<(int Number, int Object, int Triangle)> Chosen(IReadOnlyList<Mesh> low, int? material)
    {
        int number = 0;
        for (int o = 0; o < low.Count; o++)
        {
            var mesh = low[o];
            for (int t = 0; t < mesh.TriangleCount; t++, number++)
            {
                if (material is null || mesh.TriangleMaterials[t] == material)
                    yield return (number, o, t);
            }
        }
    }

    /// <summary>Value of a corner attribute within a triangle.</summary>
    public static Vector3 Blend(Vector3[] corners, int triangle, Vector3 weights) =>
        corners[3 * triangle] * weights.X + corners[3 * triangle + 1] * weights.Y + corners[3 * triangle + 2] * weights.Z;

    /// <summary>Tangent within a triangle, not normalised.</summary>
    public Vector4 BlendTangent(int triangle, Vector3 weights) =>
        Tangents[3 * triangle] * weights.X + Tangents[3 * triangle + 1] * weights.Y + Tangents[3 * triangle + 2] * weights.Z;
}
