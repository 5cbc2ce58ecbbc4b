using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>What surfaces come to when they are cut and laid flat, before anything is packed.</summary>
/// <param name="Islands">Number of islands.</param>
/// <param name="SeamMetres">Length of all seams, metres.</param>
/// <param name="SeenSeamMetres">The same, each as far as it is seen.</param>
/// <param name="AngleStretch">How far from square: greater over lesser stretch of each triangle.</param>
/// <param name="AreaStretch">How far from even.</param>
/// <param name="Ends">Both ends of each edge of a seam, six numbers, metres; none where there are very many.</param>
public sealed record SeamOutlook(int Islands, double SeamMetres, double SeenSeamMetres, Spread AngleStretch, Spread AreaStretch, IReadOnlyList<float> Ends)
{
    private const int MostEdges = 20_000;

    /// <summary>Cuts and flattens, and packs nothing.</summary>
    /// <param name="input">What is laid out and how.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static SeamOutlook Of(LayoutInput input, CancellationToken cancel = default)
    {
        var solid = SolidTriangles.Of(input).Input;
        using var sight = new SeamSight([.. solid.Objects.Select(o => o.Mesh)], solid.Threads, cancel);
        var islands = ObjectIslands.Of(solid, ObjectIslands.PartNumbers(solid.Objects), sight, null, cancel);
        islands.ForEach(i => i.Tile = i.Flat.Uv);
        var (angle, area) = LayoutMeasure.Stretches(islands);
        double seen = sight.SeenMetres([.. islands.Select(i => i.Flat.Chart)], solid.Threads, cancel);
        return new SeamOutlook(islands.Count, ObjectIslands.SeamMetres(islands), seen, angle, area, EndsOf(islands));
    }

    private static float[] EndsOf(List<UvIsland> islands)
    {
        var seen = new HashSet<(Vector3, Vector3)>();
        foreach (var chart in islands.Select(i => i.Flat.Chart))
        {
            for (int c = 0; c < chart.Across.Length && seen.Count <= MostEdges; c++)
            {
                Vector3 a = chart.Positions[chart.Corners[c]], b = chart.Positions[chart.Corners[Topology.Next(c)]];
                if (chart.Across[c] < 0 && !seen.Contains((b, a)))
                    seen.Add((a, b));
            }
        }
        return seen.Count > MostEdges ? [] : [.. seen.SelectMany(e => new[] { e.Item1.X, e.Item1.Y, e.Item1.Z, e.Item2.X, e.Item2.Y, e.Item2.Z })];
    }
}
