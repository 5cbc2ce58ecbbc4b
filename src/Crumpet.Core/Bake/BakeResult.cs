using Crumpet.Core.Imaging;

namespace Crumpet.Core.Bake;

/// <summary>What one bake gave.</summary>
/// <param name="Maps">A bitmap for each map asked for.</param>
/// <param name="Faults">Wrong regions, most texels first.</param>
/// <param name="CoveredTexels">Texels some low triangle covers.</param>
/// <param name="Rays">Rays the maps are made of.</param>
public sealed record BakeResult(IReadOnlyDictionary<BakeMap, Bitmap> Maps, IReadOnlyList<FaultRegion> Faults, int CoveredTexels, long Rays)
{
    /// <summary>What full scale stands for, for maps in units.</summary>
    public IReadOnlyList<MapScale> Scales { get; init; } = [];

    /// <summary>What the colours of an ID map stand for, most texels first; empty without one.</summary>
    public IReadOnlyList<LegendRow> Legend { get; init; } = [];

    /// <summary>Where what is wrong, in <see cref="FaultPicture"/>'s colours.</summary>
    public required Bitmap8 Faulty { get; init; }
}
