using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Cheapest ways along the edges of a chart.</summary>
internal sealed class EdgePaths
{
    private readonly ChartMesh chart;
    private readonly float[] cost;
    private readonly List<int>[] around;

    /// <summary>Prepares for a chart.</summary>
    /// <param name="chart">Chart.</param>
    /// <param name="cost">What each half-edge costs.</param>
    public EdgePaths(ChartMesh chart, float[] cost)
    {
        this.chart = chart;
        this.cost = cost;
        around = new List<int>[chart.VertexCount];
        for (int c = 0; c < chart.Corners.Length; c++)
        {
            if (chart.Across[c] >= 0 && chart.Across[c] < c)
                continue;
            (around[chart.Corners[c]] ??= []).Add(c);
            (around[chart.Corners[Topology.Next(c)]] ??= []).Add(c);
        }
    }

    /// <summary>Half-edges of the cheapest way from any source to a vertex that will do; none where there is no way.</summary>
    /// <remarks>Source: E. W. Dijkstra, "A note on two problems in connexion with graphs", 1959.</remarks>
    public List<int> Cheapest(IEnumerable<int> sources, Func<int, bool> isGoal)
    {
        var paid = new float[chart.VertexCount];
        Array.Fill(paid, float.PositiveInfinity);
        var by = new int[chart.VertexCount];
        var queue = new PriorityQueue<int, (float Paid, int Vertex)>();
        foreach (int v in sources.Order())
        {
            paid[v] = 0;
            by[v] = -1;
            queue.Enqueue(v, (0, v));
        }
        var path = new List<int>();
        while (queue.TryDequeue(out int v, out var at))
        {
            if (at.Paid > paid[v])
                continue;
            if (isGoal(v))
            {
                for (; by[v] >= 0; v = Other(by[v], v))
                    path.Add(by[v]);
                return path;
            }
            foreach (int c in around[v] ?? [])
            {
                int other = Other(c, v);
                float next = at.Paid + cost[c];
                if (!(next < paid[other]))
                    continue;
                paid[other] = next;
                by[other] = c;
                queue.Enqueue(other, (next, other));
            }
        }
        return path;
    }

    private int Other(int corner, int vertex) => chart.Corners[corner] == vertex ? chart.Corners[Topology.Next(corner)] : chart.Corners[corner];
}
