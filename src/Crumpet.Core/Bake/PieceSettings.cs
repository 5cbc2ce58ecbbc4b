using System.Text.Json.Serialization;
using Crumpet.Core.Geometry;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Bake;

/// <summary>A high object among a job's inputs.</summary>
/// <param name="Part">Name of its part.</param>
/// <param name="Number">Its place among the part's high objects.</param>
public sealed record PieceObject(string Part, int Number)
{
    /// <summary>Its name, where labels go by it.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public string? Name { get; init; }
}

/// <summary>A picture a material uses, among a job's inputs.</summary>
/// <param name="Slot">What for.</param>
/// <param name="Role">Role of the input.</param>
/// <param name="Ending">Ending of its name, which tells the format where the bytes do not.</param>
/// <param name="UvSet">UV set it is laid out by.</param>
/// <param name="UvTransform">How UVs are moved, six numbers row by row.</param>
public sealed record PieceTexture(TextureKind Slot, string Role, string Ending, int UvSet, float[] UvTransform);

/// <summary>A material of the high side as far as a map shows it.</summary>
/// <param name="Number">Its number, as triangles say it.</param>
/// <param name="Textures">Pictures that were found for it.</param>
public sealed record PieceMaterial(int Number, IReadOnlyList<PieceTexture> Textures)
{
    /// <summary>Its name, where labels go by it.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public string? Name { get; init; }

    /// <summary>Linear RGBA, where it is shown.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public float[]? BaseColour { get; init; }

    /// <summary>Roughness, where it is shown.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public float? Roughness { get; init; }

    /// <summary>Metalness, where it is shown.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public float? Metalness { get; init; }
}

/// <summary>What light depends on.</summary>
/// <param name="Rays">Rays a texel.</param>
/// <param name="RangeMetres">How far away something still occludes, metres; 0 for any distance.</param>
/// <param name="FalloffMetres">Over how much of the range's end it fades, metres.</param>
/// <param name="BackFacesOcclude">Whether surfaces occlude from behind too.</param>
/// <param name="GroundMetres">Height of the ground; null where it does not occlude.</param>
/// <param name="Denoise">Whether it is smoothed.</param>
/// <param name="Occluders">What blocks it: the inputs <c>occluder/K</c>.</param>
public sealed record PieceLight(int Rays, float RangeMetres, float FalloffMetres, bool BackFacesOcclude, float? GroundMetres, bool Denoise,
    IReadOnlyList<PieceObject> Occluders);

/// <summary>What thickness depends on.</summary>
/// <param name="Rays">Rays a texel.</param>
/// <param name="RangeMetres">Thickness beyond which nothing is looked for, metres; null for as far as the part goes.</param>
/// <param name="Denoise">Whether it is smoothed.</param>
public sealed record PieceThickness(int Rays, float? RangeMetres, bool Denoise);

/// <summary>What curvature depends on.</summary>
/// <param name="RadiusMetres">Radius it is averaged over, metres; null for a share of each object's size.</param>
public sealed record PieceCurvature(float? RadiusMetres);

/// <summary>Everything a part's share of a map depends on beside its inputs; what a map does not ask for is null, and not part of its key.</summary>
public sealed record PieceSettings
{
    /// <summary>Name of the part.</summary>
    public required string Part { get; init; }

    /// <summary>The map; null for what the part covers.</summary>
    public required BakeMap? Map { get; init; }

    /// <summary>Side of the sheet, pixels.</summary>
    public required int Size { get; init; }

    /// <summary>Number of the sheet; null where one sheet has all triangles.</summary>
    public required int? Sheet { get; init; }

    /// <summary>Side of the grid of samples in a texel.</summary>
    public required int Samples { get; init; }

    /// <summary>How samples are spread.</summary>
    public required SampleFilter Filter { get; init; }

    /// <summary>How far outside the low surface rays start, metres.</summary>
    public required float OutwardReachMetres { get; init; }

    /// <summary>How far inside the low surface rays end, metres.</summary>
    public required float InwardReachMetres { get; init; }

    /// <summary>Whether rays end where the high side was measured to end.</summary>
    public required bool EndsAreFitted { get; init; }

    /// <summary>Whether rays that meet nothing are holes and no faults.</summary>
    public required bool MissesAreHoles { get; init; }

    /// <summary>Whether rays that meet nothing take the nearest surface of the part.</summary>
    public required bool FillsMisses { get; init; }

    /// <summary>High objects its rays can meet: the inputs <c>high/K</c>, and <c>spread/K</c> where the map shows what they look like.</summary>
    public required IReadOnlyList<PieceObject> Seen { get; init; }

    /// <summary>For occlusion and the bent normal.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public PieceLight? Light { get; init; }

    /// <summary>For thickness.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public PieceThickness? Thickness { get; init; }

    /// <summary>For curvature.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public PieceCurvature? Curvature { get; init; }

    /// <summary>For IDs: what has one colour.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public IdSource? IdBy { get; init; }

    /// <summary>For opacity: what makes texels see-through.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public OpacitySource? OpacityBy { get; init; }

    /// <summary>For normals of objects with normal textures: what becomes of these.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public HighNormalUse? HighNormals { get; init; }

    /// <summary>Materials of what is seen, where the map shows them.</summary>
    [JsonIgnore(Condition = JsonIgnoreCondition.WhenWritingNull)]
    public IReadOnlyList<PieceMaterial>? Materials { get; init; }
}
