using System.Numerics;
using System.Text;
using System.Text.Json;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Xunit;

namespace Crumpet.Core.Tests.Geometry;

/// <summary>glTF files put together here from the specification: every accessor type, sparse ones, trees of nodes, and what extensions add.</summary>
public sealed class GltfAwkwardTests
{
    /// <summary>What it is about, and what to change in a file of one square.</summary>
    public static TheoryData<string, Action<GltfSquare>> Files => new()
    {
        { "plain", _ => { } },
        { "as a GLB", f => f.AsGlb = true },
        { "a GLB with an unknown chunk", f => (f.AsGlb, f.SpareChunk) = (true, true) },
        { "a buffer in a file beside", f => f.BufferUri = "data/mesh%20one.bin" },
        { "indices of one byte", f => f.IndexComponent = 5121 },
        { "indices of two bytes", f => f.IndexComponent = 5123 },
        { "indices of four bytes", f => f.IndexComponent = 5125 },
        { "no indices", f => f.Indices = null },
        { "a strip", f => (f.Mode, f.Indices) = (5, [0, 1, 3, 2]) },
        { "a strip with joints without area", f => (f.Mode, f.Indices) = (5, [0, 1, 3, 2, 2]) },
        { "a fan", f => (f.Mode, f.Indices) = (6, [0, 1, 2, 3]) },
        { "positions of signed bytes", f => f.Positions = 5120 },
        { "positions of unsigned bytes", f => f.Positions = 5121 },
        { "positions of signed words", f => f.Positions = 5122 },
        { "positions of unsigned words", f => f.Positions = 5123 },
        { "positions of normalised bytes", f => (f.Positions, f.Normalized) = (5121, true) },
        { "positions of normalised signed words", f => (f.Positions, f.Normalized) = (5122, true) },
        { "positions with a stride", f => f.Stride = 20 },
        { "positions with an offset", f => f.Offset = 12 },
        { "sparse positions over a view", f => f.Sparse = 1 },
        { "sparse positions over zeros", f => f.Sparse = 2 },
        { "two UV sets", f => f.Attributes.AddRange(["TEXCOORD_0:5126:2", "TEXCOORD_1:5126:2"]) },
        { "UVs of normalised bytes", f => f.Attributes.Add("TEXCOORD_0:5121:2") },
        { "UVs of normalised words", f => f.Attributes.Add("TEXCOORD_0:5123:2") },
        { "colours of three floats", f => f.Attributes.Add("COLOR_0:5126:3") },
        { "colours of four bytes", f => f.Attributes.Add("COLOR_0:5121:4") },
        { "colours of four words", f => f.Attributes.Add("COLOR_0:5123:4") },
        { "normals of normalised bytes", f => f.Attributes.Add("NORMAL:5120:3") },
        { "attributes nobody knows", f => f.Attributes.AddRange(["_TEMPERATURE:5126:1", "TANGENT:5126:4"]) },
        { "a matrix on the node", f => f.Node["matrix"] = new[] { 2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 1 } },
        { "scale and translation on the node", f => (f.Node["scale"], f.Node["translation"]) = (new[] { 2, 2, 2 }, new[] { 0, 0, 0 }) },
        { "a parent that scales", f => f.Parent = new() { ["scale"] = new[] { 2, 2, 2 } } },
        { "a mirroring node", f => f.Node["scale"] = new[] { -1, 1, 1 } },
        { "a second scene that is not shown", f => f.SecondScene = true },
        { "no scene at all", f => f.NoScene = true },
        { "morph targets", f => f.Morph = true },
        { "a skin at rest", f => f.Skin = true },
        { "points beside", f => f.Points = true },
        { "extras and unknown extensions", f => f.Node["extras"] = new { a = 1 } },
    };

