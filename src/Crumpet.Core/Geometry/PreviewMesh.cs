using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>What a vertex of a preview carries besides its position; vertices that agree in all of it are one.</summary>
/// <param name="Normal">Octahedral normal, two shares packed.</param>
/// <param name="Material">Material number plus one; 0 for none.</param>
/// <param name="Colour">Linear RGBA, 8 bits each; 0 where there are no colours.</param>
/// <param name="Uv">First UV set; zero where none is carried.</param>
/// <param name="Tangent">MikkTSpace tangent; zero where none is carried.</param>
internal readonly record struct PreviewAttributes(uint Normal, ushort Material, uint Colour, Vector2 Uv, Vector4 Tangent);

/// <summary>A mesh as the graphics card takes it: vertices with everything on them, three indices a triangle.</summary>
/// <param name="Positions">Metres.</param>
/// <param name="Attributes">One a vertex.</param>
/// <param name="Corners">For each vertex a corner of the source it stands for; empty for simplified meshes.</param>
/// <param name="Indices">Three a triangle.</param>
internal sealed record PreviewMesh(Vector3[] Positions, PreviewAttributes[] Attributes, int[] Corners, int[] Indices)
{
    /// <summary>Splits a mesh's positions into vertices wherever normal, material, colour, UV or tangent differ.</summary>
    /// <param name="mesh">Source.</param>
    /// <param name="withUvs">Whether UVs and tangents are carried.</param>
    public static PreviewMesh Build(Mesh mesh, bool withUvs)
    {
        var normals = mesh.NormalsOrSmooth();
        var uvs = withUvs ? mesh.Uvs : null;
        var tangents = uvs is null ? null : TangentSpace.PerCorner(mesh);
        // Vertices of one position are a short list; walking it is cheaper than hashing.
        var first = new int[mesh.Positions.Length];
        Array.Fill(first, -1);
        var next = new List<int>(mesh.Positions.Length);
        var attributes = new List<PreviewAttributes>(mesh.Positions.Length);
        var corners = new List<int>(mesh.Positions.Length);
        var indices = new int[mesh.Corners.Length];
        for (int corner = 0; corner < indices.Length; corner++)
        {
            var (x, y) = OctahedralNormal.Encode(normals[corner]);
            var wanted = new PreviewAttributes(
                (ushort)x | (uint)(ushort)y << 16, (ushort)(mesh.TriangleMaterials[corner / 3] + 1), mesh.Colours is null ? 0 : Packed(mesh.Colours[corner]),
                    uvs?[corner] ?? default, tangents?[corner] ?? default);
            int position = mesh.Corners[corner], vertex = first[position];
            while (vertex >= 0 && attributes[vertex] != wanted)
                vertex = next[vertex];
            if (vertex < 0)
            {
                vertex = attributes.Count;
                attributes.Add(wanted);
                corners.Add(corner);
                next.Add(first[position]);
                first[position] = vertex;
            }
            indices[corner] = vertex;
        }
        return new PreviewMesh([.. corners.Select(mesh.PositionAt)], [.. attributes], [.. corners], indices);
    }

    /// <summary>Direction of a vertex's normal.</summary>
    public Vector3 NormalOf(int vertex) => OctahedralNormal.Decode((short)Attributes[vertex].Normal, (short)(Attributes[vertex].Normal >> 16));

    private static uint Packed(Vector4 colour)
    {
        uint packed = 0;
        for (int i = 0; i < 4; i++)
            packed |= (uint)(Math.Clamp(colour[i], 0, 1) * 255 + 0.5f) << (8 * i);
        return packed;
    }
}
