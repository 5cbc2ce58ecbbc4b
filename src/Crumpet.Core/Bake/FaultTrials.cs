using System.Numerics;

namespace Crumpet.Core.Bake;

/// <summary>How rays would be otherwise.</summary>
/// <param name="OutwardMetres">Outward reach; null as it is.</param>
/// <param name="InwardMetres">Inward reach; null as it is.</param>
/// <param name="IsStraight">Whether they follow the low side's shading normals.</param>
/// <param name="SeesItselfAlone">Whether they meet the part's own high side alone.</param>
internal readonly record struct RayChange(float? OutwardMetres, float? InwardMetres, bool IsStraight, bool SeesItselfAlone);

/// <summary>Tries what would mend faults: casts the rays of the texels concerned anew, and of those around them that are right.</summary>
/// <param name="bake">Whose rays they are; all its tiles are baked.</param>
/// <param name="cancel">Ends the work early.</param>
internal sealed class FaultTrials(PartBake bake, CancellationToken cancel)
{
    // A few tiles tell whether what is right stays right.
    private const int MostTiles = 24;

    /// <summary>Tries a change.</summary>
    /// <param name="faults">Texels that are wrong for one reason.</param>
    /// <param name="wrong">Numbers of all texels of the part that are wrong for any.</param>
    /// <param name="change">What is changed.</param>
    public FaultTrial Try(IReadOnlyCollection<FaultTexel> faults, IReadOnlySet<int> wrong, RayChange change)
    {
        int cured = 0, skewed = 0, done = 0;
        foreach (var fault in faults)
        {
            if ((++done & 0xfff) == 0)
                cancel.ThrowIfCancellationRequested();
            var kind = bake.Judge(fault.Triangle, bake.WeightsOf(fault), change);
            if (kind <= FaultKind.Skew)
                cured++;
            if (kind == FaultKind.Skew && fault.Kind != FaultKind.Skew)
                skewed++;
            else if (kind == FaultKind.Skew)
                cured--;
        }
        var (around, spoiled) = Around(faults, wrong, change);
        return new FaultTrial(faults.Count, cured, around, spoiled)
        { Skewed = skewed, OutwardMetres = change.OutwardMetres, InwardMetres = change.InwardMetres };
    }

    private (int Right, int Spoiled) Around(IReadOnlyCollection<FaultTexel> faults, IReadOnlySet<int> wrong, RayChange change)
    {
        int right = 0, spoiled = 0;
        var tiles = faults.GroupBy(f => bake.TileOf(f.Texel)).OrderByDescending(g => g.Count()).ThenBy(g => g.Key).Take(MostTiles).Select(g => g.Key);
        foreach (int tile in tiles)
        {
            cancel.ThrowIfCancellationRequested();
            foreach (var (texel, triangle, weights) in bake.Middles(tile))
            {
                if (wrong.Contains(texel) || bake.Judge(triangle, weights, default) != FaultKind.None)
                    continue;
                right++;
                if (bake.Judge(triangle, weights, change) != FaultKind.None)
                    spoiled++;
            }
        }
        return (right, spoiled);
    }
}
