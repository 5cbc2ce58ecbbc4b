using System.Buffers;
using System.Globalization;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Targets;

/// <summary>Something that stands in a package.</summary>
public enum PackagePart
{
    /// <summary>The mesh of the low side.</summary>
    Mesh,

    /// <summary>At least one texture.</summary>
    Textures,

    /// <summary>Levels for the distance.</summary>
    Levels,

    /// <summary>Hulls for collisions.</summary>
    Hulls,
}

/// <summary>
/// What an engine wants of what is delivered to it. The ready ones stand in <see cref="ReadyTargets"/>; a kit keeps its own copy, and a copy
/// that a delivery was made for is changed by making its next version.
/// </summary>
public sealed record Target : IChecked
{
    private const int MostModels = 16, LongestPattern = Convention.LongestPattern;
    private static readonly SearchValues<char> Forbidden = SearchValues.Create("\\:*?\"<>|");

    /// <summary>Name of the target.</summary>
    [Words("The name of the target", 60), Called("Target")]
    public string Name { get; init; } = "Open glTF";

    /// <summary>Counts the changes after deliveries.</summary>
    [Within("The version of the target", 1, 1_000_000)]
    public int Version { get; init; } = 1;

    /// <summary>The axis that points up in delivered meshes.</summary>
    [Called("Up")]
    public UpAxis Up { get; init; } = UpAxis.Y;

    /// <summary>Length of a unit of delivered meshes, metres.</summary>
    [Within("The unit", 1e-6, 1e6, Unit = "m")]
    public double UnitMetres { get; init; } = 1;

    /// <summary>Handedness of the axes of delivered meshes.</summary>
    [Called("Handedness")]
    public Handedness Handedness { get; init; } = Handedness.Right;

    /// <summary>Direction of green in tangent-space maps.</summary>
    [Called("Green turns")]
    public GreenDirection Green { get; init; } = GreenDirection.Up;

    /// <summary>How meshes are written.</summary>
    [Called("Meshes as")]
    public MeshFormat Mesh { get; init; } = MeshFormat.Glb;

    /// <summary>The textures that lie inside meshes; null for none.</summary>
    [Called("Textures inside meshes"), NoneIs("none")]
    public TextureFile? Embedded { get; init; } = TextureFile.Png;

    /// <summary>The textures that lie beside meshes; null for none.</summary>
    [Called("Textures beside meshes"), NoneIs("none")]
    public TextureFile? Textures { get; init; } = TextureFile.Dds;

    /// <summary>Whether materials are written as MaterialX too.</summary>
    [Called("Materials as MaterialX too")]
    public bool MaterialX { get; init; }

    /// <summary>How textures are stored by what they mean.</summary>
    public TargetFormats Formats { get; init; } = new();

    /// <summary>Largest side of a texture, pixels.</summary>
    [Within("The largest texture", 64, ImageFile.LargestSide, Unit = "px")]
    public int LargestTexture { get; init; } = 8192;

    /// <summary>Whether textures are to be square.</summary>
    [Called("Textures square")]
    public bool SquareTextures { get; init; }

    /// <summary>Whether sides of textures are to be powers of two.</summary>
    [Called("Sides powers of two")]
    public bool PowerOfTwoTextures { get; init; } = true;

    /// <summary>Folder of meshes in a package; empty for the package itself.</summary>
    [Words("The folder of meshes", 60, MayBeEmpty = true)]
    public string MeshFolder { get; init; } = "";

    /// <summary>Folder of textures in a package; empty for the package itself.</summary>
    [Words("The folder of textures", 60, MayBeEmpty = true)]
    public string TextureFolder { get; init; } = "textures";

    /// <summary>Folder of materials and settings in a package; empty for the package itself.</summary>
    [Words("The folder of materials", 60, MayBeEmpty = true)]
    public string MaterialFolder { get; init; } = "";

    /// <summary>Pattern of the mesh file's name.</summary>
    [Words("The name of mesh files", LongestPattern)]
    public string MeshName { get; init; } = "{asset}";

    /// <summary>Pattern of the name of a level for the distance.</summary>
    [Words("The name of levels", LongestPattern)]
    public string LevelName { get; init; } = "{asset}_lod{level}";

    /// <summary>Pattern of the name of hulls.</summary>
    [Words("The name of hulls", LongestPattern)]
    public string HullName { get; init; } = "{asset}_hulls";

    /// <summary>Pattern of the name of cages.</summary>
    [Words("The name of cages", LongestPattern)]
    public string CageName { get; init; } = "{asset}_cages";