    [Theory]
    [MemberData(nameof(Files))]
    public void A_square_is_read_whichever_way_it_is_written(string name, Action<GltfSquare> change)
    {
        var file = new GltfSquare();
        change(file);
        var scene = GltfReader.Read(file.Bytes(), "x.glb", path => path == "data/mesh one.bin" ? file.Binary : null);
        var mesh = Assert.Single(scene.Meshes);
        float side = file.Side();
        Assert.Equal(file.Indices is null ? 1 : 2, mesh.TriangleCount);
        if (file.Indices is not null && !file.Node.ContainsKey("scale"))
            Assert.Equal(new Vector3(side, side, 0), mesh.Bounds().Size);
        // Whatever the way, the square looks along z and covers its area once.
        double area = 0;
        for (int t = 0; t < mesh.TriangleCount; t++)
            area += Vector3.Cross(mesh.PositionAt(3 * t + 1) - mesh.PositionAt(3 * t), mesh.PositionAt(3 * t + 2) - mesh.PositionAt(3 * t)).Z / 2;
        double scale = file.Node.ContainsKey("matrix") || file.Parent is not null || (file.Node.ContainsKey("scale") && file.Node.ContainsKey("translation"))
            ? 4 : 1;
        double whole = (file.Node.ContainsKey("matrix") || file.Parent is not null ? side * side : side * side * scale) * (file.Indices is null ? 0.5 : 1);
        Assert.Equal(whole, area, 3);
        Assert.Equal(file.Attributes.Count(a => a.StartsWith("TEXCOORD", StringComparison.Ordinal)), mesh.UvSets.Count);
        if (mesh.Uvs is { } uvs)
            Assert.Equal(new Vector2(1, 0), Vector2.Round(uvs[Array.FindIndex(mesh.Corners, c => mesh.Positions[c] is { X: > 0.5f, Y: > 0.5f })]));
        if (mesh.Colours is { } colours)
            Assert.Equal(Vector4.One, colours[0]);
        if (mesh.Normals is { } normals)
            Assert.All(normals, n => Assert.True(Vector3.Distance(n, Vector3.UnitZ) < 1e-4f));
        Assert.Equal(name is "morph targets" or "a skin at rest" or "points beside" ? 1 : 0, scene.Notes.Count);
    }

    [Fact]
    public void A_skin_is_read_where_its_joints_stand()
    {
        var file = new GltfSquare { Skin = true, JointMove = 5 };
        Assert.Equal(5, GltfReader.Read(file.Bytes(), "x.gltf", _ => null).Meshes[0].Bounds().Min.X, 4);
    }

    [Fact]
    public void Cameras_lights_and_empties_are_told_and_hidden_nodes_marked()
    {
        var file = new GltfSquare { Strays = true };
        var scene = GltfReader.Read(file.Bytes(), "x.gltf", _ => null);
        Assert.Equal(["Eye:camera", "Lamp:light", "Handle:empty"], scene.Strays.Select(s => $"{s.Name}:{s.Kind}"));
        Assert.True(scene.Meshes[0].IsHidden);
    }

    [Fact]
    public void Materials_tell_their_pictures_and_how_they_move_them()
    {
        var file = new GltfSquare { Material = true };
        var material = Assert.Single(GltfReader.Read(file.Bytes(), "x.gltf", _ => null).Materials);
        Assert.Equal((0.5f, 0.25f), (material.BaseColour.X, material.Roughness));
        var use = Assert.Single(material.Textures);
        Assert.Equal((TextureKind.BaseColour, "maps/a b.png", 1), (use.Slot, use.Path, use.UvSet));
        // Offset (0.25, 0.5) with v downwards moves the picture's point (0, 1 upwards) to (0.25, 0.5 upwards).
        Assert.Equal(new Vector2(0.25f, 0.5f), Vector2.Transform(new Vector2(0, 1), use.UvTransform));
    }

