using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Cuts an object into charts and lays them flat.</summary>
internal static class Unwrapper
{
    /// <summary>A chart curved less than this in all, radians, unrolls almost without stretch, however far it turns.</summary>
    private const double AlmostUnrollable = 0.35;

    /// <summary>A ring that fills less of its box than this is worth opening.</summary>
    private const double MostOfBox = 0.4;

    /// <summary>Flat charts of some triangles of an object, in an order that depends on them alone.</summary>
    /// <param name="topology">Object.</param>
    /// <param name="triangles">Triangles to unwrap.</param>
    /// <param name="isSeam">For each half-edge of the object whether charts end there.</param>
    /// <param name="settings">How.</param>
    /// <param name="longestMetres">Charts longer than this are cut across.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="done">Told how many triangles were finished.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static IReadOnlyList<FlatChart> Unwrap(
        Topology topology, int[] triangles, bool[] isSeam, UnwrapSettings settings, double longestMetres, int threads, Action<int> done,
            CancellationToken cancel)
    {
        var charts = Pieces(topology, triangles, isSeam);
        float[] costs = SeamRules.Costs(topology, settings.HideSeams, cancel);
        var flat = new List<FlatChart>[charts.Count];
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        // Large charts first, so that no thread is left with one at the end.
        int[] order = [.. Enumerable.Range(0, charts.Count).OrderByDescending(i => charts[i].TriangleCount).ThenBy(i => i)];
        Parallel.For(0, order.Length, options, i => flat[order[i]] = FlattenAll(charts[order[i]], costs, settings, longestMetres, done, cancel));
        return [.. flat.SelectMany(f => f)];
    }

    private static List<ChartMesh> Pieces(Topology topology, int[] triangles, bool[] isSeam)
    {
        var localOf = new int[topology.Mesh.TriangleCount];
        Array.Fill(localOf, -1);
        var whole = ChartMesh.Of(topology, triangles, isSeam, localOf);
        return [.. whole.Pieces(new int[triangles.Length]).Select(p => whole.Part(p))];
    }

    private static List<FlatChart> FlattenAll(ChartMesh chart, float[] costs, UnwrapSettings settings, double longestMetres, Action<int> done,
        CancellationToken cancel)
    {
        var flat = new List<FlatChart>();
        var open = new Stack<ChartMesh>();
        open.Push(chart);
        while (open.TryPop(out var next))
        {
            cancel.ThrowIfCancellationRequested();
            if (TooCurved(next, settings))
            {
                PushAll(open, ChartSplit.InTwo(next, CostsOf(next), cancel));
                continue;
            }
            var result = Flattening.Flatten(next, CostsOf, cancel);
            if (result is null || (result.Stretch.Most > settings.StretchLimit && next.TriangleCount > 2))
            {
                PushAll(open, ChartSplit.InTwo(next, CostsOf(next), cancel));
                continue;
            }
            if (settings.Straighten)
                result = OpenRing(result, settings.StretchLimit, CostsOf) ?? Straightened(result, settings.StretchLimit);
            if (LongCut.Across(result, longestMetres) is { } shorter)
            {
                PushAll(open, shorter);
                continue;
            }
            flat.Add(result);
            done(result.Chart.TriangleCount);
        }
        return flat;

        float[] CostsOf(ChartMesh part)
        {
            var own = new float[part.Across.Length];
            for (int c = 0; c < own.Length; c++)
                own[c] = costs[3 * part.Triangles[c / 3] + c % 3];
            return own;
        }
    }

    private static void PushAll(Stack<ChartMesh> open, List<ChartMesh> parts)
    {
        for (int i = parts.Count - 1; i >= 0; i--)
            open.Push(parts[i]);
    }

    private static bool TooCurved(ChartMesh chart, UnwrapSettings settings) =>
        chart.TriangleCount > 2 && Flattening.ConeDegrees(chart) > settings.ConeDegrees && Flattening.Curvature(chart) > AlmostUnrollable;

    /// <summary>A thin ring cut open and laid out as a strip, which leaves no hole to fill; null where the chart is none.</summary>
    private static FlatChart? OpenRing(FlatChart flat, double limit, Func<ChartMesh, float[]> costsOf)
    {
        var loops = flat.Chart.Loops();
        if (loops.Count != 2 || flat.Chart.Area > MostOfBox * IslandTurns.LeastBox(flat.Shape()).Area)
            return null;
        var open = DiscCut.Open(flat.Chart, loops, costsOf(flat.Chart));
        if (GridStraightening.Straighten(open) is not { } uv)
            return null;
        SymmetricDirichlet.ScaleBest(open, uv);
        var stretch = StretchMeasure.OfChart(open, uv);
        return stretch.Most <= limit ? new FlatChart(open, uv, stretch) : null;
    }

    private static FlatChart Straightened(FlatChart flat, double limit)
    {
        if (GridStraightening.Straighten(flat.Chart) is not { } uv)
            return flat;
        SymmetricDirichlet.ScaleBest(flat.Chart, uv);
        var stretch = StretchMeasure.OfChart(flat.Chart, uv);
        return stretch.Most <= Math.Max(limit, flat.Stretch.Most) ? new FlatChart(flat.Chart, uv, stretch) : flat;
    }
}
