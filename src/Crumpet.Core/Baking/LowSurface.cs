using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Baking;

/// <summary>The low triangles of one sheet, laid flat: all that a sample needs, per corner.</summary>
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
        Parts = new int[cornerCount / 3];
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

    /// <summary>Part per triangle.</summary>
    public int[] Parts { get; }

    public int TriangleCount => Parts.Length;

    public static LowSurface Build(BakeInput input, BakeSettings settings)
    {
        int size = settings.Size;
        int count = input.Parts.SelectMany(p => p.Low).Sum(m => Chosen(m, input.Material).Count());
        var surface = new LowSurface(3 * count);
        int at = 0;
        for (int part = 0; part < input.Parts.Count; part++)
        {
            for (int number = 0; number < input.Parts[part].Low.Count; number++)
            {
                var mesh = input.Parts[part].Low[number];
                var rays = input.Parts[part].Rays?[number];
                var uvs = mesh.Uvs ?? throw new InvalidOperationException($"{mesh.Name} has no UVs.");
                var normals = mesh.NormalsOrSmooth();
                var tangents = TangentSpace.PerCorner(mesh);
                var directions = rays?.Directions ?? SmoothNormals.PerCorner(mesh);
                float inward = input.Parts[part].InwardReachMetres ?? settings.InwardReachMetres;
                foreach (int triangle in Chosen(mesh, input.Material))
                {
                    surface.Parts[at / 3] = part;
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
        }
        return surface;
    }

    private static IEnumerable<int> Chosen(Mesh mesh, int? material) =>
        Enumerable.Range(0, mesh.TriangleCount).Where(t => material is null || mesh.TriangleMaterials[t] == material);
}