    /// <summary>What is broken, and what the sentence must hold.</summary>
    public static TheoryData<string, Action<Dictionary<string, object>>, string> Broken => new()
    {
        { "no asset", j => j.Remove("asset"), "no glTF" },
        { "version 1", j => j["asset"] = new { version = "1.0" }, "glTF 1.0" },
        { "compressed", j => j["extensionsRequired"] = new[] { "KHR_draco_mesh_compression" }, "compressed" },
        { "an accessor that is not there", j => j["accessors"] = Array.Empty<object>(), "accessor" },
        { "a view that is not there", j => j["bufferViews"] = Array.Empty<object>(), "view" },
        { "a view beyond the buffer", j => j["bufferViews"] = new[] { new { buffer = 0, byteOffset = 0, byteLength = 4_000_000 } }, "reaches" },
        { "a buffer that claims more", j => j["buffers"] = new[] { new { byteLength = 3_000_000_000, uri = "data:;base64,AAAA" } }, "3000000000" },
        { "a count of a thousand million", j =>
            j["accessors"] = new object[] { new { componentType = 5126, count = 1_000_000_000, type = "VEC3" },
            new { componentType = 5125, count = 3, type = "SCALAR" } }, "1000000000" },
        { "a type nobody knows", j => j["accessors"] = new object[] { new { componentType = 5126, count = 3, type = "VEC9" } }, "VEC9" },
        { "a node that is its own child", j => j["nodes"] = new object[] { new { children = new[] { 0 } } }, "twice" },
        { "a mesh that is not there", j => j["nodes"] = new object[] { new { mesh = 9 } }, "mesh 9" },
        { "a number where a list belongs", j => j["nodes"] = 7, "node 0" },
        { "a text where a number belongs", j => j["nodes"] = new object[] { new { mesh = "first" } }, "cannot be read" },
        { "a matrix of fifteen numbers", j => j["nodes"] = new object[] { new { mesh = 0, matrix = new float[15] } }, "matrix" },
        { "a transform that flattens", j => j["nodes"] = new object[] { new { mesh = 0, scale = new[] { 0, 1, 1 } } }, "flattens" },
    };

    [Theory]
    [MemberData(nameof(Broken))]
    public void What_cannot_be_meant_is_refused_at_once(string name, Action<Dictionary<string, object>> breakIt, string what)
    {
        Assert.NotEmpty(name);
        var file = new GltfSquare { Break = breakIt };
        long before = GC.GetAllocatedBytesForCurrentThread();
        var e = Assert.Throws<SourceFileException>(() => GltfReader.Read(file.Bytes(), "x.gltf", _ => null));
        Assert.Contains(what, e.Message, StringComparison.Ordinal);
        Assert.True(GC.GetAllocatedBytesForCurrentThread() - before < 16 << 20);
        Assert.NotEmpty(e.WhatToDo);
    }

    [Fact]
    public void A_small_GLB_that_claims_three_gigabytes_is_refused()
    {
        byte[] glb = new GltfSquare { AsGlb = true }.Bytes();
        foreach (int at in (int[])[8, 12])
        {
            byte[] lying = (byte[])glb.Clone();
            BitConverter.TryWriteBytes(lying.AsSpan(at), 3_000_000_000u);
            Assert.Contains("3000000000", Assert.Throws<SourceFileException>(() => GltfReader.Read(lying, "x.glb", _ => null)).Message,
                StringComparison.Ordinal);
        }
    }
}

/// <summary>Writes a square of side 1 (or 127, 255 and so on for whole numbers) as glTF in many ways.</summary>
public sealed class GltfSquare
{
    public bool AsGlb { get; set; }
    public bool SpareChunk { get; set; }
    public string? BufferUri { get; set; }
    public int IndexComponent { get; set; } = 5123;
    public int[]? Indices { get; set; } = [0, 1, 2, 0, 2, 3];
    public int Mode { get; set; } = 4;
    public int Positions { get; set; } = 5126;
    public bool Normalized { get; set; }
    public int Stride { get; set; }
    public int Offset { get; set; }
    public int Sparse { get; set; }
    public List<string> Attributes { get; } = [];
    public Dictionary<string, object> Node { get; } = [];
    public Dictionary<string, object>? Parent { get; set; }
    public bool SecondScene { get; set; }
    public bool NoScene { get; set; }
    public bool Morph { get; set; }
    public bool Skin { get; set; }
    public float JointMove { get; set; }
    public bool Points { get; set; }
    public bool Strays { get; set; }
    public bool Material { get; set; }
    public Action<Dictionary<string, object>>? Break { get; set; }
    private static readonly float[][] Corners = [[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]];
    private readonly List<byte> binary = [];
    private readonly List<object> views = [], accessors = [];

    /// <summary>What the buffer holds.</summary>
    public byte[] Binary => [.. binary];

    /// <summary>Length of the square's side as it is read.</summary>
    public float Side() => (Node.ContainsKey("matrix") || Parent is not null ? 2 : 1) * (Normalized || Positions == 5126 ? 1 : 100);