    /// <summary>Pattern of the name of what says how textures and materials are to be taken in; empty for no such file.</summary>
    [Words("The name of settings", LongestPattern, MayBeEmpty = true)]
    public string SettingsName { get; init; } = "";

    /// <summary>Material models, the usual one first.</summary>
    [AtMost(MostModels)]
    public IReadOnlyList<MaterialModel> Models { get; init; } = [ReadyTargets.PackedModel];

    /// <summary>What a package must hold.</summary>
    [AtMost(8)]
    public IReadOnlyList<PackagePart> Holds { get; init; } = [PackagePart.Textures];

    /// <summary>Axes and unit of meshes.</summary>
    [JsonIgnore]
    public MeshSpace Space => new(Up, UnitMetres, Handedness);

    /// <summary>What textures of this target are held to.</summary>
    [JsonIgnore]
    public TextureLimits Limits => new(LargestTexture, SquareTextures, PowerOfTwoTextures);

    /// <summary>The file that textures are made for: beside meshes, or inside them where none lies beside.</summary>
    [JsonIgnore]
    public TextureFile Made => Textures ?? Embedded ?? TextureFile.Png;

    /// <summary>The model of a name, or the usual one.</summary>
    public MaterialModel Model(string? name = null) => Models.FirstOrDefault(m => m.Name == name) ?? Models[0];

    /// <summary>What materials can say in its files; all where settings alone say it.</summary>
    [JsonIgnore]
    public IReadOnlyList<MaterialTrait> Traits => MaterialX || SettingsName.Length > 0 ? MaterialTrait.Table.All : Mesh.Traits;

    /// <summary>Path of a mesh in a package.</summary>
    public string MeshPath(string file) => In(MeshFolder, file);

    /// <summary>Path of a texture in a package.</summary>
    public string TexturePath(string file) => In(TextureFolder, file);

    /// <summary>Path of materials or settings in a package.</summary>
    public string MaterialPath(string file) => In(MaterialFolder, file);

    /// <summary>A name by one of the patterns.</summary>
    /// <param name="pattern">The pattern.</param>
    /// <param name="asset">What stands for <c>{asset}</c>.</param>
    /// <param name="level">What stands for <c>{level}</c>.</param>
    public static string NameBy(string pattern, string asset, int level = 0) => Convention.Parse(pattern, []).Write(new Dictionary<string, string>
    {
        ["asset"] = asset,
        ["level"] = level.ToString(CultureInfo.InvariantCulture),
    });

    /// <summary>The target in a few words.</summary>
    public string InWords() => $"{Name}: {WantedInWords()}";

    /// <summary>What it wants, in a few words.</summary>
    public string WantedInWords() => string.Create(
        CultureInfo.InvariantCulture,
        $"{Mesh.Label}, {Up} up, {(UnitMetres == 1 ? "metres" : $"units of {UnitMetres:0.######} m")}, "
            + $"{Handedness.ToString().ToLowerInvariant()}-handed, green {Green.ToString().ToLowerInvariant()}, textures {TexturesInWords()} to "
            + $"{LargestTexture} px{(SquareTextures ? ", square" : "")}");

    /// <summary>
    /// This target with the number of its version: what deliveries were made for is never changed, so what differs from all of these is the
    /// next one.
    /// </summary>
    /// <param name="delivered">Targets that deliveries were made for.</param>
    public Target Numbered(IEnumerable<Target> delivered)
    {
        Target[] own = [.. delivered.Where(t => t.Name == Name)];
        var same = own.FirstOrDefault(t => t == this with { Version = t.Version });
        return this with { Version = same?.Version ?? own.Select(t => t.Version).DefaultIfEmpty(0).Max() + 1 };
    }

    /// <inheritdoc/>
    public string? ProblemTogether() => Mesh.Problem(Space)
        ?? (Textures is null && Embedded is null ? "The target has textures neither inside meshes nor beside them; choose one." : null)
        ?? (Embedded is { } inside && !Mesh.Embeds.Contains(inside)
            ? $"{inside.Label} cannot lie inside {Mesh.Label}; "
                + $"{(Mesh.Embeds.Count == 0 ? "nothing can, so leave it out" : $"choose {Labels(Mesh.Embeds)}")}." : null)
        ?? (Textures is { } beside && Embedded is null && Mesh.Slots.Count > 0 && !Mesh.Refers.Contains(beside) && !Mesh.Embeds.Any()
            ? $"Materials of {Mesh.Label} cannot refer to {beside.Label}; choose {Labels(Mesh.Refers)}, or another mesh format." : null)
        ?? (Embedded?.Container is not null && Textures is not null
            ? $"{Embedded.Label} lies inside {Mesh.Label} only where no textures lie beside it; leave one of the two out." : null)
        ?? (Mesh.Green is { } green && green != Green && TakesNormalsAsTheyAre
            ? $"Materials of {Mesh.Label} take normals with green {green.ToString().ToLowerInvariant()}; "
                + "let green turn so, or put PNG inside, which is turned." : null)
        ?? (Made.Container is { } container && Formats.Said().FirstOrDefault(f => !container.Holds(f)) is { } odd
            ? $"{container.Label} cannot hold {odd.Label}; choose another format or KTX2." : null)
        ?? FolderProblem() ?? PatternProblem()
        ?? (Models.Count == 0 ? "The target has no material model; give it one."
            : Models.GroupBy(m => m.Name, StringComparer.Ordinal).FirstOrDefault(g => g.Count() > 1) is { } twice
                ? $"The target has two material models named {twice.Key}; rename one." : null);

    /// <summary>Same fields, same models.</summary>
    public bool Equals(Target? other) => other is not null
        && (Name, Version, Space, Green) == (other.Name, other.Version, other.Space, other.Green)
        && (Mesh, Embedded, Textures, MaterialX, Formats, Limits) == (other.Mesh, other.Embedded, other.Textures, other.MaterialX, other.Formats, other.Limits)
        && (MeshFolder, TextureFolder, MaterialFolder) == (other.MeshFolder, other.TextureFolder, other.MaterialFolder)
        && (MeshName, LevelName, HullName, CageName, SettingsName) == (other.MeshName, other.LevelName, other.HullName, other.CageName, other.SettingsName)
        && Models.SequenceEqual(other.Models) && Holds.SequenceEqual(other.Holds);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Name, Version, Green, LargestTexture, TextureFolder, Models.Count);

