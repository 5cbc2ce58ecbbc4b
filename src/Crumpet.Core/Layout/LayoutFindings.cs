using System.Globalization;

namespace Crumpet.Core.Layout;

/// <summary>Says what is worth knowing about a layout.</summary>
internal static class LayoutFindings
{
    private const double Uneven = 1.5;
    private const double MuchStretch = 2;

    /// <summary>All there is to say.</summary>
    /// <param name="report">What was measured.</param>
    /// <param name="settings">What was decided.</param>
    /// <param name="bakedSize">Side of the sheets as they are baked, pixels.</param>
    /// <param name="nameOf">Name of an object by its number.</param>
    public static IEnumerable<Finding> Of(LayoutReport report, LayoutSettings settings, int bakedSize, Func<int, string> nameOf) =>
        [.. WithoutArea(report), .. Held(report), .. OtherSize(report, bakedSize), .. Shortfalls(report, settings),
            .. report.Islands > 0 ? Measured(report, settings, island => nameOf(report.Each[island].ObjectNumber)) : []];

    private static IEnumerable<Finding> WithoutArea(LayoutReport report)
    {
        int count = report.TrianglesWithoutArea;
        if (count > 0)
            yield return new Finding(Severity.Note, "no-area", "",
                $"{count} triangle{(count == 1 ? " has" : "s have")} no area and take{(count == 1 ? "s" : "")} no part in the layout; they get the UVs of the "
                + "surface beside them.", count);
    }

    private static IEnumerable<Finding> Held(LayoutReport report)
    {
        int fitted = report.Islands - report.HeldIslands - report.StackedIslands;
        if (report.HeldIslands == 0 || fitted <= 0)
            yield break;
        var mend = new LayOutFor(report.Size);
        string were = fitted == 1 ? "1 island is new or changed and was" : $"{fitted} islands are new or changed and were";
        yield return new Finding(Severity.Note, "fitted-in", "", $"{were} fitted in; the other {report.HeldIslands} lie "
            + "where they were laid. Lay all out anew if the sheet is to be fuller.", fitted)
        {
            Mends = [new(mend.Words(), false, mend)],
        };
    }

    /// <summary>Islands stay where they lie when sheets are baked at another size; what that makes of their padding is said.</summary>
    private static IEnumerable<Finding> OtherSize(LayoutReport report, int bakedSize)
    {
        if (report.Islands == 0 || bakedSize == report.Size)
            yield break;
        double padding = report.PaddingPixels * bakedSize / report.Size;
        var mend = new LayOutFor(bakedSize);
        yield return new Finding(
            padding < 2 && padding < report.PaddingPixels ? Severity.Warn : Severity.Note, "laid-for-another-size", "",
            string.Create(CultureInfo.InvariantCulture,
                $"The islands were laid for {report.Size} px and stay where they lie; baked at {bakedSize} px they come as near as {padding:0.0} px to each "
                + $"other or the border, at {report.DensityAt(bakedSize):0} px/m."))
        {
            Mends = [new(mend.Words(), false, mend)],
        };
    }

