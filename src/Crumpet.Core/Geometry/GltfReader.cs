using System.Numerics;
using System.Security.Cryptography;
using System.Text.Json;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Geometry;

/// <summary>
/// Reads glTF 2.0 and GLB: the mesh of every node that carries one, moved to world space. Skinned meshes are read in the pose their
/// joints have in the file, morph targets at rest.
/// </summary>
/// <remarks>
/// Source: Khronos glTF 2.0 specification; KHR_mesh_quantization, EXT_meshopt_compression, KHR_texture_transform, KHR_lights_punctual,
/// KHR_node_visibility.
/// </remarks>
public sealed class GltfReader
{
    private const int MostPositionsAndTriangles = 100_000_000;
    private const int MostGroups = 32;
    private readonly string fileName;
    private readonly GltfData data;
    private readonly List<Finding> notes = [];
    private readonly Dictionary<int, Matrix4x4> worlds = [];
    private SortedDictionary<int, InnerPicture> pictures = [];
    private long read;

    private GltfReader(string fileName, GltfData data)
    {
        this.fileName = fileName;
        this.data = data;
    }

    /// <summary>Reads a file.</summary>
    /// <param name="bytes">The .glb, or the .gltf text.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <param name="beside">Gives the bytes of a file the .gltf refers to by its relative path, or null where there is none.</param>
    /// <param name="cancel">Ends the reading early.</param>
    /// <exception cref="SourceFileException">The file is cut, not glTF, compressed, refers to a missing file, has a position that is no
    /// number, or has no triangle.</exception>
    public static Scene Read(byte[] bytes, string fileName, Func<string, byte[]?> beside, CancellationToken cancel = default)
    {
        try
        {
            using var data = GltfData.Open(bytes, fileName, beside);
            return new GltfReader(fileName, data).ReadScene(cancel);
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException or FormatException or KeyNotFoundException
            or OverflowException or ArgumentException or IndexOutOfRangeException)
        {
            string reason = e.Message.ReplaceLineEndings(" ").Trim().TrimEnd('.');
            throw new SourceFileException(fileName, "", $"it cannot be read as glTF 2.0 ({(reason.Length > 160 ? reason[..160] : reason)})",
                "Export it again; it may have been cut in transfer", e);
        }
    }

    private Scene ReadScene(CancellationToken cancel)
    {
        RefuseWhatIsNotRead();
        pictures = InnerPictures();
        var materials = data.Root.List("materials").Select(ToMaterial).ToArray();
        var meshes = new List<Mesh>();
        var strays = new List<Stray>();
        var nodes = Nodes();
        // Joints may stand anywhere in the tree, so all places are known before the first mesh.
        foreach (var (number, _, world, _, _) in nodes)
            worlds[number] = world;
        var joints = data.Root.List("skins").SelectMany(s => s.List("joints")).Select(j => j.GetInt32()).ToHashSet();
        foreach (var (number, node, world, hidden, groups) in nodes)
        {
            cancel.ThrowIfCancellationRequested();
            string? name = node.Text("name");
            if (node.Has("mesh"))
            {
                int meshNumber = node.Int("mesh", -1);
                var source = data.Root.At("meshes", meshNumber) ?? throw Wrong($"node {number} refers to mesh {meshNumber}, which is not there");
                name = Name(name ?? source.Text("name"), number);
                if (ToMesh(name, source, node, world, cancel) is { } mesh)
                    meshes.Add(mesh with { IsHidden = hidden, Groups = groups });
            }
            else if (node.Has("camera"))
            {
                strays.Add(new Stray(Name(name, number), "camera"));
            }
            else if (node.Inner("extensions", "KHR_lights_punctual") is not null)
            {
                strays.Add(new Stray(Name(name, number), "light"));
            }
            else if (!node.Has("children") && !joints.Contains(number))
            {
                strays.Add(new Stray(Name(name, number), "empty"));
            }
        }
        if (meshes.Count == 0)
            throw new SourceFileException(fileName, "", "there is no triangle in it", "Export the mesh again with its faces");
        return new Scene(fileName, meshes, materials, notes) { Strays = strays, Pictures = [.. pictures.Values] };
    }