    /// <summary>The file.</summary>
    public byte[] Bytes()
    {
        var attributes = new Dictionary<string, object> { ["POSITION"] = AddPositions() };
        foreach (string[] a in Attributes.Select(a => a.Split(':')))
            attributes[a[0]] = Add(int.Parse(a[1], null), $"VEC{a[2]}".Replace("VEC1", "SCALAR", StringComparison.Ordinal), a[1] != "5126", 0,
                [.. Corners.Select((c, i) => Value(a[0], int.Parse(a[2], null), c))]);
        var primitive = new Dictionary<string, object> { ["attributes"] = attributes, ["mode"] = Mode };
        if (Indices is not null)
            primitive["indices"] = Add(IndexComponent, "SCALAR", false, 0, [.. Indices.Select(i => new float[] { i })]);
        if (Morph)
            primitive["targets"] = new[] { new { POSITION = attributes["POSITION"] } };
        if (Material)
            primitive["material"] = 0;
        var json = new Dictionary<string, object> { ["asset"] = new { version = "2.0" } };
        Node["mesh"] = 0;
        var nodes = new List<object> { Node };
        int rootNode = 0;
        if (Skin)
        {
            attributes["JOINTS_0"] = Add(5121, "VEC4", false, 0, [.. Corners.Select(_ => new float[4])]);
            attributes["WEIGHTS_0"] = Add(5126, "VEC4", false, 0, [.. Corners.Select(_ => new float[] { 1, 0, 0, 0 })]);
            Node["skin"] = 0;
            nodes.Add(new { name = "joint", translation = new[] { 2 + JointMove, 0, 0 } });
            json["skins"] = new[] { new { joints = new[] { 1 },
                inverseBindMatrices = Add(5126, "MAT4", false, 0, [[1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -2, 0, 0, 1]]) } };
            // What a skinned node says of its own place does not count.
            Node["translation"] = new[] { 40, 0, 0 };
        }
        if (Parent is not null)
        {
            Parent["children"] = new[] { 0 };
            nodes.Add(Parent);
            rootNode = nodes.Count - 1;
        }
        var roots = new List<int> { rootNode };
        if (Skin)
            roots.Add(1);
        if (Strays)
        {
            Node["extensions"] = new { KHR_node_visibility = new { visible = false } };
            nodes.AddRange([new { name = "Eye", camera = 0 }, new { name = "Lamp", extensions = new { KHR_lights_punctual = new { light = 0 } } },
                new { name = "Handle" }]);
            roots.AddRange([1, 2, 3]);
        }
        if (Material)
        {
            json["materials"] = new[] { new { name = "paint",
                pbrMetallicRoughness = new { baseColorFactor = new[] { 0.5, 1, 1, 1 }, roughnessFactor = 0.25,
                baseColorTexture = new { index = 0, extensions = new { KHR_texture_transform = new { offset = new[] { 0.25, 0.5 }, texCoord = 1 } } } } } };
            json["textures"] = new[] { new { source = 0 } };
            json["images"] = new[] { new { uri = "maps/a%20b.png" } };
        }
        var primitives = new List<object> { primitive };
        if (Points)
            primitives.Add(new { attributes, mode = 0 });
        json["meshes"] = new[] { new { name = "square", primitives } };
        json["nodes"] = nodes;
        if (SecondScene)
        {
            nodes.Add(new { mesh = 0, name = "elsewhere" });
            json["scenes"] = new object[] { new { nodes = new[] { nodes.Count - 1 } }, new { nodes = roots } };
            json["scene"] = 1;
        }
        else if (!NoScene)
        {
            json["scenes"] = new object[] { new { nodes = roots } };
        }
        json["accessors"] = accessors;
        json["bufferViews"] = views;
        var buffer = new Dictionary<string, object> { ["byteLength"] = binary.Count };
        if (!AsGlb)
            buffer["uri"] = BufferUri ?? "data:application/octet-stream;base64," + System.Convert.ToBase64String(Binary);
        json["buffers"] = new[] { buffer };
        Break?.Invoke(json);
        byte[] text = JsonSerializer.SerializeToUtf8Bytes(json);
        return AsGlb ? Glb(text) : text;
    }

