using System.Text.Json.Serialization;
using Crumpet.Core.Checking;

namespace Crumpet.Core.Pairs;

/// <summary>How parts are spread over trays.</summary>
public enum TrayMode
{
    /// <summary>All parts on one tray: they see each other.</summary>
    One,

    /// <summary>Each part on its own.</summary>
    Parts,

    /// <summary>The fewest trays on which no two parts in contact lie together.</summary>
    Planned,
}

/// <summary>What blocks the light of ambient occlusion.</summary>
public enum Occluders
{
    /// <summary>The high side of all parts on the same tray.</summary>
    Tray,

    /// <summary>The high side of the whole asset: contact shadows even between trays.</summary>
    Asset,

    /// <summary>The part's own high side alone.</summary>
    Part,
}

/// <summary>Where rays come from over hard edges of the low side.</summary>
public enum RayDirection
{
    /// <summary>Normals welded by position: no gap at hard edges, details slant near them.</summary>
    Smooth,

    /// <summary>Shading normals: details stay straight, rays part at hard edges.</summary>
    Split,

    /// <summary>Between the two.</summary>
    Blended,
}

/// <summary>Where rays start.</summary>
public enum CageKind
{
    /// <summary>The outward reach above the low surface, everywhere.</summary>
    Reach,

    /// <summary>On the least shell that holds the part's high side.</summary>
    Fitted,

    /// <summary>On the part's cage object, where one came; otherwise as by reach.</summary>
    File,
}

/// <summary>What a brush changes.</summary>
public enum BrushKind
{
    /// <summary>How far the cage stands off.</summary>
    Cage,

    /// <summary>How much directions follow shading normals.</summary>
    Direction,
}

/// <summary>One stroke of a brush over a part's low surface.</summary>
/// <param name="Kind">What it changes.</param>
/// <param name="Part">Name of the part.</param>
/// <param name="Points">Where it went, metres, three numbers a point.</param>
/// <param name="RadiusMetres">How far around its way it works, fading, metres.</param>
/// <param name="Amount">By how much at its middle: metres for the cage, a share from -1 to 1 for directions.</param>
public sealed record BrushStroke(
    BrushKind Kind,
    [property: Words("The part", FieldRules.LongestName)] string Part,
    [property: Within("A point of a stroke", -1e6, 1e6, Unit = "m"), AtMost(BrushStroke.MostNumbers)] IReadOnlyList<float> Points,
    [property: Within("The brush's radius", 1e-6, 1000, Unit = "mm", Times = 1000)] float RadiusMetres,
    [property: Within("The brush's strength", -1000, 1000)] float Amount) : IChecked
{
    /// <summary>Most numbers of a stroke, three a point.</summary>
    public const int MostNumbers = 6000;

    /// <inheritdoc/>
    public string? ProblemTogether() => Points.Count == 0 || Points.Count % 3 != 0 ? "A stroke's points are no points; draw it again." : null;
}

/// <summary>Two parts that the artist wants on one tray, or never on one.</summary>
/// <param name="One">Name of a part.</param>
/// <param name="Two">Name of the other.</param>
/// <param name="Together">Whether they belong together or apart.</param>
public sealed record PartTie([property: Words("The part", FieldRules.LongestName)] string One,
    [property: Words("The other part", FieldRules.LongestName)] string Two, bool Together) : IChecked
{
    /// <inheritdoc/>
    public string? ProblemTogether() => One == Two ? $"{One} cannot be kept {(Together ? "together with" : "apart from")} itself." : null;
}

/// <summary>What holds for one part alone; what is null is as on its tray or in the asset.</summary>
public sealed record PartSettings
{
    /// <summary>How far outside the low surface its rays start, metres.</summary>
    [Within("The outward reach", 0, 1000, Unit = "mm", Times = 1000)]
    public float? OutwardReachMetres { get; init; }

    /// <summary>How far inside the low surface its rays end, metres.</summary>
    [Within("The inward reach", 0, 1000, Unit = "mm", Times = 1000)]
    public float? InwardReachMetres { get; init; }

    /// <summary>What blocks its light.</summary>
    public Occluders? Sees { get; init; }

    /// <summary>Where its rays start.</summary>
    public CageKind? Cage { get; init; }

