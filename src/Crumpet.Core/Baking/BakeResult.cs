using Crumpet.Core.Imaging;

namespace Crumpet.Core.Baking;

/// <summary>What one bake gave.</summary>
/// <param name="Maps">A bitmap for each map asked for.</param>
/// <param name="Faults">Wrong regions, most texels first.</param>
/// <param name="CoveredTexels">Texels some low triangle covers.</param>
/// <param name="Rays">Rays cast.</param>
public sealed record BakeResult(IReadOnlyDictionary<BakeMap, Bitmap> Maps, IReadOnlyList<FaultRegion> Faults, int CoveredTexels, long Rays);
