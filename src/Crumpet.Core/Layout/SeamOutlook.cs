namespace Crumpet.Core.Layout;

/// <summary>What surfaces come to when they are cut and laid flat, before anything is packed.</summary>
/// <param name="Islands">Number of islands.</param>
/// <param name="SeamMetres">Length of all seams, metres.</param>
/// <param name="SeenSeamMetres">The same, each as far as it is seen.</param>
/// <param name="AngleStretch">How far from square: greater over lesser stretch of each triangle.</param>
/// <param name="AreaStretch">How far from even.</param>
public sealed record SeamOutlook(int Islands, double SeamMetres, double SeenSeamMetres, Spread AngleStretch, Spread AreaStretch)
{
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
        return new SeamOutlook(islands.Count, ObjectIslands.SeamMetres(islands), sight.SeenMetres(islands.Select(i => i.Flat.Chart), cancel), angle, area);
    }
}
