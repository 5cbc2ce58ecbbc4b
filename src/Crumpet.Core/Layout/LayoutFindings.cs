namespace Crumpet.Core.Layout;

/// <summary>Says what is worth knowing about a layout.</summary>
internal static class LayoutFindings
{
    private const double Uneven = 1.5;
    private const double MuchStretch = 2;

    public static IEnumerable<Finding> Of(LayoutReport report, LayoutInput input)
    {
        string Name(int island) => input.Objects[report.Each[island].ObjectNumber].Mesh.Name;
        if (report.Islands == 0)
            yield break;
        if (report.OverlapTexels > 0)
        {
            yield return new Finding(
                Severity.Warn, "overlapping-uvs", "",
                $"{report.OverlapTexels} texels at {Math.Min(report.Size, 2048)} px are covered twice{(report.OverlappingPairs > 0 ? $", by {report.OverlappingPairs} pair{(report.OverlappingPairs == 1 ? "" : "s")} of islands" : "")}; both will show what was baked last. Pack the islands, or unwrap those that lie over themselves.", report.OverlapTexels);
        }
        if (report.FlippedTriangles > 0)
            yield return new Finding(Severity.Note, "mirrored-uvs", "", $"{report.FlippedTriangles} triangles run the other way round on the sheet: their texels show mirrored. Unwrap their islands if writing or one-sided detail lies there.", report.FlippedTriangles);
        if (report.OutsideTriangles > 0)
            yield return new Finding(Severity.Warn, "outside-tile", "", $"{report.OutsideTriangles} triangles leave the tile and get no texels of their own. Pack the islands.", report.OutsideTriangles);
        int least = 0, most = 0, stretched = 0;
        for (int i = 1; i < report.Each.Count; i++)
        {
            least = report.Each[i].Density < report.Each[least].Density ? i : least;
            most = report.Each[i].Density > report.Each[most].Density ? i : most;
            stretched = report.Each[i].Stretch > report.Each[stretched].Stretch ? i : stretched;
        }
        // Parts that were weighted, or let grow, differ on purpose.
        if (report.GreatestDensity > Uneven * report.LeastDensity && report.DensitySpread > (report.Slack is null ? 0.2 : 0.2 + input.Settings.SlackPercent / 100))
        {
            yield return new Finding(
                Severity.Note, "uneven-density", Name(least),
                FormattableString.Invariant($"Density runs from {report.LeastDensity:0} px/m ({Name(least)}) to {report.GreatestDensity:0} px/m ({Name(most)}); parts will not look equally sharp. Pack the islands at one density."));
        }
        if (report.Each[stretched].Stretch > MuchStretch)
            yield return new Finding(Severity.Note, "stretched-island", Name(stretched), FormattableString.Invariant($"An island of {Name(stretched)} is stretched up to {report.Each[stretched].Stretch:0.0} times; unwrap it, or cut it where it bends most."));
        if (report.PaddingPixels < Math.Min(2, input.Settings.PaddingPixels) && report.OverlapTexels == 0)
            yield return new Finding(Severity.Note, "little-padding", "", FormattableString.Invariant($"Islands come as near as {report.PaddingPixels:0.0} px to each other or to the border; neighbours bleed into each other from mip {Math.Max(0, report.PaddingMip + 1)} on. Pack with more padding."));
    }
}
