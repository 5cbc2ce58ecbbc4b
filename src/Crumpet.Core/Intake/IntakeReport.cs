using Crumpet.Core.Checking;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Intake;

/// <summary>A source file as it arrived.</summary>
/// <param name="Name">File name with its folders below the asset's, parted by slashes.</param>
/// <param name="Sha256">Of its bytes, lower-case hexadecimal.</param>
/// <param name="Bytes">Its size.</param>
/// <param name="ForcedSide">Side given by hand for all its objects, or null to read it from names.</param>
public sealed record SourceFile(string Name, string Sha256, long Bytes, Side? ForcedSide = null);

/// <summary>What all assets of a kit share about what arrives.</summary>
public sealed record IntakeRules
{
    /// <summary>Mends applied to every file before an asset's own.</summary>
    [AtMost(500)]
    public IReadOnlyList<Mend> Mends { get; init; } = [];

    /// <summary>How names say sides.</summary>
    public NameRules Names { get; init; } = new();

    /// <summary>How large the kit's assets are, roughly, in metres; null where that is not told.</summary>
    [Within("The size of assets", 0.001, 100_000, Unit = "m")]
    public double? ExpectedSizeMetres { get; init; }

    /// <summary>Texel density of the kit's assets, px/m, for those that say none of their own; null where there is none.</summary>
    [Within("The density", 0.001, 1e7, Unit = "px/m")]
    public double? PixelsPerMetre { get; init; }

    /// <summary>Whether high objects are expected to carry vertex colours for IDs.</summary>
    public bool ExpectsIdColours { get; init; }
}

/// <summary>What is known of one object.</summary>
/// <param name="File">File it came from.</param>
/// <param name="Name">Its name.</param>
/// <param name="Part">Part it belongs to by its name.</param>
/// <param name="Side">Its side.</param>
/// <param name="Triangles">Triangles.</param>
/// <param name="Polygons">Faces before triangulation.</param>
/// <param name="Positions">Distinct vertices of the file.</param>
/// <param name="Materials">Names of the materials its faces use.</param>
/// <param name="UvSets">UV sets.</param>
/// <param name="HasNormals">Whether the file gives normals.</param>
/// <param name="HasColours">Whether the file gives vertex colours.</param>
/// <param name="SizeMetres">Extent along x, y, z in metres.</param>
public sealed record ObjectReport(
    string File, string Name, string Part, Side Side, int Triangles, int Polygons, int Positions,
    IReadOnlyList<string> Materials, int UvSets, bool HasNormals, bool HasColours, float[] SizeMetres)
{
    /// <summary>Its name in the source, by which mends know it.</summary>
    public string SourceName { get; init; } = "";

    /// <summary>What its name has beside part and side; often empty.</summary>
    public string Detail { get; init; } = "";

    /// <summary>Pieces that hang together.</summary>
    public int Shells { get; init; }

    /// <summary>Edges with one triangle.</summary>
    public int BorderEdges { get; init; }

    /// <summary>Edges over which shading breaks.</summary>
    public int HardEdges { get; init; }

    /// <summary>Its transform in words; empty where there is none.</summary>
    public string Transform { get; init; } = "";

    /// <summary>Smallest corner of its bounds, metres.</summary>
    public float[] MinMetres { get; init; } = [0, 0, 0];

    /// <summary>Largest corner of its bounds, metres.</summary>
    public float[] MaxMetres { get; init; } = [0, 0, 0];

    /// <summary>Numbers of the scene's materials its faces use, ascending; -1 for none.</summary>
    public int[] MaterialNumbers { get; init; } = [];

    /// <summary>Its box.</summary>
    public Bounds Bounds() => Triangles == 0 ? Geometry.Bounds.Empty : new(new(MinMetres), new(MaxMetres));

    /// <summary>Whether the source hides it.</summary>
    public bool IsHidden { get; init; }

    /// <summary>The mend that gives it another name.</summary>
    public Rename RenamedTo(string name) => new(name) { File = File, Objects = [SourceName] };
}

/// <summary>What one file is.</summary>
/// <param name="Name">File name.</param>
/// <param name="Bytes">Size.</param>
/// <param name="Kind">Mesh, material library, picture or unreadable.</param>
/// <param name="Objects">Objects in it.</param>
/// <param name="Triangles">Triangles in it.</param>
public sealed record FileReport(string Name, long Bytes, string Kind, int Objects, int Triangles);

/// <summary>A picture a material asks for, and the file that was found for it.</summary>
/// <param name="Material">Material.</param>
/// <param name="Slot">What for.</param>
/// <param name="Path">Path in the source; empty for a picture inside the mesh file.</param>
/// <param name="File">File found, or null.</param>
public sealed record TextureLink(string Material, TextureKind Slot, string Path, string? File);

