using System.Numerics;
using SharpGLTF.Schema2;
using SharpGLTF.Validation;

namespace Crumpet.Core.Geometry;

/// <summary>Reads glTF 2.0 and GLB: meshes of every node that carries one, moved to world space.</summary>
public static class GltfReader
{
    private static readonly byte[] OnePixel = Convert.FromBase64String("iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==");

    /// <summary>Reads a file.</summary>
    /// <param name="bytes">The .glb, or the .gltf text.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <param name="beside">Gives the bytes of a file the .gltf refers to by its relative name, or null where there is none.</param>
    /// <exception cref="SourceFileException">The file is cut, not glTF, refers to a missing file, has a position that is no number, or has no triangle.</exception>
    public static Scene Read(byte[] bytes, string fileName, Func<string, byte[]?> beside)
    {
        ModelRoot root;
        try
        {
            var context = ReadContext.Create(name => new ArraySegment<byte>(beside(name) ?? Missing(fileName, name)));
            context.Validation = ValidationMode.TryFix;
            context.ImageDecoder = _ => true;
            using var stream = new MemoryStream(bytes, writable: false);
            root = bytes.AsSpan().StartsWith("glTF"u8) ? context.ReadBinarySchema2(stream) : context.ReadTextSchema2(stream);
        }
        catch (SourceFileException)
        {
            throw;
        }
        catch (Exception e) when (e is not OutOfMemoryException)
        {
            string reason = e.GetBaseException() is SourceFileException inner ? inner.What : OneLine(e.Message);
            throw new SourceFileException(fileName, "", $"it cannot be read as glTF 2.0 ({reason})", "Export it again; it may have been cut in transfer", e);
        }
        return ToScene(root, fileName);
    }

    // Pictures are not looked at here, so one that is missing must not keep its mesh from being read.
    private static byte[] Missing(string fileName, string name) => Path.GetExtension(name).ToLowerInvariant() switch
    {
        ".png" or ".jpg" or ".jpeg" or ".webp" or ".dds" or ".ktx2" => OnePixel,
        _ => throw new SourceFileException(fileName, "", $"it refers to {name}, which is not here", $"Add {name} together with it"),
    };

    private static string OneLine(string text)
    {
        text = text.ReplaceLineEndings(" ").Trim().TrimEnd('.');
        return text.Length > 160 ? text[..160] : text;
    }

    private static Scene ToScene(ModelRoot root, string fileName)
    {
        var notes = new List<Finding>();
        var materials = root.LogicalMaterials.Select(ToMaterial).ToArray();
        var meshes = new List<Mesh>();
        foreach (var node in (root.DefaultScene ?? (root.LogicalScenes.Count > 0 ? root.LogicalScenes[0] : null))?.VisualChildren.SelectMany(Node.Flatten) ?? [])
        {
            if (node.Mesh is null)
                continue;
            string name = node.Name ?? node.Mesh.Name ?? $"unnamed_{node.LogicalIndex}";
            if (node.Skin is not null || node.Mesh.MorphWeights.Count > 0)
                notes.Add(new Finding(Severity.Note, "rest-pose", name, $"{name} in {fileName} is skinned or has morph targets; its rest pose is used."));
            try
            {
                if (ToMesh(node, name, fileName) is { } mesh)
                    meshes.Add(mesh);
            }
            catch (Exception e) when (e is ArgumentException or IndexOutOfRangeException or InvalidOperationException)
            {
                throw new SourceFileException(fileName, $"object {name}", $"its data is broken ({OneLine(e.Message)})", "Export it again", e);
            }
        }
        if (meshes.Count == 0)
            throw new SourceFileException(fileName, "", "there is no triangle in it", "Export the mesh again with its faces");
        return new Scene(fileName, meshes, materials, notes);
    }

    private static Material ToMaterial(SharpGLTF.Schema2.Material source)
    {
        var colour = source.FindChannel("BaseColor")?.Color ?? Vector4.One;
        var factors = source.FindChannel("MetallicRoughness");
        float metal = factors?.GetFactor("MetallicFactor") ?? 0, rough = factors?.GetFactor("RoughnessFactor") ?? 0.6f;
        return new Material(source.Name ?? $"material_{source.LogicalIndex}", colour, rough, metal);
    }

