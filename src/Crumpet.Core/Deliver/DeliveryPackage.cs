using System.Globalization;
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
/// <param name="Format">What it is, in a few words.</param>
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
/// <param name="Target">Name of the target it was made for.</param>
/// <param name="TargetVersion">Its version.</param>
/// <param name="Up">Axis that points up.</param>
/// <param name="Handedness">Handedness of the axes.</param>
/// <param name="Unit">Unit of lengths.</param>
/// <param name="Green">Direction of the normal maps' green channel.</param>
/// <param name="Sources">Files it all began with.</param>
/// <param name="Files">Every file of the package but the manifest.</param>
public sealed record Manifest(int Version, string Asset, string Target, int TargetVersion, string Up, string Handedness, string Unit, string Green,
    IReadOnlyList<MadeFrom> Sources, IReadOnlyList<ManifestFile> Files);

/// <summary>A texture to deliver.</summary>
/// <param name="FileName">Name with its ending.</param>
/// <param name="Bytes">The file.</param>
/// <param name="Meaning">What its numbers mean.</param>
/// <param name="Source">Name and hash of the picture it was made from.</param>
public sealed record DeliveryTexture(string FileName, byte[] Bytes, ColourMeaning Meaning, MadeFrom Source);

/// <summary>A material to deliver.</summary>
/// <param name="Source">Name, factors and traits.</param>
/// <param name="Fills">What its textures do for it.</param>
public sealed record DeliveryMaterial(Material Source, IReadOnlyList<PackageFill> Fills);

/// <summary>Everything a delivery is made of.</summary>
/// <param name="Asset">Name the files begin with.</param>
/// <param name="Low">Low objects; triangle materials index <paramref name="Materials"/>.</param>
/// <param name="Materials">Materials.</param>
/// <param name="Textures">Textures.</param>
/// <param name="Pictures">The PNG each texture that a material binds was made from, by texture file name.</param>
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
    /// <summary>Name of the manifest in a package.</summary>
    public const string ManifestName = "manifest.json";

    private const int ManifestVersion = 2;
    private static readonly DateTimeOffset NoDate = new(1980, 1, 1, 0, 0, 0, TimeSpan.Zero);

    /// <summary>How the manifest is written.</summary>
    public static JsonSerializerOptions ManifestJson { get; } = new(JsonSerializerDefaults.Web)
    {
        WriteIndented = true,
        NewLine = "\n",
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
        Converters = { new JsonStringEnumConverter(JsonNamingPolicy.CamelCase) },
    };

    /// <summary>A file of a package, and what it was made from.</summary>
    private sealed record PackedFile(string Path, byte[] Bytes, string Format, IReadOnlyList<MadeFrom> From)
    {
        public DeliveryTexture? Texture { get; init; }
    }

    /// <summary>Makes the package.</summary>
    /// <param name="input">What is in it.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>The zip and its manifest.</returns>
    public static (byte[] Zip, Manifest Manifest) Make(DeliveryInput input, CancellationToken cancel = default)
    {
        var target = input.Target;
        var scenes = new DeliveryScenes(input, cancel);
        MadeFrom[] withTextures = [.. input.Sources, .. input.Textures.Where(t => input.Pictures.ContainsKey(t.FileName)).Select(t => t.Source)];
        var files = new List<PackedFile>();
        string name = Target.NameBy(target.MeshName, input.Asset);
        // Textures alone leave without a mesh.
        if (input.Low.Count > 0)
            AddMeshes(name, input.Low, true);
        foreach (var mesh in input.More)
            AddMeshes(mesh.Name, mesh.Objects, mesh.HasMaterials);
        if (target.MaterialX && input.Materials.Count > 0)
        {
            using var stream = new MemoryStream();
            MaterialXWriter.Write(scenes.Materials(target.MaterialFolder), stream);
            files.Add(new PackedFile(target.MaterialPath($"{name}.mtlx"), stream.ToArray(), "MaterialX", withTextures));
        }
        if (target.SettingsName.Length > 0)
            files.Add(new PackedFile(target.MaterialPath($"{Target.NameBy(target.SettingsName, input.Asset)}.json"), DeliverySettings.Write(input), "settings",
                withTextures));
        if (target.Textures is not null)
            files.AddRange(input.Textures.Select(t => new PackedFile(target.TexturePath(t.FileName), t.Bytes, "", [t.Source]) { Texture = t }));
        var manifest = new Manifest(ManifestVersion, input.Asset, target.Name, target.Version, Word(target.Up), Word(target.Handedness),
            UnitOf(target.UnitMetres), Word(target.Green), input.Sources, [.. files.Select(Describe)]);
        return (Zip([.. files.Select(f => (f.Path, f.Bytes)), (ManifestName, JsonSerializer.SerializeToUtf8Bytes(manifest, ManifestJson))], cancel), manifest);

        void AddMeshes(string file, IReadOnlyList<Mesh> objects, bool hasMaterials)
        {
            cancel.ThrowIfCancellationRequested();
            var written = target.Mesh.Write(scenes.Of(objects, hasMaterials), file);
            files.AddRange(written.Select(w => new PackedFile(target.MeshPath(w.Name), w.Bytes,
                w == written[0] ? target.Mesh.Label : $"beside {target.Mesh.Label}", hasMaterials ? withTextures : input.Sources)));
        }
    }

    private static string Word<T>(T value)
        where T : struct, Enum => value.ToString().ToLowerInvariant();

    private static string UnitOf(double metres) => metres switch
    {
        1 => "metre",
        0.01 => "centimetre",
        0.001 => "millimetre",
        _ => string.Create(CultureInfo.InvariantCulture, $"{metres:0.#########} metres"),
    };

    private static byte[] Zip(IEnumerable<(string Path, byte[] Bytes)> files, CancellationToken cancel)
    {
        using var stream = new MemoryStream();
        using (var zip = new ZipArchive(stream, ZipArchiveMode.Create, leaveOpen: true))
        {
            foreach (var (path, bytes) in files)
            {
                cancel.ThrowIfCancellationRequested();
                // Stored, not deflated: a deflater's bytes differ from version to version.
                var entry = zip.CreateEntry(path, CompressionLevel.NoCompression);
                entry.LastWriteTime = NoDate;
                using var to = entry.Open();
                to.Write(bytes);
            }
        }
        return stream.ToArray();
    }

    private static ManifestFile Describe(PackedFile file)
    {
        string hash = System.Convert.ToHexStringLower(SHA256.HashData(file.Bytes));
        if (file.Texture is not { } made)
            return new ManifestFile(file.Path, hash, file.Bytes.Length, file.Format, null, null, null, null, file.From);
        string ending = Path.GetExtension(made.FileName);
        if (!TextureContainer.IsTexture(file.Bytes))
        {
            var (width, height) = ImageFile.SizeOf(file.Bytes, made.FileName);
            return new ManifestFile(file.Path, hash, file.Bytes.Length, PictureFormat.Table.All.First(f => f.Ending == ending).Label, width, height, 1,
                Word(made.Meaning), file.From);
        }
        var texture = TextureContainer.Read(file.Bytes, made.FileName);
        return new ManifestFile(file.Path, hash, file.Bytes.Length,
            $"{texture.Format.Label} in {TextureContainer.Table.All.First(c => c.Ending == ending).Label}", texture.Width, texture.Height,
            texture.Levels.Count, Word(made.Meaning), file.From);
    }
}
