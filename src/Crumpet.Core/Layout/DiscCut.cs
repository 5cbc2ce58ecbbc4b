using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Cuts a chart with holes or handles open until it is a disc, along edges that cost least.</summary>
internal static class DiscCut
{
    /// <summary>The chart cut open to a disc.</summary>
    /// <param name="chart">Connected chart with a border.</param>
    /// <param name="loops">Its borders.</param>
    /// <param name="cost">What a cut costs, for each half-edge of the chart.</param>
    public static ChartMesh Open(ChartMesh chart, List<int[]> loops, float[] cost)
    {
        if (chart.EulerCharacteristic() + loops.Count == 2)
        {
            var joined = chart.Cut(JoinLoops(chart, loops, cost));
            if (joined.EulerCharacteristic() == 1)
                return joined;
        }
        return chart.Cut(CutGraph(chart, cost));
    }

    /// <summary>Cheapest ways from border to border, one after the other, until all hang together.</summary>
    private static bool[] JoinLoops(ChartMesh chart, List<int[]> loops, float[] cost)
    {
        var isCut = new bool[chart.Across.Length];
        var loopOf = new int[chart.VertexCount];
        Array.Fill(loopOf, -1);
        for (int i = 0; i < loops.Count; i++)
        {
            foreach (int c in loops[i])
                loopOf[chart.Corners[c]] = i;
        }
        var isJoined = new bool[loops.Count];
        isJoined[0] = true;
        var sources = new HashSet<int>(loops[0].Select(c => chart.Corners[c]));
        var paths = new EdgePaths(chart, cost);
        for (int left = loops.Count - 1; left > 0; left--)
        {
            var path = paths.Cheapest(sources, v => loopOf[v] >= 0 && !isJoined[loopOf[v]]);
            if (path.Count == 0)
                break;
            foreach (int c in path)
            {
                isCut[c] = true;
                sources.Add(chart.Corners[c]);
                sources.Add(chart.Corners[Topology.Next(c)]);
                if (chart.Across[c] >= 0)
                    isCut[chart.Across[c]] = true;
            }
            int reached = sources.Select(v => loopOf[v]).First(l => l >= 0 && !isJoined[l]);
            isJoined[reached] = true;
            sources.UnionWith(loops[reached].Select(c => chart.Corners[c]));
        }
        return isCut;
    }

    /// <summary>Glues triangles to one disc over the dearest edges, and leaves of the others only what parts it from itself.</summary>
    /// <remarks>Source: J. Erickson, S. Har-Peled, "Optimally Cutting a Surface into a Disk", 2004, section 4.</remarks>
    private static bool[] CutGraph(ChartMesh chart, float[] cost)
    {
        int[] inner = [.. Enumerable.Range(0, chart.Across.Length).Where(c => chart.Across[c] > c).OrderByDescending(c => cost[c]).ThenBy(c => c)];
        int[] parent = [.. Enumerable.Range(0, chart.TriangleCount)];
        var isCut = new bool[chart.Across.Length];
        var degree = new int[chart.VertexCount];
        var around = new List<int>[chart.VertexCount];
        for (int c = 0; c < chart.Across.Length; c++)
        {
            if (chart.Across[c] < 0)
                degree[chart.Corners[c]] = degree[chart.Corners[Topology.Next(c)]] = chart.Across.Length;
        }
        foreach (int c in inner)
        {
            int a = Topology.Root(parent, c / 3), b = Topology.Root(parent, chart.Across[c] / 3);
            if (a != b)
            {
                parent[Math.Max(a, b)] = Math.Min(a, b);
                continue;
            }
            isCut[c] = true;
            foreach (int v in (int[])[chart.Corners[c], chart.Corners[Topology.Next(c)]])
            {
                degree[v]++;
                (around[v] ??= []).Add(c);
            }
        }
        var ends = new Stack<int>(Enumerable.Range(0, chart.VertexCount).Where(v => degree[v] == 1));
        while (ends.TryPop(out int v))
        {
            int edge = (around[v] ?? []).Find(c => isCut[c]);
            if (degree[v] != 1 || !isCut[edge])
                continue;
            isCut[edge] = false;
            int a = chart.Corners[edge], b = chart.Corners[Topology.Next(edge)], other = a == v ? b : a;
            degree[v]--;
            if (--degree[other] == 1)
                ends.Push(other);
        }
        foreach (int c in inner)
        {
            if (isCut[c])
                isCut[chart.Across[c]] = true;
        }
        return isCut;
    }
}
