namespace Crumpet.Core.Layout;

/// <summary>One UV island.</summary>
/// <param name="ObjectNumber">Number of its object among those that were laid out.</param>
/// <param name="Sheet">Sheet it lies on.</param>
/// <param name="Triangles">Triangles.</param>
/// <param name="Density">Texel density, area-weighted, px/m.</param>
/// <param name="UvArea">Share of the tile its triangles cover.</param>
/// <param name="Stretch">95 % of it is lengthened or shortened by less than this factor.</param>
/// <param name="IsLocked">Whether it was left where it lay.</param>
/// <param name="StackedOn">Island whose texels it shares; -1 for none.</param>
/// <param name="Spot">A place on it, metres, three numbers.</param>
public sealed record IslandReport(int ObjectNumber, int Sheet, int Triangles, double Density, double UvArea, double Stretch, bool IsLocked, int StackedOn,
    IReadOnlyList<float> Spot);

/// <summary>One sheet.</summary>
/// <param name="Material">Number of the material whose triangles it holds; null where parts lie together or nothing has a material.</param>
/// <param name="Islands">Islands on it.</param>
/// <param name="RoomUsed">Share of the tile that islands and half their padding take, 0 to 1.</param>
/// <param name="Covered">Share of the tile that islands alone take, 0 to 1.</param>
public sealed record SheetLayoutReport(int? Material, int Islands, double RoomUsed, double Covered);

/// <summary>What slack changed.</summary>
/// <param name="RoomBefore">Room used at even density, 0 to 1.</param>
/// <param name="RoomAfter">Room used with slack, 0 to 1.</param>
/// <param name="LeastScale">Scale of the part that shrank most, 1 for even.</param>
/// <param name="GreatestScale">Scale of the part that grew most.</param>
public sealed record SlackReport(double RoomBefore, double RoomAfter, double LeastScale, double GreatestScale);

/// <summary>What a layout was asked for and could not give.</summary>
public sealed record LayoutShortfalls
{
    /// <summary>For each island with one pin, which holds nothing, the name of its object.</summary>
    public IReadOnlyList<string> SinglePins { get; init; } = [];

    /// <summary>For each island whose pins cannot all be reached, the name of its object.</summary>
    public IReadOnlyList<string> UnreachedPins { get; init; } = [];

    /// <summary>Islands of a sheet on which they do not fit at any density; 0 where all fit.</summary>
    public int UnfitIslands { get; init; }

    /// <summary>Density they lie at where the one asked for does not fit, px/m; null where it does.</summary>
    public double? ReachedPixelsPerMetre { get; init; }

    /// <summary>Whether no part could use the slack it was given.</summary>
    public bool IsSlackUnused { get; init; }
}

/// <summary>How the UVs of the low side use their sheets.</summary>
public sealed record LayoutReport
{
    /// <summary>Side of the sheets the numbers are for, pixels.</summary>
    public required int Size { get; init; }

    /// <summary>Sheets.</summary>
    public required IReadOnlyList<SheetLayoutReport> Sheets { get; init; }

    /// <summary>Triangles that have no area: they take no part in the layout, and no texels.</summary>
    public int TrianglesWithoutArea { get; init; }

    /// <summary>Number of islands.</summary>
    public required int Islands { get; init; }

    /// <summary>Triangles.</summary>
    public required int Triangles { get; init; }

    /// <summary>Share of all sheets that islands and half their padding take, 0 to 1.</summary>
    public required double RoomUsed { get; init; }

    /// <summary>Share of all sheets that islands alone take, 0 to 1.</summary>
    public required double Covered { get; init; }

    /// <summary>Median density by surface area, px/m.</summary>
    public required double MedianDensity { get; init; }

    /// <summary>Of the island with the fewest px/m.</summary>
    public required double LeastDensity { get; init; }

    /// <summary>Of the island with the most px/m.</summary>
    public required double GreatestDensity { get; init; }

    /// <summary>How far from the median, as a share of it, the farthest island is, parts' weights taken out.</summary>
    public required double DensitySpread { get; init; }

    /// <summary>How far from square: greater over lesser stretch of each triangle.</summary>
    public required Spread AngleStretch { get; init; }

    /// <summary>How far from even: area of each triangle against its island's mean, or the other way round.</summary>
    public required Spread AreaStretch { get; init; }

    /// <summary>Pairs of islands that cover the same texels without being stacked.</summary>
    public required int OverlappingPairs { get; init; }

    /// <summary>Texels covered twice by islands that are not stacked.</summary>
    public required int OverlapTexels { get; init; }

    /// <summary>Islands that lie exactly on another's texels.</summary>
    public required int StackedIslands { get; init; }

    /// <summary>Triangles whose UVs run the other way round.</summary>
    public required int FlippedTriangles { get; init; }

    /// <summary>Triangles that leave the tile and are no copies moved aside.</summary>
    public required int OutsideTriangles { get; init; }

    /// <summary>Length of all seams, metres.</summary>
    public required double SeamMetres { get; init; }

    /// <summary>The same, each seam counted as far as it is seen: from around and above fully, from below less, hidden ones not at all.</summary>
    public double SeenSeamMetres { get; init; }

    /// <summary>Least room between two islands, or twice that to the border, pixels; at most 64.</summary>
    public required double PaddingPixels { get; init; }

    /// <summary>Highest mip level at which islands are still at least a pixel apart; 0 is the sheet itself, -1 none.</summary>
    public int PaddingMip => PaddingPixels < 1 ? -1 : (int)Math.Floor(Math.Log2(PaddingPixels) + 1e-9);

    /// <summary>Width of a hand, which says how sharp a density is, metres.</summary>
    public const double HandMetres = 0.1;

    /// <summary>Median density the same islands have on sheets of another size, px/m.</summary>
    /// <param name="size">Side of the sheets, pixels.</param>
    public double DensityAt(int size) => MedianDensity * size / Size;

    /// <summary>What slack changed, or null without slack.</summary>
    public SlackReport? Slack { get; init; }

    /// <summary>What was asked for and could not be given.</summary>
    public LayoutShortfalls Shortfalls { get; init; } = new();

    /// <summary>Whether islands were packed, be it because some came without UVs.</summary>
    public bool IsPacked { get; init; }

    /// <summary>Islands that lie where they were laid before, while others were fitted in.</summary>
    public int HeldIslands { get; init; }

    /// <summary>Cuts through large islands that were made so that the sheets fill better.</summary>
    public int RoomCuts { get; init; }

    /// <summary>Each island.</summary>
    public IReadOnlyList<IslandReport> Each { get; init; } = [];
}
