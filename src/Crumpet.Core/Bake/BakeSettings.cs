using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pairs;

namespace Crumpet.Core.Bake;

/// <summary>How the samples of a texel are spread.</summary>
public enum SampleFilter
{
    /// <summary>A tent two texels wide: detail between texels goes to both.</summary>
    Tent,

    /// <summary>Evenly over the texel alone.</summary>
    Box,
}

/// <summary>What has one colour in an ID map.</summary>
public enum IdSource
{
    /// <summary>Each material of the high side.</summary>
    Material,

    /// <summary>Each vertex colour of the high side.</summary>
    Colour,

    /// <summary>Each part.</summary>
    Part,

    /// <summary>Each piece of a high object that hangs together.</summary>
    Shell,
}

/// <summary>What makes a texel see-through.</summary>
public enum OpacitySource
{
    /// <summary>Alpha of the high side's material and textures.</summary>
    Alpha,

    /// <summary>Rays that meet no high surface; these are no faults then.</summary>
    Misses,
}

/// <summary>What becomes of normal textures the high side's materials have.</summary>
public enum HighNormalUse
{
    /// <summary>They are part of its surface; their green grows with texture v, upwards.</summary>
    GreenUp,

    /// <summary>They are part of its surface; their green grows downwards.</summary>
    GreenDown,

    /// <summary>They are left out.</summary>
    LeftOut,
}

/// <summary>What a bake is asked to do.</summary>
public sealed record BakeSettings : IChecked
{
    /// <summary>Sizes a sheet is offered in, pixels.</summary>
    public static IReadOnlyList<int> Sizes { get; } = [128, 256, 512, 1024, 2048, 4096, 8192];

    /// <summary>Version of this record's meaning; part of every bake's key.</summary>
    [Within("The version", 1, 1000)]
    public int Version { get; init; } = 3;

    /// <summary>Maps to make.</summary>
    [AtMost(100)]
    public IReadOnlyList<BakeMap> Maps { get; init; } = [BakeMap.Normal, BakeMap.Occlusion];

    /// <summary>Side of a sheet, pixels.</summary>
    [Within("The sheet's size", SheetSize.Smallest, SheetSize.Largest, Unit = "px")]
    public int Size { get; init; } = 2048;

    /// <summary>Sides of sheets that differ from the others, by their names, pixels.</summary>
    [Within("The size", SheetSize.Smallest, SheetSize.Largest, Unit = "px"), AtMost(10_000)]
    public IReadOnlyDictionary<string, int> SheetSizes { get; init; } = new Dictionary<string, int>();

    /// <summary>Side of the grid of samples in a texel: 1, 2, 4 or 8.</summary>
    [OneOf("Samples", 1, 2, 4, 8)]
    public int Samples { get; init; } = 2;

    /// <summary>How samples are spread.</summary>
    [Called("Samples spread over")]
    public SampleFilter Filter { get; init; }

    /// <summary>How far outside the low surface a ray starts, metres; null where each part's high side was measured to stand.</summary>
    [Within("The outward reach", 0, 1000, Unit = "mm", Times = 1000), NoneIs("fitted")]
    public float? OutwardReachMetres { get; init; }

    /// <summary>How far inside the low surface a ray ends, metres; null where each part's high side was measured to lie.</summary>
    [Within("The inward reach", 0, 1000, Unit = "mm", Times = 1000), NoneIs("fitted")]
    public float? InwardReachMetres { get; init; }

    /// <summary>Whether texels whose rays meet nothing take the nearest surface of their part.</summary>
    [Called("Missed texels filled")]
    public bool FillsMisses { get; init; }

    /// <summary>What becomes of the high side's own normal textures in normal maps.</summary>
    [Called("Normal textures of the high side")]
    public HighNormalUse HighNormals { get; init; }

    /// <summary>Bits a channel of PNG maps whose file is not chosen: 8 or 16. Height and position are 16 all the same.</summary>
    [OneOf("Bits", 8, 16)]
    public int Bits { get; init; } = 8;

    /// <summary>How single maps are written.</summary>
    public IReadOnlyDictionary<BakeMap, MapFile> Files { get; init; } = new Dictionary<BakeMap, MapFile>();

    /// <summary>Whether 8-bit results are dithered with blue noise.</summary>
    [Called("Dithering")]
    public bool Dither { get; init; } = true;

    /// <summary>How far islands are grown into empty room, pixels; <see cref="WholeSheet"/> fills the sheet.</summary>
    [Within("The padding", WholeSheet, 256, Unit = "px")]
    public int PaddingPixels { get; init; } = 16;

    /// <summary>Whether maps get an alpha channel that is full where a low triangle is.</summary>
    [Called("Coverage as alpha")]
    public bool CoverageAlpha { get; init; }

    /// <summary>Padding that fills the sheet.</summary>
    public const int WholeSheet = -1;

    /// <summary>Rays a texel of ambient occlusion and the bent normal, 1 to 4096.</summary>
    [Within("Occlusion rays", 1, 4096)]
    public int OcclusionRays { get; init; } = 64;

    /// <summary>What blocks the light of ambient occlusion.</summary>
    [Called("Occluded by")]
    public Occluders Occluders { get; init; } = Occluders.Tray;

    /// <summary>How far away something still occludes, metres; 0 for any distance, null for as far as the part is large.</summary>
    [Within("The distance within which something occludes", 0, 1000, Unit = "mm", Times = 1000), NoneIs("fitted")]
    public float? OcclusionRangeMetres { get; init; }