    private static IEnumerable<Finding> Shortfalls(LayoutReport report, LayoutSettings settings)
    {
        var shortfalls = report.Shortfalls;
        foreach (string name in shortfalls.SinglePins)
            yield return new Finding(Severity.Note, "single-pin", name,
                $"An island of {name} has one pin, which says neither how large it is nor how it is turned; pin a second vertex to hold it.");
        foreach (string name in shortfalls.UnreachedPins)
            yield return new Finding(Severity.Warn, "pins-out-of-reach", name,
                $"Pins of {name} cannot all be reached without turning triangles over or laying the island over itself; it stays as near as it came. Move "
                + $"them closer to where they were.");
        if (shortfalls.UnfitIslands > 0)
            yield return new Finding(Severity.Stop, "does-not-fit", "",
                $"The islands do not fit on the sheet at any density; {settings.PaddingPixels} px of padding around {shortfalls.UnfitIslands} islands take "
                + $"all of its {report.Size} px. Use a larger sheet, more sheets or less padding.");
        if (shortfalls.ReachedPixelsPerMetre is { } got)
            yield return new Finding(Severity.Warn, "density-not-reached", "",
                string.Create(CultureInfo.InvariantCulture,
                $"At {settings.PixelsPerMetre:0} px/m the islands do not fit on {report.Size} px; they lie at {got:0} px/m. Use a larger sheet, more sheets, "
                + $"or {got:0} px/m or less."));
        if (shortfalls.IsSlackUnused)
            yield return new Finding(Severity.Note, "slack-without-use", "",
                string.Create(CultureInfo.InvariantCulture,
                    $"No part could grow or shrink by up to {settings.SlackPercent:0.#} % so that more of the sheet is used; density stays even."));
    }

    private static IEnumerable<Finding> Measured(LayoutReport report, LayoutSettings settings, Func<int, string> name)
    {
        if (report.OverlapTexels > 0)
        {
            yield return new Finding(
                Severity.Warn, "overlapping-uvs", "",
                $"{report.OverlapTexels} texels at {Math.Min(report.Size, 2048)} px are covered twice"
                    + (report.OverlappingPairs > 0 ? $", by {report.OverlappingPairs} pair{(report.OverlappingPairs == 1 ? "" : "s")} of islands" : "")
                    + "; both will show what was baked last. Pack the islands, or unwrap those that lie over themselves.", report.OverlapTexels);
        }
        if (report.FlippedTriangles > 0)
            yield return new Finding(Severity.Note, "mirrored-uvs", "",
                $"{report.FlippedTriangles} triangles run the other way round on the sheet: their texels show mirrored. Unwrap their islands if writing or "
                + $"one-sided detail lies there.", report.FlippedTriangles);
        if (report.OutsideTriangles > 0)
            yield return new Finding(Severity.Warn, "outside-tile", "",
                $"{report.OutsideTriangles} triangles leave the tile and get no texels of their own. Pack the islands.", report.OutsideTriangles);
        int least = 0, most = 0, stretched = 0;
        for (int i = 1; i < report.Each.Count; i++)
        {
            least = report.Each[i].Density < report.Each[least].Density ? i : least;
            most = report.Each[i].Density > report.Each[most].Density ? i : most;
            stretched = report.Each[i].Stretch > report.Each[stretched].Stretch ? i : stretched;
        }
        // Parts that were weighted, or let grow, differ on purpose.
        if (report.GreatestDensity > Uneven * report.LeastDensity && report.DensitySpread > (report.Slack is null ? 0.2 : 0.2 + settings.SlackPercent / 100))
        {
            yield return new Finding(
                Severity.Note, "uneven-density", name(least),
                string.Create(CultureInfo.InvariantCulture,
                    $"Density runs from {report.LeastDensity:0} px/m ({name(least)}) to {report.GreatestDensity:0} px/m ({name(most)}); parts will not look "
                    + $"equally sharp. Pack the islands at one density."));
        }
        if (report.Each[stretched].Stretch > MuchStretch)
            yield return new Finding(Severity.Note, "stretched-island", name(stretched),
                string.Create(CultureInfo.InvariantCulture, $"An island of {name(stretched)} is stretched up to {report.Each[stretched].Stretch:0.0} "
                    + $"times; unwrap it, or cut it where it bends most."));
        if (report.PaddingPixels < Math.Min(2, settings.PaddingPixels) && report.OverlapTexels == 0)
            yield return new Finding(Severity.Note, "little-padding", "",
                string.Create(CultureInfo.InvariantCulture,
                $"Islands come as near as {report.PaddingPixels:0.0} px to each other or to the border; neighbours bleed into each other from mip "
                + $"{Math.Max(0, report.PaddingMip + 1)} on. Pack with more padding."));
    }
}
