using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>
/// Cuts one piece of surface into charts and lays them flat: parted until nothing is too stretched, then sewn together as far as that
/// allows. That is done from several beginnings, and what has the cheapest seams is kept.
/// </summary>
internal sealed class PieceCutting(ChartMesh piece, PiecePlan plan, UnwrapSettings settings, double longestMetres, bool isQuick)
{
    /// <summary>A chart curved less than this in all, radians, unrolls almost without stretch, however far it turns.</summary>
    private const double AlmostUnrollable = 0.35;

    /// <summary>A ring that fills less of its box than this is worth opening.</summary>
    private const double MostOfBox = 0.4;

    /// <summary>Shares of the stretch limit at which charts are parted in the beginning: larger pieces are begun fewer times.</summary>
    private static readonly double[] Beginnings = [1, 0.35, 0.6, 0.2];

    /// <summary>Pieces of more triangles than this are begun twice, or once.</summary>
    private const int Large = 6000, Huge = 40_000;

    /// <summary>What an island more costs, as a share of the side of a square as large as the piece.</summary>
    private const double IslandCost = 0.5;

    /// <summary>The charts, by their first triangle.</summary>
    /// <param name="threads">Threads to use.</param>
    /// <param name="done">Told what share of the work was done.</param>
    /// <param name="cancel">Ends the work early.</param>
    public IReadOnlyList<FlatChart> Run(int threads, Action<double> done, CancellationToken cancel)
    {
        int count = isQuick || piece.TriangleCount > Huge ? 1 : piece.TriangleCount > Large ? 2 : Beginnings.Length;
        var found = new List<FlatChart>[count];
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        Parallel.For(0, count, options, i =>
        {
            double limit = 1 + Beginnings[i] * (settings.StretchLimit - 1);
            found[i] = [.. ChartsOf().SelectMany(chart => FlattenAll(chart, limit, t => done(0.5 * t / piece.TriangleCount / count), cancel))
                .OrderBy(f => f.Chart.Triangles[0])];
            if (found[i].Count > 1 && !(isQuick && piece.TriangleCount > Large))
                found[i] = new IslandJoining(piece, found[i], plan.LocalOf, plan.CostsOf, settings, longestMetres).Run(threads, cancel);
            done(0.5 / count);
        });
        var best = found.MinBy(Cost)!;
        if (!isQuick)
            best = new SeamStraightening(piece, best, plan.LocalOf, plan.CostsOf, settings, longestMetres).Run(cancel);
        return [.. best.Select(Opened)];
    }

    private FlatChart Opened(FlatChart flat) => settings.Straighten ? OpenRing(flat, settings.StretchLimit, plan.CostsOf) ?? flat : flat;

    private double Cost(List<FlatChart> charts)
    {
        double sum = IslandCost * Math.Sqrt(piece.Area) * charts.Count;
        foreach (var flat in charts)
        {
            float[] costs = plan.CostsOf(flat.Chart);
            for (int c = 0; c < costs.Length; c++)
                sum += flat.Chart.Across[c] < 0 ? costs[c] / 2 : 0;
        }
        return sum;
    }

    /// <summary>The charts a piece falls into at sharp edges; itself where that is one.</summary>
    private List<ChartMesh> ChartsOf()
    {
        var cut = piece.Part([.. Enumerable.Range(0, piece.TriangleCount)], c => plan.IsSoft(piece, c));
        var charts = cut.Pieces(new int[cut.TriangleCount]);
        return charts.Count == 1 ? [piece] : [.. charts.Select(c => piece.Part(c))];
    }

    private List<FlatChart> FlattenAll(ChartMesh chart, double limit, Action<double> done, CancellationToken cancel)
    {
        var flat = new List<FlatChart>();
        var open = new Stack<ChartMesh>();
        open.Push(chart);
        while (open.TryPop(out var next))
        {
            cancel.ThrowIfCancellationRequested();
            if (TooCurved(next, settings))
            {
                PushAll(open, ChartSplit.InTwo(next, plan.CostsOf(next), cancel));
                continue;
            }
            var result = Flattening.Flatten(next, plan.CostsOf, cancel);
            if (result is null || (result.Stretch.Most > limit && next.TriangleCount > 2))
            {
                PushAll(open, ChartSplit.InTwo(next, plan.CostsOf(next), cancel));
                continue;
            }
            result = Opened(result);
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
}
