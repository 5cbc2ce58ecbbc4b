using System.IO.Compression;
using System.Security.Cryptography;
using System.Text.Json;
using System.Text.Json.Serialization;
using Crumpet.Core.Convert;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Deliver;

/// <summary>An input a file was made from.</summary>
/// <param name="Name">File or map name.</param>
/// <param name="Sha256">Of its bytes, lower-case hexadecimal.</param>
public sealed record MadeFrom(string Name, string Sha256);

/// <summary>One row of the manifest.</summary>
/// <param name="Path">Path inside the package.</param>
/// <param name="Sha256">Of its bytes, lower-case hexadecimal.</param>
/// <param name="Bytes">Its size.</param>
/// <param name="Format">GLB, or the texture format with its container.</param>
/// <param name="Width">Texels, for textures.</param>
/// <param name="Height">Texels, for textures.</param>
/// <param name="Mips">Levels, for textures.</param>
/// <param name="Colour">srgb, linear or normal, for textures.</param>
/// <param name="MadeFrom">What it was made from.</param>
public sealed record ManifestFile(
    string Path, string Sha256, long Bytes, string Format, int? Width, int? Height, int? Mips, string? Colour, IReadOnlyList<MadeFrom> MadeFrom);

/// <summary>What a delivery says of itself.</summary>
/// <param name="Version">Version of this layout.</param>
/// <param name="Asset">Name the files begin with.</param>
/// <param name="Up">Axis that points up.</param>
/// <param name="Unit">Unit of lengths.</param>
/// <param name="Green">Direction of the normal maps' green channel.</param>
/// <param name="Sources">Files it all began with.</param>
/// <param name="Files">Every file of the package but the manifest.</param>
public sealed record Manifest(int Version, string Asset, string Up, string Unit, string Green, IReadOnlyList<MadeFrom> Sources,
    IReadOnlyList<ManifestFile> Files);

/// <summary>A texture to deliver.</summary>
/// <param name="FileName">Name with its ending.</param>
/// <param name="Dds">The file.</param>
/// <param name="Meaning">What its numbers mean.</param>
/// <param name="Source">Name and hash of the picture it was compressed from.</param>
public sealed record DeliveryTexture(string FileName, byte[] Dds, ColourMeaning Meaning, MadeFrom Source);

/// <summary>A material to deliver; file names are those of textures.</summary>
/// <param name="Source">Name and factors.</param>
/// <param name="Textures">Textures by where the mesh takes them.</param>
public sealed record DeliveryMaterial(Material Source, IReadOnlyDictionary<MeshInput, string> Textures);

/// <summary>Everything a delivery is made of.</summary>
/// <param name="Asset">Name the files begin with.</param>
/// <param name="Low">Low objects; triangle materials index <paramref name="Materials"/>.</param>
/// <param name="Materials">Materials.</param>
/// <param name="Textures">Textures.</param>
/// <param name="Pictures">The PNG each texture that a material binds was compressed from, by texture file name.</param>
/// <param name="Target">What the engine wants.</param>
/// <param name="Sources">Files it all began with.</param>
public sealed record DeliveryInput(
    string Asset, IReadOnlyList<Mesh> Low, IReadOnlyList<DeliveryMaterial> Materials, IReadOnlyList<DeliveryTexture> Textures,
    IReadOnlyDictionary<string, byte[]> Pictures, Target Target, IReadOnlyList<MadeFrom> Sources)
{
    /// <summary>Mesh files beside the low side's.</summary>
    public IReadOnlyList<DeliveryMesh> More { get; init; } = [];
}

/// <summary>A mesh file beside the low side's.</summary>
/// <param name="Name">Name of the file without its ending.</param>
/// <param name="Objects">Its objects; triangle materials index those of the delivery.</param>
/// <param name="HasMaterials">Whether it is drawn with them.</param>
public sealed record DeliveryMesh(string Name, IReadOnlyList<Mesh> Objects, bool HasMaterials);

/// <summary>Makes the zip that leaves Crumpet: the same bytes for the same input, on any day.</summary>
public static class DeliveryPackage
{
    private static readonly DateTimeOffset NoDate = new(1980, 1, 1, 0, 0, 0, TimeSpan.Zero);

    /// <summary>How the manifest is written.</summary>
    public static JsonSerializerOptions ManifestJson { get; } = new(JsonSerializerDefaults.Web)
    {
        WriteIndented = true,
        NewLine = "\n",
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
    };