    /// <summary>Over how much of the range's end occlusion fades, metres; 0 for a hard end.</summary>
    [Within("The length over which occlusion fades", 0, 1000, Unit = "mm", Times = 1000)]
    public float OcclusionFalloffMetres { get; init; }

    /// <summary>Whether the ground under the asset occludes.</summary>
    [Called("Ground occludes")]
    public bool GroundOccludes { get; init; }

    /// <summary>Whether surfaces occlude from behind too.</summary>
    [Called("Back faces occlude")]
    public bool BackFacesOcclude { get; init; } = true;

    /// <summary>Whether occlusion and thickness are smoothed where neither normal nor place changes.</summary>
    [Called("Smooth noise")]
    public bool Denoise { get; init; }

    /// <summary>Rays a texel of thickness, 1 to 4096.</summary>
    [Within("Thickness rays", 1, 4096)]
    public int ThicknessRays { get; init; } = 64;

    /// <summary>Thickness that is white, metres; null for what all but a few texels of the asset stay below.</summary>
    [Within("The thickness that is white", 1e-6, 1000, Unit = "mm", Times = 1000), NoneIs("fitted")]
    public float? ThicknessRangeMetres { get; init; }

    /// <summary>Radius over which curvature is smoothed, metres; 0 for none, null for a share of each object's size.</summary>
    [Within("The radius curvature is averaged over", 0, 1000, Unit = "mm", Times = 1000), NoneIs("fitted")]
    public float? CurvatureRadiusMetres { get; init; }

    /// <summary>Radius of the sphere whose curvature is white, metres; null for what all but a few texels of the asset stay below.</summary>
    [Within("The radius whose curvature is white", 1e-6, 1000, Unit = "mm", Times = 1000), NoneIs("fitted")]
    public float? CurvatureFullRadiusMetres { get; init; }

    /// <summary>Height that is white, metres; its negative is black. 0 takes the greatest there is.</summary>
    [Within("The height that is white", 0, 1000, Unit = "mm", Times = 1000)]
    public float HeightRangeMetres { get; init; }

    /// <summary>What has one colour in the ID map.</summary>
    [Called("IDs by")]
    public IdSource IdBy { get; init; }

    /// <summary>What makes texels see-through.</summary>
    [Called("Opacity from")]
    public OpacitySource OpacityBy { get; init; }

    /// <summary>Maps made from textures; on a sheet where the same map is baked, that one counts.</summary>
    [AtMost(100)]
    public IReadOnlyList<MadeMap> Made { get; init; } = [];

    /// <summary>How coarse a draft this is: 0 for the full bake, 1 for half the size, 2 for a quarter, 3 for an eighth.</summary>
    [Within("The draft", 0, CoarsestDraft)]
    public int Draft { get; init; }

    /// <summary>Coarsest draft.</summary>
    public const int CoarsestDraft = 3;

    /// <summary>Side of a sheet as it is baked, pixels.</summary>
    /// <param name="sheet">Name of the sheet.</param>
    public int SizeOf(string sheet) => (SheetSizes.TryGetValue(sheet, out int own) ? own : Size) >> Draft;

    /// <summary>How a map is written.</summary>
    public MapFile FileOf(BakeMap map) => Files.TryGetValue(map, out var own) ? own : Bits == 16 || map.IsWide ? MapFile.Png16 : MapFile.Png8;

    /// <summary>Whether a low side alone is enough to go on with, as maps are made from textures.</summary>
    public bool GoesWithoutHigh() => Made.Count > 0;

    /// <summary>What is wrong with these settings, one sentence, or null when they can be used.</summary>
    public string? Problem() => FieldRules.Problem(this);

    /// <inheritdoc/>
    public string? ProblemTogether() => this switch
    {
        { Maps.Count: 0 } => "Choose at least one map to bake.",
        _ when OutwardReachMetres + InwardReachMetres is <= 0 => "Outward and inward reach are both 0 m, so no ray could hit anything.",
        _ when OcclusionFalloffMetres > 0 && OcclusionRangeMetres is <= 0 => "Occlusion can only fade at the end of a range; give it one, or no falloff.",
        _ => null,
    };

    /// <summary>The same at a coarse size, with fewer rays: what is shown first.</summary>
    /// <param name="draft">1 to <see cref="CoarsestDraft"/>.</param>
    public BakeSettings Drafted(int draft) => this with { Draft = draft };

    /// <summary>Side of the grid of samples in a texel as it is baked.</summary>
    internal int SamplesBaked => Draft > 0 ? 1 : Samples;

    /// <summary>Rays as they are cast: a quarter in drafts, of which a few are enough to see shape.</summary>
    internal int RaysBaked(int rays) => Draft > 0 ? Math.Max(Math.Min(rays, 8), rays / 4) : rays;

    /// <summary>Radius of curvature as it is baked: the first draft does not wait for smoothing.</summary>
    internal float? CurvatureRadiusBaked => Draft == CoarsestDraft ? 0 : CurvatureRadiusMetres;

    /// <summary>Padding as it is baked: as wide against the sheet in drafts.</summary>
    internal int PaddingBaked => PaddingPixels < 0 ? PaddingPixels : (PaddingPixels + (1 << Draft) - 1) >> Draft;
}
