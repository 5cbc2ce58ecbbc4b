using System.Numerics;

namespace Crumpet.Core.Geometry;

/// <summary>
/// A mesh as three pieces of bytes that change apart from each other: its shape, what is spread over it, and what else is known of it.
/// Whoever needs only the shape does not depend on colours or names. Little-endian.
/// </summary>
public static class MeshPieces
{
    /// <summary>Positions, triangles and normals.</summary>
    public static byte[] Shape(Mesh mesh) => Bytes(writer =>
    {
        SceneFile.Put<Vector3>(writer, mesh.Positions);
        SceneFile.Put<int>(writer, mesh.Corners);
        writer.Write(mesh.Normals is not null);
        if (mesh.Normals is not null)
            SceneFile.Put<Vector3>(writer, mesh.Normals);
    });

    /// <summary>Materials, colours and UVs.</summary>
    public static byte[] Spread(Mesh mesh) => Bytes(writer =>
    {
        SceneFile.Put<int>(writer, mesh.TriangleMaterials);
        writer.Write(mesh.Colours is not null);
        if (mesh.Colours is not null)
            SceneFile.Put<Vector4>(writer, mesh.Colours);
        writer.Write(mesh.UvSets.Count);
        foreach (var set in mesh.UvSets)
            SceneFile.Put<Vector2>(writer, set);
    });

    /// <summary>Name, faces as the source had them, placement, groups and whether it is hidden.</summary>
    public static byte[] Rest(Mesh mesh) => Bytes(writer =>
    {
        writer.Write(mesh.Name);
        writer.Write(mesh.PolygonCount);
        writer.Write(mesh.IsHidden);
        SceneFile.Put(writer, (ReadOnlySpan<Matrix4x4>)[mesh.Placement]);
        writer.Write(mesh.TrianglePolygons is not null);
        if (mesh.TrianglePolygons is not null)
            SceneFile.Put<int>(writer, mesh.TrianglePolygons);
        SceneFile.Put(writer, mesh.Groups);
    });

    /// <summary>UVs and sheets of triangles, as a layout gives them.</summary>
    public static byte[] Laid(Vector2[] uvs, int[] triangleSheets) => Bytes(writer =>
    {
        SceneFile.Put<Vector2>(writer, uvs);
        SceneFile.Put<int>(writer, triangleSheets);
    });

    /// <summary>A mesh of a shape alone: no name, no UVs, no materials.</summary>
    public static Mesh ReadShape(byte[] bytes)
    {
        using var reader = Reader(bytes);
        var positions = SceneFile.Get<Vector3>(reader);
        int[] corners = SceneFile.Get<int>(reader);
        var materials = new int[corners.Length / 3];
        Array.Fill(materials, -1);
        return new Mesh
        {
            Name = "",
            Positions = positions,
            Corners = corners,
            TriangleMaterials = materials,
            Normals = reader.ReadBoolean()
            ? SceneFile.Get<Vector3>(reader) : null
        };
    }

    /// <summary>A shape with what <see cref="Spread"/> says.</summary>
    public static Mesh WithSpread(this Mesh shape, byte[] bytes)
    {
        using var reader = Reader(bytes);
        int[] materials = SceneFile.Get<int>(reader);
        var colours = reader.ReadBoolean() ? SceneFile.Get<Vector4>(reader) : null;
        var sets = new Vector2[reader.ReadInt32()][];
        for (int i = 0; i < sets.Length; i++)
            sets[i] = SceneFile.Get<Vector2>(reader);
        return shape with { TriangleMaterials = materials, Colours = colours, UvSets = sets };
    }

    /// <summary>Material of each triangle, as <see cref="Spread"/> wrote it.</summary>
    public static int[] MaterialsOf(byte[] spread)
    {
        using var reader = Reader(spread);
        return SceneFile.Get<int>(reader);
    }

    /// <summary>A mesh with what <see cref="Rest"/> says.</summary>
    public static Mesh WithRest(this Mesh mesh, byte[] bytes)
    {
        using var reader = Reader(bytes);
        return mesh with
        {
            Name = reader.ReadString(),
            PolygonCount = reader.ReadInt32(),
            IsHidden = reader.ReadBoolean(),
            Placement = SceneFile.Get<Matrix4x4>(reader)[0],
            TrianglePolygons = reader.ReadBoolean() ? SceneFile.Get<int>(reader) : null,
            Groups = SceneFile.GetTexts(reader),
        };
    }

    /// <summary>A mesh with the UVs and sheets that <see cref="Laid"/> says; sheets stand in for materials.</summary>
    public static Mesh WithLaid(this Mesh mesh, byte[] bytes)
    {
        var (uvs, sheets) = ReadLaid(bytes);
        return mesh with { UvSets = [uvs, .. mesh.UvSets.Skip(1)], TriangleMaterials = sheets };
    }

    /// <summary>What <see cref="Laid"/> wrote.</summary>
    public static (Vector2[] Uvs, int[] TriangleSheets) ReadLaid(byte[] bytes)
    {
        using var reader = Reader(bytes);
        return (SceneFile.Get<Vector2>(reader), SceneFile.Get<int>(reader));
    }

    private static BinaryReader Reader(byte[] bytes) => new(new MemoryStream(bytes, writable: false));

    private static byte[] Bytes(Action<BinaryWriter> write)
    {
        using var stream = new MemoryStream();
        using (var writer = new BinaryWriter(stream))
            write(writer);
        return stream.ToArray();
    }
}
