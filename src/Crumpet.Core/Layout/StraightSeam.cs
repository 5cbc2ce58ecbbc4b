using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Finds the straight way that a seam could take in place of the one it takes.</summary>
internal static class StraightSeam
{
    /// <summary>Seams of fewer edges are left as they are.</summary>
    public const int LeastEdges = 3;

    /// <summary>A way must cost less than this share of the seam that is there.</summary>
    private const float MostOfBefore = 0.98f;

    /// <summary>Places where ways around a ring begin, at most, and triangles that may be gone over for one of them.</summary>
    private const int MostStarts = 16, MostWork = 200_000;

    /// <summary>Half-edges of the way, in order; none where there is none that is straighter.</summary>
    /// <param name="open">Surface on which the seam lies, not cut along it but along all others.</param>
    /// <param name="cost">What a seam costs on each of its half-edges.</param>
    /// <param name="run">Half-edges of the seam, one after the other in either direction.</param>
    /// <param name="mayGlide">Whether the ends may move along the surface's borders.</param>
    public static List<int> Find(ChartMesh open, float[] cost, int[] run, bool mayGlide)
    {
        if (run.Length < LeastEdges || InOrder(open, run) is not { } before)
            return [];
        int from = open.Corners[before[0]], to = open.Corners[Topology.Next(before[^1])];
        var loops = open.Loops();
        bool isRing = loops.Count == 2 && open.EulerCharacteristic() == 0;
        if (from == to && !isRing)
            return [];
        var paths = new StraightPaths(open, cost);
        float most = MostOfBefore * paths.Cost(before, from == to);
        return from == to ? Around(open, cost, paths, loops, most)
            : mayGlide && isRing ? paths.Cheapest(Vertices(open, loops[0]), Vertices(open, loops[1]).Contains, most)
            : paths.Cheapest([from], v => v == to, most);
    }

    /// <summary>Half-edges of the straightest way across a chart from border to border; none where the border crosses the band not twice.</summary>
    /// <param name="chart">Chart with one border.</param>
    /// <param name="side">How far each triangle lies to either side; ways end within -1 to 1, and stray twice as far.</param>
    public static List<int> Across(ChartMesh chart, double[] side)
    {
        var loops = chart.Loops();
        int first = loops.Count == 1 ? Array.FindIndex(loops[0], c => Math.Abs(side[c / 3]) >= 1) : -1;
        if (first < 0)
            return [];
        // Stretches of the border within the band that come from one side and go to the other.
        var crossings = new List<HashSet<int>>();
        var stretch = new HashSet<int>();
        double last = 0;
        foreach (int c in loops[0][first..].Concat(loops[0][..(first + 1)]))
        {
            stretch.Add(chart.Corners[c]);
            if (Math.Abs(side[c / 3]) < 1)
                continue;
            if (last * side[c / 3] < 0)
                crossings.Add(stretch);
            (last, stretch) = (side[c / 3], [chart.Corners[Topology.Next(c)]]);
        }
        return crossings.Count == 2
            ? new StraightPaths(chart, chart.Lengths()).Cheapest(crossings[0], crossings[1].Contains, mayPass: c => Math.Abs(side[c / 3]) < 2) : [];
    }

    /// <summary>The way around a ring, the best of those that begin on the cheapest way across it.</summary>
    private static List<int> Around(ChartMesh ring, float[] cost, StraightPaths paths, List<int[]> loops, float most)
    {
        HashSet<int> one = Vertices(ring, loops[0]), two = Vertices(ring, loops[1]);
        var across = new EdgePaths(ring, cost).Cheapest(one, two.Contains);
        var isCut = new bool[ring.Across.Length];
        foreach (int c in across)
            isCut[c] = isCut[ring.Across[c]] = true;
        var disc = ring.Cut(isCut);
        var around = new StraightPaths(disc, cost);
        var best = new List<int>();
        int[] starts = [.. across.Where(c => !one.Contains(ring.Corners[c]) && !two.Contains(ring.Corners[c]))];
        int count = Math.Min(starts.Length, Math.Clamp(MostWork / ring.TriangleCount, 2, MostStarts));
        for (int i = 0; i < count; i++)
        {
            int c = starts[i * starts.Length / count], to = disc.Corners[Topology.Next(ring.Across[c])];
            var way = around.Cheapest([disc.Corners[c]], v => v == to, most);
            if (way.Count > 0 && paths.Cost(way, true) is var sum && sum < most)
                (best, most) = (way, sum);
        }
        return best;
    }

    private static HashSet<int> Vertices(ChartMesh chart, int[] loop) => [.. loop.Select(c => chart.Corners[c])];

    /// <summary>A run's half-edges each beginning where the one before ends; null where they do not follow each other.</summary>
    private static List<int>? InOrder(ChartMesh open, int[] run)
    {
        var ordered = new List<int>();
        int at = -1;
        for (int i = 0; i < run.Length; i++)
        {
            int begin = open.Corners[run[i]], end = open.Corners[Topology.Next(run[i])];
            bool isForward = i == 0 ? open.Corners[run[1]] == end || open.Corners[Topology.Next(run[1])] == end : begin == at;
            if (open.Across[run[i]] < 0 || (i > 0 && at != (isForward ? begin : end)))
                return null;
            ordered.Add(isForward ? run[i] : open.Across[run[i]]);
            at = isForward ? end : begin;
        }
        return ordered;
    }
}
