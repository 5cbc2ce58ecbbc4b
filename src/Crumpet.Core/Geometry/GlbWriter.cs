using System.Buffers.Binary;
using System.Numerics;
using System.Text.Json;

namespace Crumpet.Core.Geometry;

/// <summary>Writes binary glTF 2.0, the same bytes for the same document.</summary>
/// <remarks>Source: Khronos glTF 2.0 specification; MSFT_texture_dds vendor extension for the block-compressed alternative.</remarks>
public static class GlbWriter
{
    private const string CompressedExtension = "MSFT_texture_dds";

    /// <summary>Writes the document.</summary>
    /// <param name="document">What to write; every mesh has normals.</param>
    /// <param name="stream">Receives the file.</param>
    public static void Write(GlbDocument document, Stream stream)
    {
        using var binary = new MemoryStream();
        using var jsonStream = new MemoryStream();
        using (var json = new Utf8JsonWriter(jsonStream))
        {
            var file = new FileBuilder(json, binary);
            file.Write(document);
        }
        Pad(jsonStream, (byte)' ');
        Pad(binary, 0);
        stream.Write("glTF"u8);
        Word(2);
        Word((uint)(12 + 8 + jsonStream.Length + 8 + binary.Length));
        Word((uint)jsonStream.Length);
        stream.Write("JSON"u8);
        jsonStream.WriteTo(stream);
        Word((uint)binary.Length);
        stream.Write("BIN\0"u8);
        binary.WriteTo(stream);

        void Word(uint value)
        {
            Span<byte> bytes = stackalloc byte[4];
            BinaryPrimitives.WriteUInt32LittleEndian(bytes, value);
            stream.Write(bytes);
        }
    }

    private static void Pad(MemoryStream stream, byte with)
    {
        while (stream.Length % 4 != 0)
            stream.WriteByte(with);
    }

    private sealed class FileBuilder(Utf8JsonWriter json, MemoryStream binary)
    {
        private readonly List<(long Offset, long Length, int? Target)> views = [];
        private readonly List<Accessor> accessors = [];

        private sealed record Accessor(int View, int Component, int Count, string Type, Vector3? Min = null, Vector3? Max = null);

        private sealed record Primitive(int Position, int Normal, int? Tangent, IReadOnlyList<int> Uvs, int? Colour, int Indices, int Material);

        public void Write(GlbDocument document)
        {
            json.WriteStartObject();
            json.WriteStartObject("asset");
            json.WriteString("version", "2.0");
            json.WriteString("generator", "Crumpet");
            json.WriteEndObject();
            if (document.Textures.Any(t => t.CompressedUri is not null))
            {
                json.WriteStartArray("extensionsUsed");
                json.WriteStringValue(CompressedExtension);
                json.WriteEndArray();
            }
            json.WriteNumber("scene", 0);
            json.WriteStartArray("scenes");
            json.WriteStartObject();
            json.WriteStartArray("nodes");
            for (int i = 0; i < document.Meshes.Count; i++)
                json.WriteNumberValue(i);
            json.WriteEndArray();
            json.WriteEndObject();
            json.WriteEndArray();
            json.WriteStartArray("nodes");
            for (int i = 0; i < document.Meshes.Count; i++)
            {
                json.WriteStartObject();
                json.WriteString("name", document.Meshes[i].Mesh.Name);
                json.WriteNumber("mesh", i);
                if (!document.Meshes[i].Mesh.Placement.IsIdentity)
                    Matrix(document.Meshes[i].Mesh.Placement);
                json.WriteEndObject();
            }
            json.WriteEndArray();
            WriteMeshes(document);
            WriteMaterials(document.Materials);
            WriteTextures(document.Textures);
            WriteViews();
            json.WriteEndObject();
        }

        private void WriteMeshes(GlbDocument document)
        {
            json.WriteStartArray("meshes");
            foreach (var mesh in document.Meshes)
            {
                json.WriteStartObject();
                json.WriteString("name", mesh.Mesh.Name);
                json.WriteStartArray("primitives");
                foreach (int material in mesh.Mesh.TriangleMaterials.Distinct().Order())
                {
                    var primitive = AddPrimitive(mesh, material);
                    json.WriteStartObject();
                    json.WriteStartObject("attributes");
                    json.WriteNumber("POSITION", primitive.Position);
                    json.WriteNumber("NORMAL", primitive.Normal);
                    if (primitive.Tangent is { } tangent)
                        json.WriteNumber("TANGENT", tangent);
                    for (int set = 0; set < primitive.Uvs.Count; set++)
                        json.WriteNumber($"TEXCOORD_{set}", primitive.Uvs[set]);
                    if (primitive.Colour is { } colour)
                        json.WriteNumber("COLOR_0", colour);
                    json.WriteEndObject();
                    json.WriteNumber("indices", primitive.Indices);
                    if (material >= 0 && material < document.Materials.Count)
                        json.WriteNumber("material", material);
                    json.WriteEndObject();
                }
                json.WriteEndArray();
                json.WriteEndObject();
            }
            json.WriteEndArray();
        }

