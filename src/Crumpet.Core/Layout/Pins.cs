using System.Numerics;

namespace Crumpet.Core.Layout;

/// <summary>Lays islands out around vertices that are held on the sheet.</summary>
internal static class Pins
{
    private const int MostMoves = 60;

    /// <summary>A pin that comes this near to its place has reached it, tiles.</summary>
    private const double Reached = 1e-6;

    /// <summary>Lays every island with two pins or more out around them; from then on it stays where it is.</summary>
    /// <param name="input">What is laid out.</param>
    /// <param name="islands">Islands; those with pins are replaced.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>Pins that do not hold what they are meant to.</returns>
    public static LayoutShortfalls Hold(LayoutInput input, List<UvIsland> islands, CancellationToken cancel)
    {
        if (input.Settings.Pins.Count == 0)
            return new LayoutShortfalls();
        List<string> single = [], unreached = [];
        for (int i = 0; i < islands.Count; i++)
        {
            var island = islands[i];
            if (island.HeldAs is not null)
                continue;
            string name = input.Objects[island.Object].Mesh.Name;
            UvPin[] pins = [.. input.Settings.Pins.Where(p => p.ObjectName == name)];
            // An island is locked by pins that lie in it both; one that only shares a vertex on a seam with it is none of their business.
            var locks = Targets(island.Flat.Chart, pins.Where(p => p.Locks));
            if (locks.Count > 1)
            {
                islands[i] = Held(island, island.Flat with { Uv = Fitted(island.Flat.Uv, locks, out _) });
                islands[i].Sheet = SheetOf(island.Flat.Chart, pins);
                continue;
            }
            var targets = Targets(island.Flat.Chart, pins.Where(p => !p.Locks));
            if (targets.Count == 0)
                continue;
            if (targets.Count == 1)
            {
                single.Add(name);
                continue;
            }
            var (flat, isReached) = Around(island.Flat, targets, cancel);
            if (!isReached)
                unreached.Add(name);
            islands[i] = Held(island, flat);
        }
        return new LayoutShortfalls { SinglePins = single, UnreachedPins = unreached };
    }

    private static int SheetOf(ChartMesh chart, UvPin[] pins) => pins.First(p => p.Locks && Array.IndexOf(chart.Positions, p.Vertex.At) >= 0).Sheet;

    private static UvIsland Held(UvIsland island, FlatChart flat) =>
        new() { Object = island.Object, Part = island.Part, Flat = flat, IsKept = false, IsLocked = true };

    private static SortedDictionary<int, (double U, double V)> Targets(ChartMesh chart, IEnumerable<UvPin> pins)
    {
        var targets = new SortedDictionary<int, (double U, double V)>();
        foreach (var pin in pins)
        {
            // A vertex on a seam is pinned in every island it belongs to, once in each.
            int vertex = Array.IndexOf(chart.Positions, pin.Vertex.At);
            if (vertex >= 0)
                targets[vertex] = (pin.U, pin.V);
        }
        return targets;
    }

    /// <summary>The chart around its pins, in tiles, and whether they are all where they should be.</summary>
    private static (FlatChart Flat, bool IsReached) Around(FlatChart flat, SortedDictionary<int, (double U, double V)> targets, CancellationToken cancel)
    {
        var chart = flat.Chart;
        double[] uv = Fitted(flat.Uv, targets, out double scale);
        // Newton's method is at home where a metre of surface is about a unit.
        for (int k = 0; k < uv.Length; k++)
            uv[k] /= scale;
        var isPinned = new bool[chart.VertexCount];
        foreach (int v in targets.Keys)
            isPinned[v] = true;
        var graph = new VertexGraph(chart);
        var minimiser = new SymmetricDirichlet(chart, graph, new BlockCholesky(graph, cancel), isPinned);
        var loops = chart.Loops();
        var step = new double[uv.Length];
        bool startsWell = StartingMap.IsUnturned(chart, uv), isReached = false;
        for (int i = 0; i < MostMoves && startsWell && !isReached; i++)
        {
            cancel.ThrowIfCancellationRequested();
            double farthest = 0;
            foreach (var (v, (tu, tv)) in targets)
            {
                (step[2 * v], step[2 * v + 1]) = (tu / scale - uv[2 * v], tv / scale - uv[2 * v + 1]);
                farthest = Math.Max(farthest, Math.Max(Math.Abs(step[2 * v]), Math.Abs(step[2 * v + 1])) * scale);
            }
            isReached = farthest < Reached;
            double length = Math.Min(1, 0.7 * SymmetricDirichlet.LongestStep(chart, uv, step));
            double[] moved = [.. uv.Select((at, k) => at + length * step[k])];
            minimiser.Minimise(moved, cancel);
            if (!StartingMap.IsUnturned(chart, moved) || !BorderCrossing.IsSingle(chart, moved, loops))
                break;
            uv = moved;
        }
        for (int k = 0; k < uv.Length; k++)
            uv[k] *= scale;
        return (new FlatChart(chart, uv, StretchMeasure.OfChart(chart, uv)), isReached);
    }

    /// <summary>The chart moved, turned and scaled so that its pinned vertices come nearest to their places.</summary>
    private static double[] Fitted(double[] uv, SortedDictionary<int, (double U, double V)> targets, out double scale)
    {
        var from = targets.Keys.Select(v => new Complex(uv[2 * v], uv[2 * v + 1])).ToArray();
        var to = targets.Values.Select(t => new Complex(t.U, t.V)).ToArray();
        Complex fromMiddle = from.Aggregate(Complex.Zero, (a, b) => a + b) / from.Length, toMiddle = to.Aggregate(Complex.Zero, (a, b) => a + b) / to.Length;
        var turn = Complex.Zero;
        double spread = 0;
        for (int i = 0; i < from.Length; i++)
        {
            turn += Complex.Conjugate(from[i] - fromMiddle) * (to[i] - toMiddle);
            spread += (from[i] - fromMiddle).Magnitude * (from[i] - fromMiddle).Magnitude;
        }
        turn = spread > 0 && turn.Magnitude > 1e-12 * spread ? turn / spread : Complex.One;
        scale = turn.Magnitude;
        var fitted = new double[uv.Length];
        for (int k = 0; k < uv.Length; k += 2)
        {
            var at = turn * (new Complex(uv[k], uv[k + 1]) - fromMiddle) + toMiddle;
            (fitted[k], fitted[k + 1]) = (at.Real, at.Imaginary);
        }
        return fitted;
    }
}
