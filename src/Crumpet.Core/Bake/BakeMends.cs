using System.Globalization;
using Crumpet.Core.Checking;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Bake;

/// <summary>A mend of a fault: it changes what was decided, not what arrived.</summary>
public abstract record BakeMend : Mend
{
}

/// <summary>Gives one part reaches of its own.</summary>
/// <param name="Part">The part.</param>
/// <param name="OutwardMetres">Outward reach; null leaves it.</param>
/// <param name="InwardMetres">Inward reach; null leaves it.</param>
public sealed record WidenReach(
    [property: Words("The part", FieldRules.LongestName)] string Part,
    [property: Within("The outward reach", 0, 1000, Unit = "mm", Times = 1000)] float? OutwardMetres,
    [property: Within("The inward reach", 0, 1000, Unit = "mm", Times = 1000)] float? InwardMetres) : BakeMend
{
    /// <inheritdoc/>
    public override string Words() => (OutwardMetres, InwardMetres) switch
    {
        ({ } o, { } i) => $"Let {Part} reach {Lengths.Millimetres(o)} outward and {Lengths.Millimetres(i)} inward",
        ({ } o, null) => $"Let {Part} reach {Lengths.Millimetres(o)} outward",
        (null, { } i) => $"Let {Part} reach {Lengths.Millimetres(i)} inward",
        _ => $"Leave the reach of {Part}",
    };
}

/// <summary>Lets texels whose rays meet nothing take the nearest surface of their part.</summary>
public sealed record FillMisses : BakeMend
{
    /// <inheritdoc/>
    public override string Words() => "Fill missed texels from the nearest surface";
}

/// <summary>Lets a map's values fill its scale.</summary>
/// <param name="Map">The map.</param>
public sealed record FitScale(BakeMap Map) : BakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Fit the scale of {Map.Label}";
}

/// <summary>Keeps two parts on separate trays.</summary>
/// <param name="One">A part.</param>
/// <param name="Two">The other.</param>
public sealed record SeparateTrays([property: Words("The part", FieldRules.LongestName)] string One,
    [property: Words("The other part", FieldRules.LongestName)] string Two) : BakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Put {One} and {Two} on separate trays";
}

/// <summary>Spreads all parts over the fewest trays on which none are in contact.</summary>
public sealed record PlanTrays : BakeMend
{
    /// <inheritdoc/>
    public override string Words() => "Plan the trays";
}

/// <summary>A round place on a part.</summary>
/// <param name="X">Metres.</param>
/// <param name="Y">Metres.</param>
/// <param name="Z">Metres.</param>
/// <param name="RadiusMetres">Metres.</param>
public sealed record PartSpot(
    [property: Within("A place's x", -1e6, 1e6, Unit = "m")] float X,
    [property: Within("A place's y", -1e6, 1e6, Unit = "m")] float Y,
    [property: Within("A place's z", -1e6, 1e6, Unit = "m")] float Z,
    [property: Within("A place's radius", 1e-9, 1000, Unit = "mm", Times = 1000)] float RadiusMetres);

/// <summary>Lets rays of a part follow shading normals around some places, so that detail stands straight there.</summary>
/// <param name="Part">The part.</param>
/// <param name="Spots">The places.</param>
public sealed record StraightenDetail([property: Words("The part", FieldRules.LongestName)] string Part, [property: AtMost(1000)] IReadOnlyList<PartSpot> Spots)
    : BakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Straighten detail of {Part} in {Spots.Count} {(Spots.Count == 1 ? "place" : "places")}";
}

/// <summary>Packs the islands anew, so that none overlap.</summary>
public sealed record PackIslands : BakeMend
{
    /// <inheritdoc/>
    public override string Words() => "Pack the islands apart";
}

/// <summary>Makes a sheet larger.</summary>
/// <param name="Sheet">The sheet.</param>
/// <param name="Size">Its side, pixels.</param>
public sealed record EnlargeSheet([property: Words("The sheet", FieldRules.LongestName)] string Sheet,
    [property: Within("The sheet's size", SheetSize.Smallest, SheetSize.Largest, Unit = "px")] int Size) : BakeMend
{
    /// <inheritdoc/>
    public override string Words() => $"Bake {Sheet} at {Size} px";
}

/// <summary>All kinds of mends of this station.</summary>
public static class BakeMendKinds
{
    /// <summary>One row a kind.</summary>
    public static IReadOnlyList<MendKind> All { get; } =
    [
        new("widenReach", typeof(WidenReach)), new("fillMisses", typeof(FillMisses)), new("fitScale", typeof(FitScale)),
            new("separateTrays", typeof(SeparateTrays)), new("planTrays", typeof(PlanTrays)),
            new("straighten", typeof(StraightenDetail)),
        new("packIslands", typeof(PackIslands)), new("enlargeSheet", typeof(EnlargeSheet)),
    ];
}