    /// <summary>Makes the package.</summary>
    /// <param name="input">What is in it.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>The zip and its manifest.</returns>
    public static (byte[] Zip, Manifest Manifest) Make(DeliveryInput input, CancellationToken cancel = default)
    {
        var files = new List<(string Path, byte[] Bytes)>();
        // Textures alone leave without a mesh.
        if (input.Low.Count > 0)
            files.Add((input.Target.MeshPath($"{input.Asset}.glb"), MakeGlb(input, input.Low, true, cancel)));
        files.AddRange(input.More.Select(m => (input.Target.MeshPath($"{m.Name}.glb"), MakeGlb(input, m.Objects, m.HasMaterials, cancel))));
        files.AddRange(input.Textures.Select(t => (input.Target.TexturePath(t.FileName), t.Dds)));
        var manifest = new Manifest(1, input.Asset, input.Target.Up.ToString().ToLowerInvariant(), "metre", input.Target.Green.ToString().ToLowerInvariant(),
            input.Sources, [.. files.Select(f => Describe(f.Path, f.Bytes, input))]);
        files.Add(("manifest.json", JsonSerializer.SerializeToUtf8Bytes(manifest, ManifestJson)));
        using var stream = new MemoryStream();
        using (var zip = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var (path, bytes) in files)
            {
                cancel.ThrowIfCancellationRequested();
                // Stored, not deflated: a deflater's bytes differ from version to version.
                var entry = zip.CreateEntry(path, CompressionLevel.NoCompression);
                entry.LastWriteTime = NoDate;
                using var target = entry.Open();
                target.Write(bytes);
            }
        }
        return (stream.ToArray(), manifest);
    }

    private static ManifestFile Describe(string path, byte[] bytes, DeliveryInput input)
    {
        string hash = System.Convert.ToHexStringLower(SHA256.HashData(bytes));
        var texture = input.Textures.FirstOrDefault(t => path == input.Target.TexturePath(t.FileName));
        if (texture is null)
            return new ManifestFile(path, hash, bytes.Length, "GLB", null, null, null, null,
                [.. input.Sources, .. input.More.Any(m => !m.HasMaterials && path == input.Target.MeshPath($"{m.Name}.glb")) ? []
                    : input.Textures.Where(t => input.Pictures.ContainsKey(t.FileName)).Select(t => t.Source)]);
        var dds = TextureContainer.Read(bytes, texture.FileName);
        return new ManifestFile(path, hash, bytes.Length, $"{dds.Format.Label} in DDS", dds.Width, dds.Height, dds.Levels.Count,
            texture.Meaning.ToString().ToLowerInvariant(), [texture.Source]);
    }

    private static byte[] MakeGlb(DeliveryInput input, IReadOnlyList<Mesh> objects, bool hasMaterials, CancellationToken cancel)
    {
        var textures = new List<GlbTexture>();
        var materials = (hasMaterials ? input.Materials : []).Select(
            m => new GlbMaterial(m.Source, Add(m, MeshInput.BaseColour), Add(m, MeshInput.Normal), Add(m, MeshInput.OcclusionRoughnessMetalness))).ToArray();
        var meshes = objects.Select(m => new GlbMesh(m, m.Uvs is null || !hasMaterials ? null : TangentSpace.PerCorner(m))).ToArray();
        using var stream = new MemoryStream();
        GlbWriter.Write(new GlbDocument(meshes, materials, textures), stream);
        return stream.ToArray();

        int? Add(DeliveryMaterial material, MeshInput place)
        {
            if (!material.Textures.TryGetValue(place, out string? file))
                return null;
            cancel.ThrowIfCancellationRequested();
            // glTF fixes green up; a green-down texture must not be offered as the compressed form of the same picture.
            bool turn = place == MeshInput.Normal && input.Target.Green == GreenDirection.Down;
            byte[] picture = turn ? ImageFile.WritePng(GreenTurned((Bitmap8)ImageFile.Read(input.Pictures[file], file + ".png")), cancel: cancel)
                : input.Pictures[file];
            textures.Add(new GlbTexture(Path.GetFileNameWithoutExtension(file), picture, turn ? null : Beside(input.Target, file)));
            return textures.Count - 1;
        }
    }

    /// <summary>Path of a texture as the mesh sees it.</summary>
    private static string Beside(Target target, string file) =>
        string.Concat(Enumerable.Repeat("../", target.MeshFolder.Length == 0 ? 0 : target.MeshFolder.Split('/').Length)) + target.TexturePath(file);

    private static Bitmap8 GreenTurned(Bitmap8 normal)
    {
        var pixels = normal.Pixels.AsSpan().ToArray();
        for (int i = 1; i < pixels.Length; i += normal.Channels)
            pixels[i] = (byte)(255 - pixels[i]);
        return new Bitmap8(normal.Width, normal.Height, normal.Channels, pixels);
    }
}