/// <summary>A picture in a slot of a material.</summary>
/// <param name="Slot">What for.</param>
/// <param name="File">File found for it, or null.</param>
/// <param name="UvSet">UV set it is laid out by.</param>
/// <param name="UvTransform">How UVs are moved before it is looked up, six numbers row by row.</param>
public sealed record MaterialPicture(TextureKind Slot, string? File, int UvSet, float[] UvTransform);

/// <summary>A material of the scene.</summary>
/// <param name="Name">Its name.</param>
/// <param name="BaseColour">Linear RGBA.</param>
/// <param name="Roughness">0 to 1.</param>
/// <param name="Metalness">0 to 1.</param>
/// <param name="Pictures">Pictures the source puts into its slots.</param>
public sealed record MaterialReport(string Name, float[] BaseColour, float Roughness, float Metalness, IReadOnlyList<MaterialPicture> Pictures)
{
    /// <summary>Says what a material says.</summary>
    /// <param name="material">The material as its source wrote it.</param>
    /// <param name="links">Files that were found.</param>
    internal static MaterialReport Of(Material material, IReadOnlyList<TextureLink> links) => new(
        material.Name, [material.BaseColour.X, material.BaseColour.Y, material.BaseColour.Z, material.BaseColour.W], material.Roughness, material.Metalness,
        [.. material.Textures.Select(use => new MaterialPicture(
            use.Slot, links.FirstOrDefault(l => l.Material == material.Name && l.Slot == use.Slot && l.Path == use.Path)?.File, use.UvSet,
            [use.UvTransform.M11, use.UvTransform.M12, use.UvTransform.M21, use.UvTransform.M22, use.UvTransform.M31, use.UvTransform.M32]))]);

    /// <summary>The same without its pictures.</summary>
    public Material ToMaterial() => new(Name, new(BaseColour), Roughness, Metalness);
}

/// <summary>What became of a mend.</summary>
/// <param name="IsKitRule">Whether it comes from the kit.</param>
/// <param name="Number">Its place in the kit's or the asset's list, from 0.</param>
/// <param name="Words">What it does.</param>
/// <param name="IsOn">Whether it is applied.</param>
/// <param name="Changed">How many objects, names, faces or textures it changed; 0 where it found nothing that fits.</param>
public sealed record MendReport(bool IsKitRule, int Number, string Words, bool IsOn, int Changed);

/// <summary>What intake learned from all files of an asset.</summary>
/// <param name="Files">One row a file.</param>
/// <param name="Objects">One row an object, in the order of the files.</param>
/// <param name="LowMaterials">Materials the low side uses, by first use.</param>
public sealed record IntakeReport(IReadOnlyList<FileReport> Files, IReadOnlyList<ObjectReport> Objects, IReadOnlyList<string> LowMaterials)
{
    /// <summary>One row a picture.</summary>
    public IReadOnlyList<TextureReport> Textures { get; init; } = [];

    /// <summary>Materials of the scene, as triangles number them.</summary>
    public IReadOnlyList<MaterialReport> Materials { get; init; } = [];

    /// <summary>Pictures that materials ask for.</summary>
    public IReadOnlyList<TextureLink> Links { get; init; } = [];

    /// <summary>Mends of the kit, then of the asset, in the order they are applied.</summary>
    public IReadOnlyList<MendReport> Mends { get; init; } = [];

    /// <summary>Cameras, lights and empties.</summary>
    public IReadOnlyList<Stray> Strays { get; init; } = [];

    /// <summary>Triangles of one side.</summary>
    public int Triangles(Side side) => Objects.Where(o => o.Side == side).Sum(o => o.Triangles);
}

/// <summary>The report and the geometry itself.</summary>
/// <param name="Report">What was learned.</param>
/// <param name="Scene">All objects of all files, mended; row i of the report is mesh i.</param>
/// <param name="Findings">What was noticed.</param>
public sealed record IntakeResult(IntakeReport Report, Scene Scene, IReadOnlyList<Finding> Findings)
{
    /// <summary>What stops about the files themselves, whatever else an asset of them would still lack.</summary>
    public IEnumerable<Finding> OwnStops => Findings.Where(f => f.Severity == Severity.Stop && !NameFindings.IsOfMissingSide(f));

    /// <summary>What findings were drawn from.</summary>
    internal IntakeFacts? Facts { get; init; }

    /// <summary>Pictures that mends made, by their names in the report.</summary>
    public IReadOnlyDictionary<string, Bitmap> Pictures { get; init; } = new Dictionary<string, Bitmap>();
}
