namespace Crumpet.Core.Layout;

/// <summary>
/// The form in which a chart that was cut is laid flat in the end. It depends on the chart alone, not on how it came to be, so that a
/// surface that is cut in the same places lies the same.
/// </summary>
internal static class FinalForm
{
    /// <summary>A chart in its final form; as it lay where it covers itself there, or is more stretched than it may be.</summary>
    public static FlatChart Of(FlatChart flat, UnwrapSettings settings, CancellationToken cancel)
    {
        var final = flat.IsSettled ? Straight(flat, settings) : Of(flat.Chart, settings, cancel);
        return final is null || final.Stretch.Most > Math.Max(settings.StretchLimit, flat.Stretch.Most) ? flat : final;
    }

    /// <summary>The same of a chart that is not flat yet; null where it cannot be laid flat without being cut.</summary>
    public static FlatChart? Of(ChartMesh chart, UnwrapSettings settings, CancellationToken cancel) =>
        Flattening.Flatten(chart, c => c.Lengths(), cancel) is { } flat && ReferenceEquals(flat.Chart, chart)
            ? Straight(flat, settings) : null;

    private static FlatChart Straight(FlatChart flat, UnwrapSettings settings)
    {
        if (!settings.Straighten || GridStraightening.Straighten(flat.Chart) is not { } uv)
            return flat;
        SymmetricDirichlet.ScaleBest(flat.Chart, uv);
        var stretch = StretchMeasure.OfChart(flat.Chart, uv);
        return stretch.Most <= Math.Max(settings.StretchLimit, flat.Stretch.Most) ? new FlatChart(flat.Chart, uv, stretch) : flat;
    }
}
