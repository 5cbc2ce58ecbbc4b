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
        around = Around(chart.Corners, chart.Across, chart.VertexCount);
    }

    /// <summary>For each vertex one half-edge of every edge that ends there; null where there is none.</summary>
    /// <param name="vertices">Vertex of each corner.</param>
    /// <param name="across">For each half-edge the one across; negative where there is none.</param>
    /// <param name="count">How many vertices there are.</param>
    public static List<int>[] Around(int[] vertices, int[] across, int count)
    {
        var around = new List<int>[count];
        for (int c = 0; c < vertices.Length; c++)
        {
            if (across[c] >= 0 && across[c] < c)
                continue;
            (around[vertices[c]] ??= []).Add(c);
            (around[vertices[Topology.Next(c)]] ??= []).Add(c);
        }
        return around;
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