    private void RefuseWhatIsNotRead()
    {
        if (data.Root.ValueKind != JsonValueKind.Object || data.Root.Inner("asset") is not { } asset)
            throw new SourceFileException(fileName, "", "it is no glTF file", "Export it as glTF 2.0");
        // What has its objects by names, and not in lists, is of the first version, whatever it says.
        string version = asset.Text("version") ?? (data.Root.Inner("meshes") is { ValueKind: JsonValueKind.Object } ? "1.0" : "2.0");
        if (!version.StartsWith("2.", StringComparison.Ordinal))
            throw new SourceFileException(fileName, "", $"it is glTF {version}, which is not read", "Export it as glTF 2.0");
        foreach (string? needed in data.Root.List("extensionsRequired").Select(e => e.GetString()))
        {
            if (needed is "KHR_draco_mesh_compression")
                throw new SourceFileException(fileName, "", $"its geometry is compressed ({needed}), which is not read",
                    "Export it again without mesh compression");
            if (needed is "EXT_mesh_gpu_instancing")
                throw new SourceFileException(fileName, "", $"it places copies of meshes by {needed}, which is not read",
                    "Export the copies as objects of their own");
        }
    }

    /// <summary>Nodes of the scene with their place in the world, parents first.</summary>
    private List<(int Number, JsonElement Node, Matrix4x4 World, bool Hidden, IReadOnlyList<string> Groups)> Nodes()
    {
        var all = data.Root.List("nodes").ToArray();
        IEnumerable<int> roots = data.Root.At("scenes", data.Root.Int("scene", 0)) is { } scene
            ? scene.List("nodes").Select(n => n.GetInt32())
            : Enumerable.Range(0, all.Length).Except(all.SelectMany(n => n.List("children")).Select(c => c.GetInt32()));
        var found = new List<(int, JsonElement, Matrix4x4, bool, IReadOnlyList<string>)>();
        var seen = new HashSet<int>();
        var open = new Stack<(int Number, Matrix4x4 Parent, bool Hidden, IReadOnlyList<string> Groups)>(
            roots.Reverse().Select(r => (r, Matrix4x4.Identity, false, (IReadOnlyList<string>)[])));
        while (open.TryPop(out var next))
        {
            if (next.Number < 0 || next.Number >= all.Length)
                throw Wrong($"it refers to node {next.Number}, which is not there");
            if (!seen.Add(next.Number))
                throw Wrong($"node {next.Number} stands in the tree twice");
            var node = all[next.Number];
            var world = Local(node) * next.Parent;
            bool hidden = next.Hidden || node.Inner("extensions", "KHR_node_visibility", "visible") is { ValueKind: JsonValueKind.False };
            found.Add((next.Number, node, world, hidden, next.Groups));
            IReadOnlyList<string> below = node.Text("name") is { Length: > 0 } name && next.Groups.Count < MostGroups ? [.. next.Groups, name] : next.Groups;
            foreach (var child in node.List("children").Reverse())
                open.Push((child.GetInt32(), world, hidden, below));
        }
        return found;
    }

    private static Matrix4x4 Local(JsonElement node)
    {
        if (node.Numbers("matrix", 16) is { } m)
            return new Matrix4x4(m[0], m[1], m[2], m[3], m[4], m[5], m[6], m[7], m[8], m[9], m[10], m[11], m[12], m[13], m[14], m[15]);
        var scale = node.Numbers("scale", 3) is { } s ? new Vector3(s) : Vector3.One;
        var turn = node.Numbers("rotation", 4) is { } r ? new Quaternion(r[0], r[1], r[2], r[3]) : Quaternion.Identity;
        var move = node.Numbers("translation", 3) is { } t ? new Vector3(t) : Vector3.Zero;
        return Matrix4x4.CreateScale(scale) * Matrix4x4.CreateFromQuaternion(turn) * Matrix4x4.CreateTranslation(move);
    }