        private Primitive AddPrimitive(GlbMesh item, int material)
        {
            var mesh = item.Mesh;
            var normals = mesh.NormalsOrSmooth();
            var seen = new Dictionary<(int, Vector3, Vector4, Vector2, Vector4), int>();
            var corners = new List<int>();
            var indices = new List<int>();
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
                }
                indices.Add(vertex);
            }
            var place = Local(mesh);
            var bounds = Bounds.Empty;
            foreach (int corner in corners)
                bounds = bounds.Including(place(mesh.PositionAt(corner)));
            int position = Floats(3, corners, (c, into) => place(mesh.PositionAt(c)).CopyTo(into), bounds);
            int normal = Floats(3, corners, (c, into) => LocalNormal(mesh, normals[c]).CopyTo(into));
            int? tangent = item.Tangents is { } tangents
                ? Floats(4, corners, (c, into) => LocalTangent(mesh, UnitTangent(tangents[c], normals[c])).CopyTo(into)) : null;
            int[] uvs = [.. mesh.UvSets.Select(set => Floats(2, corners, (c, into) => new Vector2(set[c].X, 1 - set[c].Y).CopyTo(into)))];
            int? colour = mesh.Colours is { } colours ? Floats(4, corners, (c, into) => colours[c].CopyTo(into)) : null;
            // A mirrored placement turns triangles over when they are read, so they are written turned.
            if (mesh.Placement.GetDeterminant() < 0)
            {
                for (int i = 0; i < indices.Count; i += 3)
                    (indices[i + 1], indices[i + 2]) = (indices[i + 2], indices[i + 1]);
            }
            return new Primitive(position, normal, tangent, uvs, colour, Indices(indices, corners.Count), material);
        }

        /// <summary>From the world back to the object's own space.</summary>
        private static Func<Vector3, Vector3> Local(Mesh mesh)
        {
            if (mesh.Placement.IsIdentity || !Matrix4x4.Invert(mesh.Placement, out var back))
                return p => p;
            return p => Vector3.Transform(p, back);
        }

        private static Vector3 LocalNormal(Mesh mesh, Vector3 normal)
        {
            if (mesh.Placement.IsIdentity)
                return normal;
            // Normals go into the world by the inverse transpose, and back by the transpose.
            var back = Vector3.TransformNormal(normal, Matrix4x4.Transpose(mesh.Placement));
            return back.LengthSquared() > 0 ? Vector3.Normalize(back) : Vector3.UnitY;
        }

        private static Vector4 LocalTangent(Mesh mesh, Vector4 tangent)
        {
            if (mesh.Placement.IsIdentity || !Matrix4x4.Invert(mesh.Placement, out var back))
                return tangent;
            var local = Vector3.Normalize(Vector3.TransformNormal(new Vector3(tangent.X, tangent.Y, tangent.Z), back));
            return new Vector4(local, mesh.Placement.GetDeterminant() < 0 ? -tangent.W : tangent.W);
        }

        private void Matrix(Matrix4x4 m)
        {
            json.WriteStartArray("matrix");
            for (int row = 0; row < 4; row++)
            {
                for (int column = 0; column < 4; column++)
                    json.WriteNumberValue(m[row, column]);
            }
            json.WriteEndArray();
        }

        // The specification asks for unit tangents; where UVs have no area there is none, and any direction does.
        private static Vector4 UnitTangent(Vector4 tangent, Vector3 normal)
        {
            var direction = new Vector3(tangent.X, tangent.Y, tangent.Z);
            if (direction.LengthSquared() < 0.5f)
                direction = Vector3.Normalize(Vector3.Cross(normal, MathF.Abs(normal.X) < 0.9f ? Vector3.UnitX : Vector3.UnitY));
            return new Vector4(Vector3.Normalize(direction), tangent.W);
        }

        private delegate void Put(int corner, Span<float> into);

        private int Floats(int width, List<int> corners, Put put, Bounds? bounds = null)
        {
            var values = new float[width * corners.Count];
            for (int i = 0; i < corners.Count; i++)
                put(corners[i], values.AsSpan(width * i, width));
            var bytes = new byte[4 * values.Length];
            for (int i = 0; i < values.Length; i++)
                BinaryPrimitives.WriteSingleLittleEndian(bytes.AsSpan(4 * i), values[i]);
            accessors.Add(new Accessor(View(bytes, 34962), 5126, corners.Count, $"VEC{width}", bounds?.Min, bounds?.Max));
            return accessors.Count - 1;
        }

        private int Indices(List<int> indices, int vertexCount)
        {
            bool wide = vertexCount > 65535;
            var bytes = new byte[indices.Count * (wide ? 4 : 2)];
            for (int i = 0; i < indices.Count; i++)
            {
                if (wide)
                    BinaryPrimitives.WriteInt32LittleEndian(bytes.AsSpan(4 * i), indices[i]);
                else
                    BinaryPrimitives.WriteUInt16LittleEndian(bytes.AsSpan(2 * i), (ushort)indices[i]);
            }
            accessors.Add(new Accessor(View(bytes, 34963), wide ? 5125 : 5123, indices.Count, "SCALAR"));
            return accessors.Count - 1;
        }

        private int View(byte[] bytes, int? target)
        {
            Pad(binary, 0);
            views.Add((binary.Length, bytes.Length, target));
            binary.Position = binary.Length;
            binary.Write(bytes);
            return views.Count - 1;
        }

        private void WriteMaterials(IReadOnlyList<GlbMaterial> materials)
        {
            if (materials.Count == 0)
                return;
            json.WriteStartArray("materials");
            foreach (var material in materials)
            {
                json.WriteStartObject();
                json.WriteString("name", material.Source.Name);
                json.WriteStartObject("pbrMetallicRoughness");
                var c = material.BaseColour is null ? material.Source.BaseColour : Vector4.One;
                json.WriteStartArray("baseColorFactor");
                foreach (float value in (ReadOnlySpan<float>)[c.X, c.Y, c.Z, c.W])
                    json.WriteNumberValue(value);
                json.WriteEndArray();
                json.WriteNumber("metallicFactor", material.Masks is null ? material.Source.Metalness : 1);
                json.WriteNumber("roughnessFactor", material.Masks is null ? material.Source.Roughness : 1);
                Texture("baseColorTexture", material.BaseColour);
                Texture("metallicRoughnessTexture", material.Masks);
                json.WriteEndObject();
                Texture("normalTexture", material.Normal);
                Texture("occlusionTexture", material.Masks);
                json.WriteEndObject();
            }
            json.WriteEndArray();
        }

        private void Texture(string slot, int? texture)
        {
            if (texture is not { } index)
                return;
            json.WriteStartObject(slot);
            json.WriteNumber("index", index);
            json.WriteEndObject();
        }

        private void WriteTextures(IReadOnlyList<GlbTexture> textures)
        {
            if (textures.Count == 0)
                return;
            int images = 0;
            json.WriteStartArray("textures");
            foreach (var texture in textures)
            {
                json.WriteStartObject();
                json.WriteString("name", texture.Name);
                if (texture.Png is not null)
                    json.WriteNumber("source", images++);
                if (texture.CompressedUri is not null)
                {
                    json.WriteStartObject("extensions");
                    json.WriteStartObject(CompressedExtension);
                    json.WriteNumber("source", images++);
                    json.WriteEndObject();
                    json.WriteEndObject();
                }
                json.WriteEndObject();
            }
            json.WriteEndArray();
            json.WriteStartArray("images");
            foreach (var texture in textures)
            {
                if (texture.Png is not null)
                {
                    json.WriteStartObject();
                    json.WriteString("name", texture.Name);
                    json.WriteString("mimeType", "image/png");
                    json.WriteNumber("bufferView", View(texture.Png, null));
                    json.WriteEndObject();
                }
                if (texture.CompressedUri is not null)
                {
                    json.WriteStartObject();
                    json.WriteString("uri", Uri.EscapeDataString(texture.CompressedUri).Replace("%2F", "/", StringComparison.Ordinal));
                    json.WriteEndObject();
                }
            }
            json.WriteEndArray();
        }

        private void WriteViews()
        {
            json.WriteStartArray("accessors");
            foreach (var accessor in accessors)
            {
                json.WriteStartObject();
                json.WriteNumber("bufferView", accessor.View);
                json.WriteNumber("componentType", accessor.Component);
                json.WriteNumber("count", accessor.Count);
                json.WriteString("type", accessor.Type);
                if (accessor.Min is { } min && accessor.Max is { } max)
                {
                    Corner("min", min);
                    Corner("max", max);
                }
                json.WriteEndObject();
            }
            json.WriteEndArray();
            json.WriteStartArray("bufferViews");
            foreach (var (offset, length, target) in views)
            {
                json.WriteStartObject();
                json.WriteNumber("buffer", 0);
                json.WriteNumber("byteOffset", offset);
                json.WriteNumber("byteLength", length);
                if (target is { } kind)
                    json.WriteNumber("target", kind);
                json.WriteEndObject();
            }
            json.WriteEndArray();
            Pad(binary, 0);
            json.WriteStartArray("buffers");
            json.WriteStartObject();
            json.WriteNumber("byteLength", binary.Length);
            json.WriteEndObject();
            json.WriteEndArray();
        }

        private void Corner(string name, Vector3 value)
        {
            json.WriteStartArray(name);
            json.WriteNumberValue(value.X);
            json.WriteNumberValue(value.Y);
            json.WriteNumberValue(value.Z);
            json.WriteEndArray();
        }
    }
}
