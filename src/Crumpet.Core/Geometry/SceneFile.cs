using System.Numerics;
using System.Runtime.InteropServices;
using System.Text.Json;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Geometry;

/// <summary>Crumpet's own binary form of a scene, read at the speed of memory. Little-endian.</summary>
public static class SceneFile
{
    private const uint Magic = 0x36534343; // "CCS6"

    /// <summary>The bytes of a scene.</summary>
    public static byte[] Write(Scene scene)
    {
        using var stream = new MemoryStream();
        using var writer = new BinaryWriter(stream);
        writer.Write(Magic);
        writer.Write(scene.Materials.Count);
        foreach (var material in scene.Materials)
        {
            writer.Write(material.Name);
            Put(writer, (ReadOnlySpan<Vector4>)[material.BaseColour]);
            writer.Write(material.Roughness);
            writer.Write(material.Metalness);
            writer.Write(JsonSerializer.Serialize(material.Traits));
            writer.Write(material.Textures.Count);
            foreach (var use in material.Textures)
            {
                writer.Write((byte)use.Slot);
                writer.Write(use.Path);
                writer.Write(use.Content);
                writer.Write(use.UvSet);
                Put(writer, (ReadOnlySpan<Matrix3x2>)[use.UvTransform]);
            }
        }
        writer.Write(scene.Meshes.Count);
        foreach (var mesh in scene.Meshes)
        {
            writer.Write(mesh.Name);
            writer.Write(mesh.PolygonCount);
            writer.Write(mesh.IsHidden);
            Put(writer, mesh.Groups);
            Put(writer, (ReadOnlySpan<Matrix4x4>)[mesh.Placement]);
            writer.Write(mesh.TrianglePolygons is not null);
            if (mesh.TrianglePolygons is not null)
                Put<int>(writer, mesh.TrianglePolygons);
            Put<Vector3>(writer, mesh.Positions);
            Put<int>(writer, mesh.Corners);
            Put<int>(writer, mesh.TriangleMaterials);
            writer.Write(mesh.Normals is not null);
            if (mesh.Normals is not null)
                Put<Vector3>(writer, mesh.Normals);
            writer.Write(mesh.Colours is not null);
            if (mesh.Colours is not null)
                Put<Vector4>(writer, mesh.Colours);
            writer.Write(mesh.UvSets.Count);
            foreach (var set in mesh.UvSets)
                Put<Vector2>(writer, set);
        }
        writer.Write(scene.Strays.Count);
        foreach (var (name, kind) in scene.Strays)
        {
            writer.Write(name);
            writer.Write(kind);
        }
        Put(writer, scene.Layers);
        writer.Write(scene.FileName);
        return stream.ToArray();
    }

    /// <summary>Reads what <see cref="Write"/> gave.</summary>
    /// <exception cref="InvalidDataException">The bytes are no scene.</exception>
    public static Scene Read(byte[] bytes)
    {
        using var reader = new BinaryReader(new MemoryStream(bytes, writable: false));
        if (reader.ReadUInt32() != Magic)
            throw new InvalidDataException("A stored scene is damaged; delete the store's results and build again.");
        var materials = new Material[reader.ReadInt32()];
        for (int i = 0; i < materials.Length; i++)
        {
            string name = reader.ReadString();
            materials[i] = new Material(name, Get<Vector4>(reader)[0], reader.ReadSingle(), reader.ReadSingle());
            materials[i] = materials[i] with { Traits = JsonSerializer.Deserialize<MaterialTraits>(reader.ReadString())! };
            var uses = new TextureUse[reader.ReadInt32()];
            for (int use = 0; use < uses.Length; use++)
                uses[use] = new TextureUse((TextureKind)reader.ReadByte(),
                    reader.ReadString())
                { Content = reader.ReadString(), UvSet = reader.ReadInt32(), UvTransform = Get<Matrix3x2>(reader)[0] };
            if (uses.Length > 0)
                materials[i] = materials[i] with { Textures = uses };
        }
        var meshes = new Mesh[reader.ReadInt32()];
        for (int i = 0; i < meshes.Length; i++)
        {
            string name = reader.ReadString();
            int polygons = reader.ReadInt32();
            bool hidden = reader.ReadBoolean();
            var groups = GetTexts(reader);
            var placement = Get<Matrix4x4>(reader)[0];
            var trianglePolygons = reader.ReadBoolean() ? Get<int>(reader) : null;
            var positions = Get<Vector3>(reader);
            var corners = Get<int>(reader);
            var triangleMaterials = Get<int>(reader);
            var normals = reader.ReadBoolean() ? Get<Vector3>(reader) : null;
            var colours = reader.ReadBoolean() ? Get<Vector4>(reader) : null;
            var sets = new Vector2[reader.ReadInt32()][];
            for (int set = 0; set < sets.Length; set++)
                sets[set] = Get<Vector2>(reader);
            meshes[i] = new Mesh
            {
                Name = name,
                PolygonCount = polygons,
                IsHidden = hidden,
                Groups = groups,
                Placement = placement,
                TrianglePolygons = trianglePolygons,
                Positions = positions,
                Corners = corners,
                TriangleMaterials = triangleMaterials,
                Normals = normals,
                Colours = colours,
                UvSets = sets,
            };
        }
        var strays = new Stray[reader.ReadInt32()];
        for (int i = 0; i < strays.Length; i++)
            strays[i] = new Stray(reader.ReadString(), reader.ReadString());
        var layers = GetTexts(reader);
        return new Scene(reader.ReadString(), meshes, materials, []) { Strays = strays, Layers = layers };
    }

    internal static void Put<T>(BinaryWriter writer, ReadOnlySpan<T> values)
        where T : unmanaged
    {
        writer.Write(values.Length);
        writer.Write(MemoryMarshal.AsBytes(values));
    }

    internal static void Put(BinaryWriter writer, IReadOnlyList<string> texts)
    {
        writer.Write(texts.Count);
        foreach (string text in texts)
            writer.Write(text);
    }

    internal static string[] GetTexts(BinaryReader reader)
    {
        string[] texts = new string[reader.ReadInt32()];
        for (int i = 0; i < texts.Length; i++)
            texts[i] = reader.ReadString();
        return texts;
    }

    internal static T[] Get<T>(BinaryReader reader)
        where T : unmanaged
    {
        var values = new T[reader.ReadInt32()];
        reader.BaseStream.ReadExactly(MemoryMarshal.AsBytes(values.AsSpan()));
        return values;
    }
}
