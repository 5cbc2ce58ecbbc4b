using Crumpet.Core.Bake;
using Crumpet.Core.Imaging;
using Crumpet.Core.Pairs;

namespace Crumpet.Web.Pages.Bake;

/// <summary>
/// What the bake station's ticket asks. Lengths are in millimetres; what may be left empty is text, and empty means fitted or no limit.
/// </summary>
public sealed class BakeForm
{
    /// <summary>Maps to make.</summary>
    public BakeMap[] Maps { get; set; } = [];

    /// <summary>Side of a sheet, pixels.</summary>
    public int Size { get; set; }

    /// <summary>Sides of single sheets, pixels; 0 for as the others.</summary>
    public Dictionary<string, int> SheetSizes { get; set; } = [];

    /// <summary>How single maps are written.</summary>
    public Dictionary<BakeMap, MapFile?> Files { get; set; } = [];

    /// <summary>Side of the grid of samples.</summary>
    public int Samples { get; set; }

    /// <summary>How samples are spread.</summary>
    public SampleFilter Filter { get; set; }

    /// <summary>Outward reach; empty for fitted.</summary>
    public string? Outward { get; set; }

    /// <summary>Inward reach; empty for fitted.</summary>
    public string? Inward { get; set; }

    /// <summary>Whether missed texels are filled.</summary>
    public bool FillsMisses { get; set; }

    /// <summary>Occlusion rays.</summary>
    public int Rays { get; set; }

    /// <summary>What occludes.</summary>
    public Occluders Occluders { get; set; }

    /// <summary>How far away something occludes; 0 for any distance, empty for fitted.</summary>
    public string? OcclusionRange { get; set; }

    /// <summary>Over how much it fades; empty for a hard end.</summary>
    public string? OcclusionFalloff { get; set; }

    /// <summary>Whether the ground occludes.</summary>
    public bool Ground { get; set; }

    /// <summary>Whether surfaces occlude from behind.</summary>
    public bool BothSides { get; set; }

    /// <summary>Whether noise is smoothed.</summary>
    public bool Denoise { get; set; }

    /// <summary>Thickness rays.</summary>
    public int? ThicknessRays { get; set; }

    /// <summary>Thickness that is white; empty for fitted.</summary>
    public string? Thickness { get; set; }

    /// <summary>Radius curvature is averaged over; empty for fitted.</summary>
    public string? CurvatureRadius { get; set; }

    /// <summary>Radius of the sphere whose curvature is white; empty for fitted.</summary>
    public string? CurvatureFull { get; set; }

    /// <summary>Height that is white; empty for the greatest.</summary>
    public string? HeightRange { get; set; }

    /// <summary>What has one colour in the ID map.</summary>
    public IdSource IdBy { get; set; }

    /// <summary>What opacity comes from.</summary>
    public OpacitySource OpacityBy { get; set; }

    /// <summary>Direction of green.</summary>
    public GreenDirection Green { get; set; }

    /// <summary>What becomes of the high side's normal textures.</summary>
    public HighNormalUse HighNormals { get; set; }

    /// <summary>Padding, pixels; empty for the whole sheet.</summary>
    public string? Padding { get; set; }

    /// <summary>Whether coverage is kept as alpha.</summary>
    public bool Alpha { get; set; }

    /// <summary>Bits a channel.</summary>
    public int Bits { get; set; }

    /// <summary>Whether 8-bit maps are dithered.</summary>
    public bool Dither { get; set; }

    /// <summary>The settings that say this, in full.</summary>
    /// <param name="before">What was set before.</param>
    /// <exception cref="FormatException">A number is none.</exception>
    public BakeSettings Into(BakeSettings before) => before with
    {
        Maps = BakeMap.Table.Sorted(Maps),
        Size = Size,
        SheetSizes = SheetSizes.Where(s => s.Value > 0).ToDictionary(),
        // Maps that were not on the ticket keep what they had.
        Files = before.Files.Where(f => !Files.ContainsKey(f.Key))
            .Concat(Files.Where(f => f.Value is not null).Select(f => KeyValuePair.Create(f.Key, f.Value!.Value))).OrderBy(f => BakeMap.Table.IndexOf(f.Key))
            .ToDictionary(),
        Draft = 0,
        Samples = Samples,
        Filter = Filter,
        OutwardReachMetres = Length(nameof(BakeSettings.OutwardReachMetres), Outward),
        InwardReachMetres = Length(nameof(BakeSettings.InwardReachMetres), Inward),
        FillsMisses = FillsMisses,
        OcclusionRays = Rays,
        Occluders = Occluders,
        OcclusionRangeMetres = Length(nameof(BakeSettings.OcclusionRangeMetres), OcclusionRange),
        OcclusionFalloffMetres = Length(nameof(BakeSettings.OcclusionFalloffMetres), OcclusionFalloff) ?? 0,
        GroundOccludes = Ground,
        BackFacesOcclude = BothSides,
        Denoise = Denoise,
        ThicknessRays = ThicknessRays ?? before.ThicknessRays,
        ThicknessRangeMetres = Length(nameof(BakeSettings.ThicknessRangeMetres), Thickness),
        CurvatureRadiusMetres = Length(nameof(BakeSettings.CurvatureRadiusMetres), CurvatureRadius),
        CurvatureFullRadiusMetres = Length(nameof(BakeSettings.CurvatureFullRadiusMetres), CurvatureFull),
        HeightRangeMetres = Length(nameof(BakeSettings.HeightRangeMetres), HeightRange) ?? 0,
        IdBy = IdBy,
        OpacityBy = OpacityBy,
        HighNormals = HighNormals,
        PaddingPixels = (int)(FormNumber.ReadIfAny<BakeSettings>(nameof(BakeSettings.PaddingPixels), Padding) ?? BakeSettings.WholeSheet),
        CoverageAlpha = Alpha,
        Bits = Bits,
        Dither = Dither,
    };

    private static float? Length(string field, string? millimetres) => (float?)FormNumber.ReadIfAny<BakeSettings>(field, millimetres);
}