    private int AddPositions()
    {
        float scale = Positions == 5126 || Normalized ? 1 : 100;
        float[][] values = [.. Corners.Select(c => c.Select(v => v * scale).ToArray())];
        if (Sparse == 0)
            return Add(Positions, "VEC3", Normalized, Stride, values, Offset);
        int indices = View([2, 0]), put = View([.. values[2].SelectMany(BitConverter.GetBytes)]);
        var sparse = new { count = 1, indices = new { bufferView = indices, componentType = 5123 }, values = new { bufferView = put } };
        if (Sparse == 2)
        {
            // Over zeros only one corner is anywhere; the others must be given too.
            int at = View([1, 0, 2, 0, 3, 0]), all = View([.. values.Skip(1).SelectMany(v => v).SelectMany(BitConverter.GetBytes)]);
            accessors.Add(new
            {
                componentType = 5126,
                count = 4,
                type = "VEC3",
                sparse = new { count = 3, indices = new { bufferView = at, componentType = 5123 }, values = new { bufferView = all } }
            });
            return accessors.Count - 1;
        }
        values[2] = [9, 9, 9];
        accessors.Add(new
        {
            bufferView = View([.. values.SelectMany(v => v).SelectMany(BitConverter.GetBytes)]),
            componentType = 5126,
            count = 4,
            type = "VEC3",
            sparse
        });
        return accessors.Count - 1;
    }

    private static float[] Value(string attribute, int width, float[] corner) => attribute switch
    {
        "NORMAL" => [0, 0, 1],
        _ when attribute.StartsWith("COLOR", StringComparison.Ordinal) => [.. Enumerable.Repeat(1f, width)],
        _ => [.. corner.Concat([1f]).Take(width)],
    };

    private int Add(int component, string type, bool normalized, int stride, float[][] values, int offset = 0)
    {
        int size = component switch { 5120 or 5121 => 1, 5122 or 5123 => 2, _ => 4 };
        var bytes = new List<byte>(new byte[offset]);
        foreach (float[] value in values)
        {
            int start = bytes.Count;
            foreach (float v in value)
            {
                float full = !normalized ? v : v * component switch { 5120 => 127, 5121 => 255, 5122 => 32767, _ => 65535 };
                bytes.AddRange(component switch
                {
                    5120 => [(byte)(sbyte)full],
                    5121 => [(byte)full],
                    5122 => BitConverter.GetBytes((short)full),
                    5123 => BitConverter.GetBytes((ushort)full),
                    5125 => BitConverter.GetBytes((uint)full),
                    _ => BitConverter.GetBytes(full),
                });
            }
            while (stride > 0 && bytes.Count < start + stride)
                bytes.Add(0xee);
        }
        accessors.Add(new { bufferView = View([.. bytes], stride), byteOffset = offset, componentType = component, count = values.Length, type, normalized });
        return accessors.Count - 1;
    }

    private int View(byte[] bytes, int stride = 0)
    {
        while (binary.Count % 4 != 0)
            binary.Add(0);
        var view = new Dictionary<string, object> { ["buffer"] = 0, ["byteOffset"] = binary.Count, ["byteLength"] = bytes.Length };
        if (stride > 0)
            view["byteStride"] = stride;
        views.Add(view);
        binary.AddRange(bytes);
        return views.Count - 1;
    }

    private byte[] Glb(byte[] text)
    {
        byte[] json = [.. text, .. Enumerable.Repeat((byte)' ', (4 - text.Length % 4) % 4)], data = [.. Binary, .. new byte[(4 - binary.Count % 4) % 4]];
        using var stream = new MemoryStream();
        using var writer = new BinaryWriter(stream, Encoding.ASCII);
        int spare = SpareChunk ? 12 : 0;
        writer.Write("glTF"u8);
        writer.Write(2);
        writer.Write(12 + 8 + json.Length + 8 + data.Length + spare);
        writer.Write(json.Length);
        writer.Write("JSON"u8);
        writer.Write(json);
        writer.Write(data.Length);
        writer.Write("BIN\0"u8);
        writer.Write(data);
        if (SpareChunk)
        {
            writer.Write(4);
            writer.Write("XXXX"u8);
            writer.Write(7);
        }
        return stream.ToArray();
    }
}
