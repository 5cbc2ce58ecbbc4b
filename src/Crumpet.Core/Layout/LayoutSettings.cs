using System.Numerics;
using System.Text.Json.Serialization;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Layout;

/// <summary>Where UVs come from.</summary>
public enum UvSource
{
    /// <summary>The source file's own.</summary>
    Keep,

    /// <summary>Cut and laid flat anew.</summary>
    Unwrap,
}

/// <summary>What shares a sheet.</summary>
public enum SheetRule
{
    /// <summary>Each material of the low side has its own.</summary>
    Materials,

    /// <summary>All parts lie together, on as many sheets as are allowed.</summary>
    Together,
}

/// <summary>A place on an object's surface: it names the island it lies on, and goes on naming it when triangles are renumbered.</summary>
/// <param name="ObjectName">Name of the object.</param>
/// <param name="X">Metres.</param>
/// <param name="Y">Metres.</param>
/// <param name="Z">Metres.</param>
public sealed record SurfaceSpot(
    [property: Words("The object", FieldRules.LongestName)] string ObjectName,
    [property: Within("A place's x", -1e6, 1e6, Unit = "m")] float X,
    [property: Within("A place's y", -1e6, 1e6, Unit = "m")] float Y,
    [property: Within("A place's z", -1e6, 1e6, Unit = "m")] float Z);

/// <summary>An edge that is cut, or sewn up, whatever the rules say.</summary>
/// <param name="ObjectName">Name of the object.</param>
/// <param name="Ax">Where it begins, metres.</param>
/// <param name="Ay">Where it begins, metres.</param>
/// <param name="Az">Where it begins, metres.</param>
/// <param name="Bx">Where it ends, metres.</param>
/// <param name="By">Where it ends, metres.</param>
/// <param name="Bz">Where it ends, metres.</param>
/// <param name="IsCut">Whether it is cut; otherwise it is sewn up.</param>
public sealed record SeamEdge(
    [property: Words("The object", FieldRules.LongestName)] string ObjectName,
    [property: Within("An end of a seam", -1e6, 1e6, Unit = "m")] float Ax,
    [property: Within("An end of a seam", -1e6, 1e6, Unit = "m")] float Ay,
    [property: Within("An end of a seam", -1e6, 1e6, Unit = "m")] float Az,
    [property: Within("An end of a seam", -1e6, 1e6, Unit = "m")] float Bx,
    [property: Within("An end of a seam", -1e6, 1e6, Unit = "m")] float By,
    [property: Within("An end of a seam", -1e6, 1e6, Unit = "m")] float Bz,
    bool IsCut)
{
    /// <summary>What names the edge, whichever end is given first.</summary>
    internal (string ObjectName, Vector3 A, Vector3 B) Key => KeyOf(ObjectName, new Vector3(Ax, Ay, Az), new Vector3(Bx, By, Bz));

    /// <summary>What names an edge between two places.</summary>
    internal static (string ObjectName, Vector3 A, Vector3 B) KeyOf(string name, Vector3 a, Vector3 b)
    {
        // Zero has two signs.
        a += Vector3.Zero;
        b += Vector3.Zero;
        return (a.X, a.Y, a.Z).CompareTo((b.X, b.Y, b.Z)) <= 0 ? (name, a, b) : (name, b, a);
    }
}

/// <summary>A vertex held at a place of the sheet; an island with two pins or more is laid out around them and stays there.</summary>
/// <param name="ObjectName">Name of the object.</param>
/// <param name="X">Where the vertex is, metres.</param>
/// <param name="Y">Where the vertex is, metres.</param>
/// <param name="Z">Where the vertex is, metres.</param>
/// <param name="U">Where it is held, tiles.</param>
/// <param name="V">Where it is held, tiles.</param>
/// <param name="Locks">Whether it locks its island, which keeps its shape; otherwise the island is laid flat anew around its pins.</param>
/// <param name="Sheet">Sheet of a locked island, from 0, where parts lie together.</param>
public sealed record UvPin(
    [property: Words("The object", FieldRules.LongestName)] string ObjectName,
    [property: Within("A pinned vertex", -1e6, 1e6, Unit = "m")] float X,
    [property: Within("A pinned vertex", -1e6, 1e6, Unit = "m")] float Y,
    [property: Within("A pinned vertex", -1e6, 1e6, Unit = "m")] float Z,
    [property: Within("A pin's place on the sheet", -100, 100, Unit = "tiles")] float U,
    [property: Within("A pin's place on the sheet", -100, 100, Unit = "tiles")] float V,
    bool Locks = false,
    [property: Within("The sheet of a pin", 0, LayoutSettings.MostSheets - 1)] int Sheet = 0)
{
    /// <summary>The vertex it holds.</summary>
    internal (string ObjectName, Vector3 At) Vertex => (ObjectName, new Vector3(X, Y, Z));
}

