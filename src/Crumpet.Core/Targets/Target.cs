using System.Buffers;
using System.Globalization;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Targets;

/// <summary>The axis that points up.</summary>
public enum UpAxis
{
    /// <summary>Y.</summary>
    Y,

    /// <summary>Z.</summary>
    Z,
}

/// <summary>Which hand's first three fingers point along x, y and z.</summary>
public enum Handedness
{
    /// <summary>The right one's.</summary>
    Right,

    /// <summary>The left one's.</summary>
    Left,
}

/// <summary>Where a material of the delivered mesh takes a texture.</summary>
public enum MeshInput
{
    /// <summary>Nowhere: the texture is delivered beside the mesh.</summary>
    None,

    /// <summary>Base colour.</summary>
    BaseColour,

    /// <summary>Normal.</summary>
    Normal,

    /// <summary>Occlusion in red, roughness in green, metalness in blue.</summary>
    OcclusionRoughnessMetalness,
}

/// <summary>A texture input of a target's material.</summary>
/// <param name="Name">Name in the interface.</param>
/// <param name="Map">What stands for <c>{map}</c> in the name of the file that fills it.</param>
/// <param name="Meaning">What it expects the numbers to mean.</param>
/// <param name="Mesh">Where the delivered mesh takes it.</param>
public sealed record MaterialInput(
    [property: Words("The name of a material input", 60)] string Name, [property: Words("The map of a material input", 60)] string Map, ColourMeaning Meaning,
        MeshInput Mesh = MeshInput.None);

/// <summary>What an engine wants of what is delivered to it. The ready ones stand in <see cref="ReadyTargets"/>; a kit keeps its own copy.</summary>
public sealed record Target : IChecked
{
    private const int MostInputs = 32;
    private static readonly SearchValues<char> Forbidden = SearchValues.Create("\\:*?\"<>|");

    /// <summary>Name of the target.</summary>
    [Words("The name of the target", 60), Called("Target")]
    public string Name { get; init; } = "glTF";

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

    /// <summary>Texture inputs of its material, in the order they are shown.</summary>
    [AtMost(MostInputs)]
    public IReadOnlyList<MaterialInput> Inputs { get; init; } =
    [
        new("base colour", "colour", ColourMeaning.Srgb, MeshInput.BaseColour),
        new("normal", "normal", ColourMeaning.Normal, MeshInput.Normal),
        new("occlusion, roughness, metalness", "masks", ColourMeaning.Linear, MeshInput.OcclusionRoughnessMetalness),
    ];

    /// <summary>What textures of this target are held to.</summary>
    [JsonIgnore]
    public TextureLimits Limits => new(LargestTexture, SquareTextures, PowerOfTwoTextures);

    /// <summary>Path of a mesh in a package.</summary>
    public string MeshPath(string file) => In(MeshFolder, file);

    /// <summary>Path of a texture in a package.</summary>
    public string TexturePath(string file) => In(TextureFolder, file);

    /// <summary>The target in a few words.</summary>
    public string InWords() => string.Create(
        CultureInfo.InvariantCulture,
        $"{Name}: {Up} up, {(UnitMetres == 1 ? "metres" : $"units of {UnitMetres:0.######} m")}, {Handedness.ToString().ToLowerInvariant()}-handed, green "
            + $"{Green.ToString().ToLowerInvariant()}, textures to {LargestTexture} px{(SquareTextures ? ", square" : "")}");

    /// <inheritdoc/>
    public string? ProblemTogether() => this switch
    {
        { Up: not UpAxis.Y } or { UnitMetres: not 1 } or { Handedness: not Handedness.Right } =>
            "Meshes leave as GLB, which holds Y up, metres and right-handed axes; the target must want these.",
        _ when (Odd(MeshFolder) ?? Odd(TextureFolder)) is { } odd => $"'{FieldRules.Quoted(odd)}' is no folder of a package; use names with slashes between.",
        _ when Inputs.GroupBy(i => i.Map, StringComparer.Ordinal).FirstOrDefault(g => g.Count() > 1) is { } twice =>
            $"The target has two material inputs for {twice.Key}; leave one out.",
        _ when Inputs.Where(i => i.Mesh != MeshInput.None).GroupBy(i => i.Mesh).Any(g => g.Count() > 1) =>
            "Two material inputs of the target go to one place of the mesh's material; leave one out.",
        _ => null,
    };

    /// <summary>Same fields, same inputs.</summary>
    public bool Equals(Target? other) => other is not null
        && (Name, Up, UnitMetres, Handedness, Green) == (other.Name, other.Up, other.UnitMetres, other.Handedness, other.Green)
        && Limits == other.Limits && (MeshFolder, TextureFolder) == (other.MeshFolder, other.TextureFolder) && Inputs.SequenceEqual(other.Inputs);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(Name, Green, LargestTexture, TextureFolder, Inputs.Count);

    private static string In(string folder, string file) => folder.Length == 0 ? file : $"{folder}/{file}";

    private static string? Odd(string folder) =>
        folder.Length > 0 && folder.Split('/').Any(p => p.Length == 0 || p is "." or ".." || p.AsSpan().ContainsAny(Forbidden) || p.Any(char.IsControl))
            ? folder : null;
}

/// <summary>What textures are held to.</summary>
/// <param name="LargestSide">Largest side, pixels.</param>
/// <param name="Square">Whether they are to be square.</param>
/// <param name="PowerOfTwo">Whether sides are to be powers of two.</param>
public sealed record TextureLimits(int LargestSide, bool Square, bool PowerOfTwo);
