using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;
using Crumpet.Core.Jobs;
using Crumpet.Core.Targets;

namespace Crumpet.Core.Deliver;

/// <summary>A texture to deliver, with its names.</summary>
/// <param name="File">Name of its file.</param>
/// <param name="Meaning">What its numbers mean.</param>
/// <param name="Picture">Name of the picture it was compressed from.</param>
public sealed record PackageTexture(string File, ColourMeaning Meaning, string Picture);

/// <summary>What a texture does for a material.</summary>
/// <param name="Slot">What it feeds.</param>
/// <param name="File">Name of the texture's file.</param>
/// <param name="Channel">The channel that does.</param>
public sealed record PackageFill(MaterialSlot Slot, string File, PictureChannel Channel);

/// <summary>A sheet's material; file names are those of textures.</summary>
/// <param name="Name">Its name.</param>
/// <param name="Material">Number of the scene's material it looks like; -1 for none.</param>
/// <param name="Traits">What it says beside colour, roughness and metalness.</param>
/// <param name="Fills">What its textures do for it.</param>
public sealed record PackageMaterial(string Name, int Material, MaterialTraits Traits, IReadOnlyList<PackageFill> Fills);

/// <summary>What a package depends on beside meshes, textures and pictures.</summary>
/// <param name="Asset">Name the files begin with.</param>
/// <param name="Target">What the engine wants.</param>
/// <param name="Materials">One a sheet.</param>
/// <param name="Textures">Textures, in the order of the inputs.</param>
/// <param name="Sources">Names of the files it all began with; their contents are said in the package, and so are inputs.</param>
/// <param name="Meshes">Mesh files beside the low side's.</param>
public sealed record PackageSettings(string Asset, Target Target, IReadOnlyList<PackageMaterial> Materials, IReadOnlyList<PackageTexture> Textures,
    IReadOnlyList<string> Sources, IReadOnlyList<PackageMesh> Meshes);

/// <summary>A mesh file beside the low side's: a stage for the distance, hulls, or cages.</summary>
/// <param name="Name">Name of the file without its ending.</param>
/// <param name="SheetOf">Number of the sheet each of the scene's materials is on; null where it is drawn with none.</param>
public sealed record PackageMesh(string Name, IReadOnlyDictionary<int, int>? SheetOf);

/// <summary>A file of the package.</summary>
/// <param name="Path">Path in it.</param>
/// <param name="Bytes">Size.</param>
/// <param name="Format">What it is, in a few words.</param>
public sealed record DeliveredFile(string Path, long Bytes, string Format);

/// <summary>What is in a package.</summary>
/// <param name="Files">Every file.</param>
public sealed record PackageReport(IReadOnlyList<DeliveredFile> Files);

/// <summary>
/// Writes a package: low objects as <c>shape/K</c>, <c>spread/K</c>, <c>rest/K</c> and <c>laid/K</c>, <c>materials</c>, <c>texture/T</c>,
/// <c>picture/T</c> and <c>source/S</c>, and objects of further mesh files as <c>more/M/shape/K</c> and so on, to <c>package</c>.
/// </summary>
public sealed class PackageJob() : JobKind<PackageSettings>("package", 5)
{
    /// <inheritdoc/>
    public override string Words => "packages to write";

    /// <inheritdoc/>
    public override double SecondsAUnit => 0.02;

    /// <inheritdoc/>
    protected override double Cost(PackageSettings settings, IReadOnlyList<StoredFile> inputs) =>
        0.5 + inputs.Where(i => !i.Name.StartsWith("source/", StringComparison.Ordinal)).Sum(i => i.Bytes) / 1e6;

    /// <inheritdoc/>
    protected override JobOutput Work(PackageSettings settings, JobInputs inputs, JobContext context)
    {
        var meshes = inputs.List("shape").Select((shape, k) => inputs.Mesh(shape, $"spread/{k}").WithRest(inputs.Bytes($"rest/{k}"))
            .WithLaid(inputs.Bytes($"laid/{k}"))).ToArray();
        var materials = SceneFile.Read(inputs.Bytes("materials")).Materials;
        var bound = settings.Materials.SelectMany(m => m.Fills).Select(f => f.File).ToHashSet(StringComparer.Ordinal);
        var pictures = new Dictionary<string, byte[]>(StringComparer.Ordinal);
        var textures = new List<DeliveryTexture>();
        for (int t = 0; t < settings.Textures.Count; t++)
        {
            context.Cancel.ThrowIfCancellationRequested();
            var texture = settings.Textures[t];
            textures.Add(new DeliveryTexture(texture.File, inputs.Bytes($"texture/{t}"), texture.Meaning,
                new MadeFrom(texture.Picture, inputs[$"picture/{t}"].Sha256)));
            if (bound.Contains(texture.File))
                pictures.Add(texture.File, inputs.Bytes($"picture/{t}"));
        }
        var input = new DeliveryInput(
            settings.Asset, meshes,
            [.. settings.Materials.Select(m => new DeliveryMaterial(
                (m.Material < 0 ? Material.Plain : materials[m.Material]) with { Name = m.Name, Traits = m.Traits }, m.Fills))],
            textures, pictures, settings.Target, [.. settings.Sources.Select((name, s) => new MadeFrom(name, inputs[$"source/{s}"].Sha256))]);
        input = input with { More = [.. settings.Meshes.Select((m, number) => MoreOf(m, number))] };
        var (zip, manifest) = DeliveryPackage.Make(input, context.Cancel);
        return new JobOutput { Report = new PackageReport([.. manifest.Files.Select(f => new DeliveredFile(f.Path, f.Bytes, f.Format))]) }.With("package", zip);

        DeliveryMesh MoreOf(PackageMesh mesh, int number)
        {
            string at = $"more/{number}/";
            var objects = inputs.List($"{at}shape").Select((shape, k) => inputs.Mesh(shape, $"{at}spread/{k}").WithRest(inputs.Bytes($"{at}rest/{k}")));
            return new DeliveryMesh(mesh.Name, [.. objects.Select(o => o with
            {
                TriangleMaterials = Array.ConvertAll(o.TriangleMaterials, m => mesh.SheetOf is { } sheets ? sheets.GetValueOrDefault(m, 0) : -1),
            })], mesh.SheetOf is not null);
        }
    }
}