/// <summary>What can be done with islands that were picked.</summary>
public enum IslandAct
{
    /// <summary>Unwrapped although their UVs are kept.</summary>
    Unwrap,

    /// <summary>Kept as they came.</summary>
    Keep,
}

/// <summary>What holds for one part alone; what is null is as in the asset.</summary>
public sealed record PartLayout
{
    /// <summary>Where its UVs come from.</summary>
    public UvSource? Uvs { get; init; }

    /// <summary>Its density against the others: 2 is twice as sharp.</summary>
    [Within("The weight", 0.01, 100)]
    public float? Weight { get; init; }

    /// <summary>Sheet it lies on where parts lie together, from 0.</summary>
    [Within("The sheet", 0, LayoutSettings.MostSheets - 1)]
    public int? Sheet { get; init; }

    /// <summary>Whether anything is said.</summary>
    [JsonIgnore]
    public bool IsEmpty => this == new PartLayout();
}

/// <summary>What the artist decided about UVs.</summary>
public sealed record LayoutSettings : IChecked
{
    /// <summary>Most sheets parts that lie together may take.</summary>
    public const int MostSheets = 16;

    /// <summary>Of more islands than this one order is packed, the largest first: small ones fill what is left whatever comes before.</summary>
    public const int ManyIslands = 4000;

    /// <summary>The draft that is there first.</summary>
    public const int FirstDraft = 2;

    /// <summary>Where UVs come from, for parts that say nothing else; objects without UVs are always unwrapped.</summary>
    [Called("UVs")]
    public UvSource Uvs { get; init; }

    /// <summary>Whether islands are scaled to one density and packed; otherwise UVs stay as they came.</summary>
    [Called("Pack islands")]
    public bool Pack { get; init; }

    /// <summary>Whether UVs that came stay where they came, as long as what is unwrapped finds room between them at their density.</summary>
    [Called("UVs that came stay where they lie")]
    public bool KeepsPlaces { get; init; }

    /// <summary>How surfaces are cut and laid flat.</summary>
    public UnwrapSettings Unwrap { get; init; } = new();

    /// <summary>Edges cut or sewn up by hand.</summary>
    public IReadOnlyList<SeamEdge> Seams { get; init; } = [];

    /// <summary>Islands of kept UVs that are unwrapped all the same.</summary>
    public IReadOnlyList<SurfaceSpot> UnwrapAt { get; init; } = [];

    /// <summary>Vertices held where they were put.</summary>
    public IReadOnlyList<UvPin> Pins { get; init; } = [];

    /// <summary>Where islands were laid: those that are the same still stay there, and others are fitted in, as long as little changes.</summary>
    public IReadOnlyList<LaidIsland> Held { get; init; } = [];

    /// <summary>Texel density, px/m; null takes the kit's, or fills the tile.</summary>
    [Within("The density", 0.001, 1e7, Unit = "px/m")]
    public double? PixelsPerMetre { get; init; }

    /// <summary>Whether the tile is filled even where the kit says a density.</summary>
    [Called("Density fills the tile")]
    public bool FillsTile { get; init; }

    /// <summary>Side of the sheets the islands are laid for, pixels; null for as they are baked.</summary>
    [Within("The size islands are laid for", SheetSize.Smallest, SheetSize.Largest, Unit = "px"), NoneIs("as baked")]
    public int? SizePixels { get; init; }

    /// <summary>Least room between islands and to the border, pixels of the sheet.</summary>
    [Within("The padding", 0, 256, Unit = "px")]
    public int PaddingPixels { get; init; } = 8;

    /// <summary>How islands may be turned.</summary>
    [Called("Islands turn")]
    public PackRotation Rotation { get; init; }

    /// <summary>How far a part's density may differ from even so that the tile fills, percent.</summary>
    [Within("The slack", 0, 90, Unit = "%")]
    public float SlackPercent { get; init; }

    /// <summary>Whether islands that are exactly equal, or mirror images, lie on the same texels; copies are moved one tile aside.</summary>
    [Called("Stack equal islands")]
    public bool StackEqual { get; init; }

    /// <summary>What shares a sheet.</summary>
    [Called("Sheets by")]
    public SheetRule Sheets { get; init; }

    /// <summary>How many sheets parts that lie together may take.</summary>
    [Within("The number of sheets", 1, MostSheets)]
    public int SheetCount { get; init; } = 1;

