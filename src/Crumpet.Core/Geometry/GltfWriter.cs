using System.Buffers.Binary;
using System.Numerics;
using System.Text.Json;

namespace Crumpet.Core.Geometry;

/// <summary>Writes glTF 2.0, the same bytes for the same document: one binary file, or JSON with a buffer beside it.</summary>
/// <remarks>Source: Khronos glTF 2.0 specification. Shapes that are copies of one another are written once; groups and pivots are nodes.</remarks>
public static class GltfWriter
{
    /// <summary>Writes one binary file.</summary>
    /// <param name="document">What to write.</param>
    /// <param name="stream">Receives the file.</param>
    public static void WriteBinary(SceneDocument document, Stream stream)
    {
        using var buffer = new GltfBuffer();
        using var json = Build(document, null, buffer);
        GltfBuffer.Pad(json, (byte)' ');
        var binary = buffer.Bytes;
        stream.Write("glTF"u8);
        Word(2);
        Word(12 + 8 + json.Length + 8 + binary.Length);
        Word(json.Length);
        stream.Write("JSON"u8);
        json.WriteTo(stream);
        Word(binary.Length);
        stream.Write("BIN\0"u8);
        binary.WriteTo(stream);

        void Word(long value)
        {
            Span<byte> bytes = stackalloc byte[4];
            BinaryPrimitives.WriteUInt32LittleEndian(bytes, checked((uint)value));
            stream.Write(bytes);
        }
    }

    /// <summary>Writes JSON, and a buffer beside it.</summary>
    /// <param name="document">What to write.</param>
    /// <param name="bufferName">Name of the buffer's file, as the JSON refers to it.</param>
    /// <returns>Both files.</returns>
    public static (byte[] Json, byte[] Buffer) WriteLoose(SceneDocument document, string bufferName)
    {
        using var buffer = new GltfBuffer();
        using var json = Build(document, GltfMaterials.Uri(bufferName), buffer);
        return (json.ToArray(), buffer.Bytes.ToArray());
    }

    private static MemoryStream Build(SceneDocument document, string? bufferUri, GltfBuffer buffer)
    {
        // Axes and unit are the format's.
        var tree = SceneTree.Of(document with { Space = MeshSpace.Own });
        var stream = new MemoryStream();
        using (var json = new Utf8JsonWriter(stream, new JsonWriterOptions { Indented = bufferUri is not null, NewLine = "\n" }))
        {
            json.WriteStartObject();
            json.WriteStartObject("asset");
            json.WriteString("version", "2.0");
            json.WriteString("generator", "Crumpet");
            json.WriteEndObject();
            var (used, required) = GltfMaterials.ExtensionsOf(document);
            Texts(json, "extensionsUsed", used);
            Texts(json, "extensionsRequired", required);
            WriteNodes(json, tree.Nodes);
            WriteShapes(json, tree, document.Materials.Count, buffer);
            GltfMaterials.WriteMaterials(json, document.Materials);
            GltfMaterials.WriteTextures(json, document.Textures, buffer);
            buffer.Write(json, bufferUri);
            json.WriteEndObject();
        }
        return stream;
    }

    private static void Texts(Utf8JsonWriter json, string name, IReadOnlyList<string> texts)
    {
        if (texts.Count == 0)
            return;
        json.WriteStartArray(name);
        foreach (string text in texts)
            json.WriteStringValue(text);
        json.WriteEndArray();
    }

    private static void WriteNodes(Utf8JsonWriter json, IReadOnlyList<SceneNode> nodes)
    {
        var below = Enumerable.Range(0, nodes.Count).ToLookup(n => nodes[n].Parent);
        json.WriteNumber("scene", 0);
        json.WriteStartArray("scenes");
        json.WriteStartObject();
        Numbers("nodes", below[-1]);
        json.WriteEndObject();
        json.WriteEndArray();
        json.WriteStartArray("nodes");
        for (int n = 0; n < nodes.Count; n++)
        {
            json.WriteStartObject();
            json.WriteString("name", nodes[n].Name);
            if (nodes[n].Shape >= 0)
                json.WriteNumber("mesh", nodes[n].Shape);
            if (!nodes[n].Local.IsIdentity)
                GltfTraits.Numbers(json, "matrix", Cells(nodes[n].Local));
            if (below[n].Any())
                Numbers("children", below[n]);
            json.WriteEndObject();
        }
        json.WriteEndArray();

        void Numbers(string name, IEnumerable<int> numbers)
        {
            json.WriteStartArray(name);
            foreach (int number in numbers)
                json.WriteNumberValue(number);
            json.WriteEndArray();
        }
    }