    private static Mesh? ToMesh(Node node, string name, string fileName)
    {
        var world = node.WorldMatrix;
        if (!Matrix4x4.Invert(world, out var inverse))
            throw new SourceFileException(fileName, $"object {name}", "its transform flattens it to nothing", "Give it a scale other than zero and export again");
        var normalMatrix = Matrix4x4.Transpose(inverse);
        bool mirrored = world.GetDeterminant() < 0;
        var builder = new Builder();
        foreach (var primitive in node.Mesh.Primitives)
            AddPrimitive(builder, primitive, name, fileName, world, normalMatrix, mirrored);
        return builder.Corners.Count == 0 ? null : builder.Build(name);
    }

    private static void AddPrimitive(Builder builder, MeshPrimitive primitive, string name, string fileName, Matrix4x4 world, Matrix4x4 normalMatrix, bool mirrored)
    {
        if (primitive.DrawPrimitiveType is not (PrimitiveType.TRIANGLES or PrimitiveType.TRIANGLE_STRIP or PrimitiveType.TRIANGLE_FAN))
            return;
        var positions = primitive.GetVertexAccessor("POSITION")?.AsVector3Array();
        if (positions is null)
            return;
        var normals = primitive.GetVertexAccessor("NORMAL")?.AsVector3Array();
        var uvs = Enumerable.Range(0, 8).Select(i => primitive.GetVertexAccessor($"TEXCOORD_{i}")?.AsVector2Array()).TakeWhile(a => a is not null).ToArray();
        var colours = primitive.GetVertexAccessor("COLOR_0")?.AsColorArray();
        int offset = builder.Positions.Count;
        foreach (var local in positions)
        {
            var p = Vector3.Transform(local, world);
            if (!float.IsFinite(p.X) || !float.IsFinite(p.Y) || !float.IsFinite(p.Z))
                throw new SourceFileException(fileName, $"object {name}", $"position {builder.Positions.Count - offset} is no number", "Look for a broken vertex in the mesh, delete it and export again");
            builder.Positions.Add(p);
        }
        builder.Match(normals is not null, uvs.Length, colours is not null);
        foreach (var (a, b, c) in primitive.GetTriangleIndices())
        {
            if (Math.Max(a, Math.Max(b, c)) >= positions.Count || Math.Min(a, Math.Min(b, c)) < 0)
                throw new SourceFileException(fileName, $"object {name}", $"an index is out of range, there are {positions.Count} positions", "Export it again");
            builder.Materials.Add(primitive.Material?.LogicalIndex ?? -1);
            foreach (int vertex in mirrored ? [a, c, b] : (ReadOnlySpan<int>)[a, b, c])
            {
                builder.Corners.Add(offset + vertex);
                if (builder.Normals is not null)
                {
                    var normal = Vector3.TransformNormal(normals![vertex], normalMatrix);
                    float length = normal.Length();
                    builder.Normals.Add(length > 0 ? normal / length : Vector3.UnitY);
                }
                // glTF counts v from the top edge, Crumpet from the bottom.
                for (int set = 0; set < builder.Uvs.Count; set++)
                    builder.Uvs[set].Add(new Vector2(uvs[set]![vertex].X, 1 - uvs[set]![vertex].Y));
                builder.Colours?.Add(colours![vertex]);
            }
        }
    }

    private sealed class Builder
    {
        private bool first = true;

        public List<Vector3> Positions { get; } = [];
        public List<int> Corners { get; } = [];
        public List<int> Materials { get; } = [];
        public List<Vector3>? Normals { get; private set; } = [];
        public List<List<Vector2>> Uvs { get; } = [];
        public List<Vector4>? Colours { get; private set; } = [];

        /// <summary>Keeps only what every primitive of the object has.</summary>
        public void Match(bool hasNormals, int uvSets, bool hasColours)
        {
            if (first)
                for (int i = 0; i < uvSets; i++)
                    Uvs.Add([]);
            first = false;
            if (!hasNormals)
                Normals = null;
            if (!hasColours)
                Colours = null;
            if (Uvs.Count > uvSets)
                Uvs.RemoveRange(uvSets, Uvs.Count - uvSets);
        }

        public Mesh Build(string name) => new()
        {
            Name = name,
            Positions = [.. Positions],
            Corners = [.. Corners],
            Normals = Normals?.ToArray(),
            UvSets = Uvs.Select(u => u.ToArray()).ToArray(),
            Colours = Colours?.ToArray(),
            TriangleMaterials = [.. Materials],
            PolygonCount = Corners.Count / 3,
        };
    }
}