    /// <summary>Where its rays come from over hard edges.</summary>
    public RayDirection? Direction { get; init; }

    /// <summary>Whether anything is said.</summary>
    [JsonIgnore]
    public bool IsEmpty => this == new PartSettings();
}

/// <summary>What holds for all parts of one tray.</summary>
public sealed record TraySettings
{
    /// <summary>How far outside the low surface rays start, metres.</summary>
    [Within("The outward reach", 0, 1000, Unit = "mm", Times = 1000)]
    public float? OutwardReachMetres { get; init; }

    /// <summary>How far inside the low surface rays end, metres.</summary>
    [Within("The inward reach", 0, 1000, Unit = "mm", Times = 1000)]
    public float? InwardReachMetres { get; init; }

    /// <summary>Whether parts of other trays cast occlusion on it; null as in the asset.</summary>
    public bool? OthersOcclude { get; init; }

    /// <summary>Whether anything is said.</summary>
    [JsonIgnore]
    public bool IsEmpty => this == new TraySettings();
}

/// <summary>What the artist decided about parts and trays; parts go by name, so decisions outlive new files.</summary>
public sealed record PairSettings
{
    /// <summary>Tray of parts that were put there by hand, from 0.</summary>
    [Within("The tray", 0, 999, Offset = -1)]
    public IReadOnlyDictionary<string, int> TrayByHand { get; init; } = new Dictionary<string, int>();

    /// <summary>Parts kept together or apart.</summary>
    public IReadOnlyList<PartTie> Ties { get; init; } = [];

    /// <summary>What holds for single parts.</summary>
    public IReadOnlyDictionary<string, PartSettings> Parts { get; init; } = new Dictionary<string, PartSettings>();

    /// <summary>What holds for single trays, by their numbers from 0.</summary>
    [AtMost(1000)]
    public IReadOnlyDictionary<int, TraySettings> Trays { get; init; } = new Dictionary<int, TraySettings>();

    /// <summary>Where rays start, for parts that say nothing else.</summary>
    [Called("Rays start at")]
    public CageKind Cage { get; init; }

    /// <summary>How much farther than needed a fitted cage goes, outwards and inwards, metres.</summary>
    [Within("The cage's margin", 0, 1000, Unit = "mm", Times = 1000)]
    public float CageMarginMetres { get; init; } = 0.0005f;

    /// <summary>Where rays come from over hard edges, for parts that say nothing else.</summary>
    [Called("Rays over hard edges")]
    public RayDirection Direction { get; init; }

    /// <summary>Share of shading normals in blended directions, 0 to 1.</summary>
    [Within("The blend of directions", 0, 1, Unit = "%", Times = 100)]
    public float Blend { get; init; } = 0.5f;

    /// <summary>Strokes of the brushes, in the order they were made.</summary>
    public IReadOnlyList<BrushStroke> Strokes { get; init; } = [];

    /// <summary>The same with a part put on a tray by hand.</summary>
    /// <param name="part">Name of the part.</param>
    /// <param name="tray">Number from 0; null leaves it to the plan.</param>
    public PairSettings OnTray(string part, int? tray) =>
        this with { TrayByHand = Ordered.Changed(TrayByHand, part, tray ?? 0, tray is null, StringComparer.Ordinal) };

    /// <summary>The same with what holds for one part.</summary>
    public PairSettings With(string part, PartSettings own) => this with { Parts = Ordered.Changed(Parts, part, own, own.IsEmpty, StringComparer.Ordinal) };

    /// <summary>The same with what holds for one tray, by its number from 0.</summary>
    public PairSettings With(int tray, TraySettings own) => this with { Trays = Ordered.Changed(Trays, tray, own, own.IsEmpty, Comparer<int>.Default) };

    /// <summary>The same with two parts kept together or apart.</summary>
    public PairSettings With(PartTie tie) => this with { Ties = [.. WithoutTie(tie.One, tie.Two).Ties, tie] };

    /// <summary>The same with nothing said of two parts.</summary>
    public PairSettings WithoutTie(string one, string two) =>
        this with { Ties = [.. Ties.Where(t => (t.One, t.Two) != (one, two) && (t.Two, t.One) != (one, two))] };

    /// <summary>What is wrong with these settings, one sentence, or null.</summary>
    public string? Problem() => FieldRules.Problem(this);
}