    // Pictures inside are turned where they have to be; what is compressed, or lies beside, is not.
    private bool TakesNormalsAsTheyAre => Embedded is { } inside ? inside.Container is not null : Textures is { } beside && Mesh.Refers.Contains(beside);

    private static string Labels(IEnumerable<TextureFile> files) => string.Join(" or ", files.Select(f => f.Label));

    private static string In(string folder, string file) => folder.Length == 0 ? file : $"{folder}/{file}";

    private string TexturesInWords() => string.Join(" and ", new[] { (File: Embedded, Where: "inside"), (File: Textures, Where: "beside") }
        .Where(t => t.File is not null).Select(t => $"{t.File!.Label} {t.Where}"));

    private string? FolderProblem() => new[] { MeshFolder, TextureFolder, MaterialFolder }.FirstOrDefault(IsOdd) is { } odd
        ? $"'{FieldRules.Quoted(odd)}' is no folder of a package; use names with slashes between." : null;

    private static bool IsOdd(string folder) => folder.Length > 0
        && folder.Split('/').Any(p => p.Length == 0 || p is "." or ".." || p.AsSpan().ContainsAny(Forbidden) || p.Any(char.IsControl));

    private string? PatternProblem()
    {
        foreach (var (pattern, fields) in new[] { (MeshName, new[] { "asset" }), (LevelName, ["asset", "level"]), (HullName, ["asset"]), (CageName, ["asset"]),
            (SettingsName, ["asset"]) })
        {
            if (pattern.Length == 0)
                continue;
            if (pattern.AsSpan().ContainsAny(Forbidden) || pattern.Contains('/', StringComparison.Ordinal))
                return $"'{FieldRules.Quoted(pattern)}' holds a character that no file name may; take it out.";
            try
            {
                var convention = Convention.Parse(pattern, fields);
                if (convention.Fields.FirstOrDefault(f => !fields.Contains(f)) is { } unknown)
                    return $"The pattern {pattern} has {{{unknown}}}, which is not known there; use {string.Join(" and ", fields.Select(f => $"{{{f}}}"))}.";
            }
            catch (FormatException e)
            {
                return e.Message;
            }
        }
        string[] names = [.. new[] { MeshName, NameBy(LevelName, "{asset}", 1), HullName, CageName }];
        return names.Distinct(StringComparer.OrdinalIgnoreCase).Count() < names.Length
            ? "Two of the target's patterns give files one name; make them differ." : null;
    }
}

/// <summary>What textures are held to.</summary>
/// <param name="LargestSide">Largest side, pixels.</param>
/// <param name="Square">Whether they are to be square.</param>
/// <param name="PowerOfTwo">Whether sides are to be powers of two.</param>
public sealed record TextureLimits(int LargestSide, bool Square, bool PowerOfTwo);
