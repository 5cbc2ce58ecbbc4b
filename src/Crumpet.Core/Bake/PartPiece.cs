namespace Crumpet.Core.Bake;

/// <summary>What one part covers of one tile of a sheet.</summary>
/// <param name="Tile">Number of the tile.</param>
/// <param name="Texels">Covered texels, numbered within the tile row by row, ascending.</param>
/// <param name="Samples">Samples of each that lie in a low triangle.</param>
/// <param name="Hits">Samples of each whose ray found its surface.</param>
/// <param name="Faults">What is wrong with each, a <see cref="FaultKind"/>.</param>
internal sealed record CoverTile(int Tile, ushort[] Texels, byte[] Samples, byte[] Hits, byte[] Faults);

/// <summary>What one part covers of a sheet, and what is wrong there.</summary>
/// <param name="Tiles">Its tiles, ascending.</param>
/// <param name="Regions">Wrong regions, most texels first.</param>
/// <param name="Rays">Rays cast from the low surface.</param>
internal sealed record PartCover(CoverTile[] Tiles, IReadOnlyList<FaultRegion> Regions, long Rays);

/// <summary>One map of one part.</summary>
/// <param name="Map">Which.</param>
/// <param name="Blocks">Values of each of the cover's tiles, compressed: channels interleaved, 16-bit shares or 32-bit floats.</param>
/// <param name="Labels">Names that an ID map's numbers stand for.</param>
/// <param name="Rays">Rays cast for it alone.</param>
internal sealed record PartMap(BakeMap Map, byte[][] Blocks, string[] Labels, long Rays)
{
    /// <summary>How its values are spread; null where its scale is plain.</summary>
    public MapSpread? Spread { get; init; }

    /// <summary>Whether its values are floats in the map's own units; otherwise shares of full scale.</summary>
    public static bool HoldsFloats(BakeMap map) => map.Values is not (MapValues.Vector or MapValues.Share or MapValues.Colour);
}