    private Material ToMaterial(JsonElement source, int number)
    {
        var metallic = source.Inner("pbrMetallicRoughness");
        var colour = metallic?.Numbers("baseColorFactor", 4) is { } c ? new Vector4(c) : Vector4.One;
        var uses = new List<TextureUse>();
        Use(TextureKind.BaseColour, metallic?.Inner("baseColorTexture"));
        Use(TextureKind.Roughness, metallic?.Inner("metallicRoughnessTexture"));
        Use(TextureKind.Normal, source.Inner("normalTexture"));
        Use(TextureKind.Occlusion, source.Inner("occlusionTexture"));
        Use(TextureKind.Emission, source.Inner("emissiveTexture"));
        return new Material(source.Text("name") ?? $"material_{number}", colour, metallic?.Float("roughnessFactor", 1) ?? 0.6f,
            metallic?.Float("metallicFactor", 1) ?? 0)
        { Textures = uses, Traits = GltfTraits.Read(source) };

        void Use(TextureKind slot, JsonElement? texture)
        {
            if (texture is not { } info)
                return;
            int image = data.Root.At("textures", info.Int("index", -1)) is { } t ? t.Int("source", -1) : -1;
            // A picture inside is found below the file that holds it.
            string path = pictures.TryGetValue(image, out var inner) ? $"{Path.GetFileName(fileName)}/{inner.Name}"
                : Uri.UnescapeDataString(data.Root.At("images", image)?.Text("uri") ?? "");
            string content = inner is null ? "" : System.Convert.ToHexStringLower(SHA256.HashData(inner.Bytes.Span))[..16];
            var use = new TextureUse(slot, path) { Content = content, UvSet = info.Int("texCoord", 0) };
            if (info.Inner("extensions", "KHR_texture_transform") is { } transform)
                use = use with { UvSet = transform.Int("texCoord", use.UvSet), UvTransform = UvTransform(transform) };
            uses.Add(use);
        }
    }

    /// <summary>Pictures that lie in buffers or in the JSON itself, by their numbers.</summary>
    private SortedDictionary<int, InnerPicture> InnerPictures()
    {
        var found = new SortedDictionary<int, InnerPicture>();
        var taken = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        int number = -1;
        foreach (var image in data.Root.List("images"))
        {
            number++;
            ReadOnlyMemory<byte> bytes;
            string? uri = image.Text("uri");
            if (uri is null && image.Has("bufferView"))
                bytes = data.BytesOf(image.Int("bufferView", -1));
            else if (uri?.StartsWith("data:", StringComparison.Ordinal) == true)
                bytes = System.Convert.FromBase64String(uri[(uri.IndexOf(',') + 1)..]);
            else
                continue;
            string name = FileNameOf(image.Text("name"), number, bytes.Span), free = name;
            for (int i = 2; !taken.Add(free); i++)
                free = $"{Path.GetFileNameWithoutExtension(name)}_{i}{Path.GetExtension(name)}";
            found.Add(number, new InnerPicture(free, bytes));
        }
        return found;
    }

    private static string FileNameOf(string? name, int number, ReadOnlySpan<byte> bytes)
    {
        string ending = bytes.StartsWith((ReadOnlySpan<byte>)[0x89, (byte)'P', (byte)'N', (byte)'G']) ? ".png"
            : bytes.StartsWith((ReadOnlySpan<byte>)[0xff, 0xd8]) ? ".jpg"
            : bytes.Length > 12 && bytes.StartsWith("RIFF"u8) && bytes[8..].StartsWith("WEBP"u8) ? ".webp" : ".bin";
        string stem = name is null ? "" : Path.GetFileName(name.Replace('\\', '/'));
        if (Path.GetExtension(stem).ToLowerInvariant() is ".png" or ".jpg" or ".jpeg" or ".webp")
            stem = Path.GetFileNameWithoutExtension(stem);
        return (stem.Length > 0 ? stem : $"picture_{number}") + ending;
    }