    /// <summary>How soon the search for a better layout ends: 0 for the full search, 1 for a short one, 2 for the first that stands.</summary>
    [Within("The draft", 0, FirstDraft)]
    public int Draft { get; init; }

    /// <summary>What holds for single parts.</summary>
    public IReadOnlyDictionary<string, PartLayout> Parts { get; init; } = new Dictionary<string, PartLayout>();

    /// <summary>The same with what holds for one part.</summary>
    public LayoutSettings With(string part, PartLayout own) => this with { Parts = Ordered.Changed(Parts, part, own, own.IsEmpty, StringComparer.Ordinal) };

    /// <summary>The same with parts as dense as others times a weight; null for as dense as the others.</summary>
    public LayoutSettings Weighted(IEnumerable<string> parts, float? weight) => ForEach(parts, p => p with { Weight = weight == 1 ? null : weight });

    /// <summary>The same with parts put on a sheet, from 0; null leaves it to the packer.</summary>
    public LayoutSettings OnSheet(IEnumerable<string> parts, int? sheet) => ForEach(parts, p => p with { Sheet = sheet });

    /// <summary>The same with something done to picked islands.</summary>
    /// <param name="act">What.</param>
    /// <param name="picked">A place on each.</param>
    public LayoutSettings Do(IslandAct act, IReadOnlyCollection<SurfaceSpot> picked) => act switch
    {
        IslandAct.Unwrap => this with { UnwrapAt = [.. UnwrapAt.Union(picked)], Pack = true },
        _ => this with { UnwrapAt = [.. UnwrapAt.Except(picked)] },
    };

    /// <summary>The same with edges cut or sewn up, whatever was said of them before.</summary>
    /// <param name="edges">Edges.</param>
    /// <param name="isCut">Whether they are cut; null leaves them to the rules.</param>
    public LayoutSettings WithSeams(IReadOnlyCollection<SeamEdge> edges, bool? isCut)
    {
        var keys = edges.Select(e => e.Key).ToHashSet();
        return this with
        {
            Seams = [.. Seams.Where(s => !keys.Contains(s.Key)), .. isCut is { } cut ? edges.Select(e => e with { IsCut = cut }) : []],
            Pack = Pack || edges.Count > 0
        };
    }

    /// <summary>The same with pins, each in place of the one its vertex had; the objects' other pins stay.</summary>
    public LayoutSettings WithPins(IReadOnlyCollection<UvPin> pins)
    {
        var keys = pins.Select(p => p.Vertex).ToHashSet();
        return this with { Pins = [.. Pins.Where(p => !keys.Contains(p.Vertex)), .. pins] };
    }

    /// <summary>The same without the pins of some objects; what is locked stays so.</summary>
    public LayoutSettings WithoutPins(IReadOnlyCollection<string> objects) =>
        this with { Pins = [.. Pins.Where(p => p.Locks || !objects.Contains(p.ObjectName))] };

    /// <summary>The same with islands locked where they lie, whatever pins they had.</summary>
    /// <param name="islands">Islands.</param>
    public LayoutSettings Locked(IReadOnlyCollection<HeldIsland> islands) => Unlocked(islands).WithPins([.. islands.SelectMany(i => i.Pins)]);

    /// <summary>The same with islands packed with the others again.</summary>
    /// <param name="islands">Islands.</param>
    public LayoutSettings Unlocked(IReadOnlyCollection<HeldIsland> islands)
    {
        var vertices = islands.SelectMany(i => i.Vertices.Select(v => (i.ObjectName, v))).ToHashSet();
        return this with { Pins = [.. Pins.Where(p => !vertices.Contains(p.Vertex))] };
    }

    /// <summary>The same with islands that are to stay where they lie; what is known of before holds where nothing is.</summary>
    public LayoutSettings Holding(IReadOnlyList<LaidIsland> places) => places.Count == 0 ? this : this with { Held = places };

    private LayoutSettings ForEach(IEnumerable<string> parts, Func<PartLayout, PartLayout> change) =>
        parts.Aggregate(this, (settings, part) => settings.With(part, change(settings.Parts.GetValueOrDefault(part) ?? new PartLayout())));

    /// <summary>What is wrong with these settings, one sentence, or null.</summary>
    public string? Problem() => FieldRules.Problem(this);

    /// <inheritdoc/>
    public string? ProblemTogether() => Parts.FirstOrDefault(p => p.Value.Sheet >= SheetCount) is { Key: not null } part
        ? $"{part.Key} is put on sheet {part.Value.Sheet + 1}, but there {(SheetCount == 1 ? "is 1 sheet" : $"are {SheetCount} sheets")}."
        : null;
}
