using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Lays seams between islands anew along straight ways, where the islands stay within the stretch limit.</summary>
internal sealed class SeamStraightening
{
    /// <summary>All seams of the islands may become dearer by so much for one that is straight.</summary>
    private const double MostOfBorders = 1.05;

    private const int Passes = 2;

    private readonly ChartMesh whole;
    private readonly float[] cost;
    private readonly Func<ChartMesh, float[]> costsOf;
    private readonly UnwrapSettings settings;
    private readonly double longestMetres;
    private readonly int[] localOf;
    private readonly bool[] isCut;
    private readonly int[] islandOf;
    private readonly FlatChart[] islands;

    /// <summary>Prepares.</summary>
    /// <param name="whole">Surface as it is where nothing but what must be is cut.</param>
    /// <param name="flats">Its charts.</param>
    /// <param name="localOf">For each triangle of the object its number in the whole.</param>
    /// <param name="costsOf">What a seam costs on each half-edge of a part of it.</param>
    /// <param name="settings">How.</param>
    /// <param name="longestMetres">No island may become longer.</param>
    public SeamStraightening(
        ChartMesh whole, IReadOnlyList<FlatChart> flats, int[] localOf, Func<ChartMesh, float[]> costsOf, UnwrapSettings settings, double longestMetres)
    {
        (this.whole, this.localOf, this.costsOf, this.settings, this.longestMetres) = (whole, localOf, costsOf, settings, longestMetres);
        cost = costsOf(whole);
        isCut = new bool[whole.Across.Length];
        islandOf = new int[whole.TriangleCount];
        islands = [.. flats];
        for (int i = 0; i < islands.Length; i++)
            Put(i, islands[i]);
    }

    /// <summary>The islands, by their first triangle.</summary>
    /// <param name="cancel">Ends the work early.</param>
    public List<FlatChart> Run(CancellationToken cancel)
    {
        for (int pass = 0; pass < Passes; pass++)
        {
            bool changed = false;
            for (int one = 0; one < islands.Length; one++)
            {
                for (int two = one; two < islands.Length; two++)
                {
                    // What is changed changes the runs that follow.
                    for (int k = 0; RunsBetween(one, two) is var runs && k < runs.Count; k++)
                        changed |= Straighten(one, two, runs[k], cancel);
                }
            }
            if (!changed)
                break;
        }
        return [.. islands.OrderBy(i => i.Chart.Triangles[0])];
    }

    private void Put(int number, FlatChart flat)
    {
        islands[number] = flat;
        for (int c = 0; c < flat.Chart.Across.Length; c++)
        {
            int own = InWhole(flat.Chart, c);
            isCut[own] = flat.Chart.Across[c] < 0;
            islandOf[own / 3] = number;
        }
    }

    private List<int[]> RunsBetween(int one, int two)
    {
        var edges = new List<int>();
        foreach (int triangle in islands[one].Chart.Triangles)
        {
            for (int c = 3 * localOf[triangle]; c < 3 * localOf[triangle] + 3; c++)
            {
                int other = whole.Across[c];
                if (isCut[c] && other >= 0 && islandOf[other / 3] == two && (one != two || c < other))
                    edges.Add(c);
            }
        }
        return edges.Count < StraightSeam.LeastEdges ? [] : SeamRuns.Of(whole, edges, cost);
    }

    /// <summary>Lays one seam anew; whether that was better.</summary>
    private bool Straighten(int one, int two, int[] run, CancellationToken cancel)
    {
        cancel.ThrowIfCancellationRequested();
        if (run.Length < StraightSeam.LeastEdges)
            return false;
        int[] triangles = [.. Enumerable.Range(0, whole.TriangleCount).Where(t => islandOf[t] == one || islandOf[t] == two)];
        var own = new HashSet<int>(run.Concat(run.Select(c => whole.Across[c])));
        bool isLoop = run.SelectMany(c => new[] { whole.Corners[c], whole.Corners[Topology.Next(c)] }).GroupBy(v => v).All(v => v.Count() == 2);
        // Cuts inside islands that a ring bounds are made anew from where it lies then.
        var open = whole.Part(triangles, c => isCut[c] && !own.Contains(c) && !(isLoop && islandOf[c / 3] == islandOf[whole.Across[c] / 3]));
        int InOpen(int c) => 3 * Array.BinarySearch(triangles, c / 3) + c % 3;
        var path = StraightSeam.Find(open, costsOf(open), Array.ConvertAll(run, InOpen), one == two);
        if (path.Count == 0)
            return false;
        var cuts = new HashSet<int>(path.Concat(path.Select(c => open.Across[c])));
        var parted = open.Part([.. Enumerable.Range(0, open.TriangleCount)], cuts.Contains);
        var pieces = parted.Pieces(new int[parted.TriangleCount]);
        if (pieces.Count != (one == two ? 1 : 2))
            return false;
        var flats = new FlatChart[pieces.Count];
        double limit = Math.Max(settings.StretchLimit, Math.Max(islands[one].Stretch.Most, islands[two].Stretch.Most));
        for (int i = 0; i < flats.Length; i++)
        {
            if (Flattening.Within(parted.Part(pieces[i]), limit, costsOf, cancel) is not { } flat || !IsShort(flat))
                return false;
            flats[i] = flat;
        }
        if (flats.Sum(f => BorderOf(f.Chart)) > MostOfBorders * (BorderOf(islands[one].Chart) + (one == two ? 0 : BorderOf(islands[two].Chart))))
            return false;
        Put(one, flats[0]);
        Put(two, flats[^1]);
        return true;
    }

    private int InWhole(ChartMesh part, int corner) => 3 * localOf[part.Triangles[corner / 3]] + corner % 3;

    private double BorderOf(ChartMesh chart)
    {
        double sum = 0;
        for (int c = 0; c < chart.Across.Length; c++)
            sum += chart.Across[c] < 0 ? cost[InWhole(chart, c)] : 0;
        return sum;
    }

    private bool IsShort(FlatChart flat) => double.IsInfinity(longestMetres) || IslandTurns.LeastBox(flat.Shape()).Length <= longestMetres;
}