    // The extension counts v downwards; Crumpet upwards, so the flip stands on both sides.
    private static Matrix3x2 UvTransform(JsonElement transform)
    {
        var scale = transform.Numbers("scale", 2) is { } s ? new Vector2(s[0], s[1]) : Vector2.One;
        var move = transform.Numbers("offset", 2) is { } o ? new Vector2(o[0], o[1]) : Vector2.Zero;
        var flip = Matrix3x2.CreateScale(1, -1) * Matrix3x2.CreateTranslation(0, 1);
        return flip * Matrix3x2.CreateScale(scale) * Matrix3x2.CreateRotation(-transform.Float("rotation", 0)) * Matrix3x2.CreateTranslation(move) * flip;
    }

    private Mesh? ToMesh(string name, JsonElement source, JsonElement node, Matrix4x4 world, CancellationToken cancel)
    {
        Matrix4x4[]? pose = node.Has("skin") ? Pose(node.Int("skin", -1)) : null;
        bool morphs = source.List("primitives").Any(p => p.Has("targets"));
        if (pose is not null || morphs)
            notes.Add(new Finding(Severity.Note, "rest-pose", name,
                $"{name} in {fileName} {(pose is null ? "has morph targets" : morphs ? "is skinned and has morph targets" : "is skinned")}; its rest pose "
                + $"is used."));
        // A skin places its mesh by its joints alone.
        var placement = pose is null ? world : Matrix4x4.Identity;
        if (!Matrix4x4.Invert(placement, out _))
            throw new SourceFileException(fileName, $"object {name}", "its transform flattens it to nothing",
                "Give it a scale other than zero and export again");
        var builder = new GltfMeshBuilder(name, fileName, data, placement, pose);
        foreach (var primitive in source.List("primitives"))
        {
            cancel.ThrowIfCancellationRequested();
            if (primitive.Inner("extensions", "KHR_draco_mesh_compression") is not null)
                throw new SourceFileException(fileName, $"object {name}", "its geometry is compressed, which is not read",
                    "Export it again without mesh compression");
            builder.Add(primitive, ref read, MostPositionsAndTriangles);
        }
        if (builder.SkippedPrimitives > 0)
            notes.Add(new Finding(Severity.Note, "loose-lines", name, $"{name} in {fileName} has points or lines beside its faces; they are left out.",
                builder.SkippedPrimitives));
        return builder.Build();
    }

    private Matrix4x4[] Pose(int number)
    {
        var skin = data.Root.At("skins", number) ?? throw Wrong($"it refers to skin {number}, which is not there");
        int[] joints = [.. skin.List("joints").Select(j => j.GetInt32())];
        float[]? bind = skin.Has("inverseBindMatrices") ? data.Floats(skin.Int("inverseBindMatrices", -1), out _) : null;
        if (bind is not null && bind.Length < 16 * joints.Length)
            throw Wrong($"skin {number} has {bind.Length / 16} bind matrices for {joints.Length} joints");
        return [.. joints.Select((joint, i) =>
        {
            var world = worlds.GetValueOrDefault(joint, Matrix4x4.Identity);
            if (bind is null)
                return world;
            var m = bind.AsSpan(16 * i, 16);
            return new Matrix4x4(m[0], m[1], m[2], m[3], m[4], m[5], m[6], m[7], m[8], m[9], m[10], m[11], m[12], m[13], m[14], m[15]) * world;
        })];
    }

    private static string Name(string? name, int number) => string.IsNullOrWhiteSpace(name) ? $"unnamed_{number}" : name;

    private SourceFileException Wrong(string what) => GltfData.Cut(fileName, what);
}
