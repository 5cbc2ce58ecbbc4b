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
    /// <param name="seams">Where charts end.</param>
    /// <param name="sight">How much of the object is seen.</param>
    /// <param name="settings">How.</param>
    /// <param name="longestMetres">Charts longer than this are cut across.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="done">Told how many triangles were finished.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static IReadOnlyList<FlatChart> Unwrap(
        Topology topology, int[] triangles, SeamPlan seams, SeamSight sight, UnwrapSettings settings, double longestMetres, int threads, Action<int> done,
            CancellationToken cancel)
    {
        var pieces = Pieces(topology, triangles, seams.IsSeam);
        float[] costs = SeamRules.Costs(topology, settings, settings.HideSeams ? sight.AtPoints(topology, threads, cancel) : null);
        var localOf = new int[topology.Mesh.TriangleCount];
        foreach (var piece in pieces)
        {
            for (int t = 0; t < piece.TriangleCount; t++)
                localOf[piece.Triangles[t]] = t;
        }
        var flat = new List<FlatChart>[pieces.Count];
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        // Large pieces first, so that no thread is left with one at the end.
        int[] order = [.. Enumerable.Range(0, pieces.Count).OrderByDescending(i => pieces[i].TriangleCount).ThenBy(i => i)];
        Parallel.For(0, order.Length, options, i =>
        {
            var piece = pieces[order[i]];
            var charts = ChartsOf(piece, c => seams.IsSoft[3 * piece.Triangles[c / 3] + c % 3])
                .SelectMany(chart => FlattenAll(chart, CostsOf, settings, longestMetres, done, cancel)).ToList();
            flat[order[i]] = charts.Count == 1 ? charts : new IslandJoining(piece, charts, localOf, CostsOf, settings, longestMetres).Run(threads, cancel);
        });
        return [.. flat.SelectMany(f => f)];

        float[] CostsOf(ChartMesh part)
        {
            var own = new float[part.Across.Length];
            for (int c = 0; c < own.Length; c++)
                own[c] = costs[3 * part.Triangles[c / 3] + c % 3];
            return own;
        }
    }

    private static List<ChartMesh> Pieces(Topology topology, int[] triangles, bool[] isSeam)
    {
        var localOf = new int[topology.Mesh.TriangleCount];
        Array.Fill(localOf, -1);
        var whole = ChartMesh.Of(topology, triangles, isSeam, localOf);
        return [.. whole.Pieces(new int[triangles.Length]).Select(p => whole.Part(p))];
    }

    /// <summary>The charts a piece falls into where some half-edges are cut; itself where that is one.</summary>
    private static List<ChartMesh> ChartsOf(ChartMesh piece, Func<int, bool> isCut)
    {
        var cut = piece.Part([.. Enumerable.Range(0, piece.TriangleCount)], isCut);
        var charts = cut.Pieces(new int[cut.TriangleCount]);
        return charts.Count == 1 ? [piece] : [.. charts.Select(c => piece.Part(c))];
    }

    private static List<FlatChart> FlattenAll(ChartMesh chart, Func<ChartMesh, float[]> costsOf, UnwrapSettings settings, double longestMetres, Action<int> done,
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
                PushAll(open, ChartSplit.InTwo(next, costsOf(next), cancel));
                continue;
            }
            var result = Flattening.Flatten(next, costsOf, cancel);
            if (result is null || (result.Stretch.Most > settings.StretchLimit && next.TriangleCount > 2))
            {
                PushAll(open, ChartSplit.InTwo(next, costsOf(next), cancel));
                continue;
            }
            if (settings.Straighten)
                result = OpenRing(result, settings.StretchLimit, costsOf) ?? Straightened(result, settings.StretchLimit);
            if (LongCut.Across(result, longestMetres) is { } shorter)
            {
                PushAll(open, shorter);
                continue;
            }
            flat.Add(result);
            done(result.Chart.TriangleCount);
        }
        return flat;
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