    private static IEnumerable<double> Cells(Matrix4x4 m) => Enumerable.Range(0, 16).Select(i => (double)m[i / 4, i % 4]);

    private static void WriteShapes(Utf8JsonWriter json, SceneTree tree, int materials, GltfBuffer buffer)
    {
        json.WriteStartArray("meshes");
        for (int s = 0; s < tree.Shapes.Count; s++)
        {
            var shape = tree.Shapes[s];
            json.WriteStartObject();
            json.WriteString("name", shape.Mesh.Name);
            json.WriteStartArray("primitives");
            foreach (int material in shape.Mesh.TriangleMaterials.Distinct().Order())
                WritePrimitive(json, shape, material, material < materials, buffer);
            json.WriteEndArray();
            json.WriteEndObject();
        }
        json.WriteEndArray();
    }

    private static void WritePrimitive(Utf8JsonWriter json, SceneObject item, int material, bool isThere, GltfBuffer buffer)
    {
        var mesh = item.Mesh;
        var normals = mesh.NormalsOrSmooth();
        var seen = new Dictionary<(int, Vector3, Vector4, Vector2, Vector4), int>();
        var corners = new List<int>();
        var indices = new List<int>();
        var bounds = Bounds.Empty;
        for (int corner = 0; corner < mesh.Corners.Length; corner++)
        {
            if (mesh.TriangleMaterials[corner / 3] != material)
                continue;
            var key = (mesh.Corners[corner], normals[corner], item.Tangents?[corner] ?? default, mesh.Uvs?[corner] ?? default, mesh.Colours?[corner]
                ?? default);
            // Vertices that agree in all but a further UV set are told apart by it.
            if (!seen.TryGetValue(key, out int vertex) || mesh.UvSets.Skip(1).Any(set => set[corner] != set[corners[vertex]]))
            {
                seen[key] = vertex = corners.Count;
                corners.Add(corner);
                bounds = bounds.Including(mesh.PositionAt(corner));
            }
            indices.Add(vertex);
        }
        json.WriteStartObject();
        json.WriteStartObject("attributes");
        json.WriteNumber("POSITION", buffer.AddFloats(3, corners, (c, into) => mesh.PositionAt(c).CopyTo(into), bounds));
        json.WriteNumber("NORMAL", buffer.AddFloats(3, corners, (c, into) => normals[c].CopyTo(into)));
        if (item.Tangents is { } tangents)
            json.WriteNumber("TANGENT", buffer.AddFloats(4, corners, (c, into) => UnitTangent(tangents[c], normals[c]).CopyTo(into)));
        for (int set = 0; set < mesh.UvSets.Count; set++)
        {
            var uvs = mesh.UvSets[set];
            json.WriteNumber($"TEXCOORD_{set}", buffer.AddFloats(2, corners, (c, into) => new Vector2(uvs[c].X, 1 - uvs[c].Y).CopyTo(into)));
        }
        if (mesh.Colours is { } colours)
            json.WriteNumber("COLOR_0", buffer.AddFloats(4, corners, (c, into) => colours[c].CopyTo(into)));
        json.WriteEndObject();
        json.WriteNumber("indices", buffer.AddIndices(indices, corners.Count));
        if (material >= 0 && isThere)
            json.WriteNumber("material", material);
        json.WriteEndObject();
    }

    // The specification asks for unit tangents; where UVs have no area there is none, and any direction does.
    private static Vector4 UnitTangent(Vector4 tangent, Vector3 normal)
    {
        var direction = new Vector3(tangent.X, tangent.Y, tangent.Z);
        if (direction.LengthSquared() < 0.5f)
            direction = Vector3.Normalize(Vector3.Cross(normal, MathF.Abs(normal.X) < 0.9f ? Vector3.UnitX : Vector3.UnitY));
        return new Vector4(Vector3.Normalize(direction), tangent.W);
    }
}
