using System.Numerics;
using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Cheapest ways along the inner edges of a chart where every turn costs too: straight rather than in steps.</summary>
internal sealed class StraightPaths
{
    /// <summary>What a turn costs against the edges it lies between, for a turn of one radian; it grows with the square.</summary>
    private const float TurnCost = 1;

    private readonly ChartMesh chart;
    private readonly float[] cost;

    /// <summary>For each half-edge its direction around the vertex where it begins, in turns; not a number where that lies on the border.</summary>
    private readonly float[] direction;

    /// <summary>For each vertex a half-edge that begins there; -1 on the border.</summary>
    private readonly int[] start;

    /// <summary>Prepares for a chart.</summary>
    /// <param name="chart">Chart.</param>
    /// <param name="cost">What each half-edge costs.</param>
    public StraightPaths(ChartMesh chart, float[] cost)
    {
        (this.chart, this.cost) = (chart, cost);
        direction = new float[chart.Across.Length];
        Array.Fill(direction, float.NaN);
        start = new int[chart.VertexCount];
        Array.Fill(start, int.MaxValue);
        for (int c = 0; c < chart.Across.Length; c++)
        {
            if (chart.Across[c] < 0)
                start[chart.Corners[c]] = start[chart.Corners[Topology.Next(c)]] = -1;
        }
        for (int c = 0; c < chart.Across.Length; c++)
        {
            if (start[chart.Corners[c]] != int.MaxValue)
                continue;
            start[chart.Corners[c]] = c;
            float sum = 0;
            foreach (int d in Around(c))
                direction[d] = sum += Angle(d);
            foreach (int d in Around(c))
                direction[d] = sum > 0 ? direction[d] / sum : 0;
        }
    }

    /// <summary>Half-edges of the cheapest way from any source to a vertex that will do, in order; none where there is no way.</summary>
    /// <remarks>Source: E. W. Dijkstra, "A note on two problems in connexion with graphs", 1959, over half-edges in place of vertices.</remarks>
    /// <param name="sources">Vertices, also of the border.</param>
    /// <param name="isGoal">Vertices that end a way, also of the border.</param>
    /// <param name="most">Ways that cost as much or more are none.</param>
    /// <param name="mayPass">Whether a way may go over a half-edge; null lets it over all.</param>
    public List<int> Cheapest(
        IEnumerable<int> sources, Func<int, bool> isGoal, float most = float.PositiveInfinity, Func<int, bool>? mayPass = null)
    {
        var paid = new float[chart.Across.Length];
        Array.Fill(paid, float.PositiveInfinity);
        var by = new int[chart.Across.Length];
        var queue = new PriorityQueue<int, (float Paid, int Edge)>();
        void Offer(int edge, float sum, int from)
        {
            if (chart.Across[edge] < 0 || !(sum < Math.Min(most, paid[edge])) || mayPass?.Invoke(edge) == false)
                return;
            (paid[edge], by[edge]) = (sum, from);
            queue.Enqueue(edge, (sum, edge));
        }
        var isSource = new HashSet<int>(sources);
        for (int c = 0; c < chart.Across.Length; c++)
        {
            if (isSource.Contains(chart.Corners[c]))
                Offer(c, cost[c], -1);
        }
        var path = new List<int>();
        while (queue.TryDequeue(out int c, out var at))
        {
            if (at.Paid > paid[c])
                continue;
            int end = chart.Corners[Topology.Next(c)];
            if (isGoal(end))
            {
                for (; c >= 0; c = by[c])
                    path.Add(c);
                path.Reverse();
                return path;
            }
            if (start[end] < 0 || isSource.Contains(end))
                continue;
            for (int d = Topology.Next(c); d != chart.Across[c]; d = Topology.Next(chart.Across[d]))
                Offer(d, at.Paid + cost[d] + Turn(c, d), c);
        }
        return path;
    }

    /// <summary>What a way costs, turns included.</summary>
    /// <param name="path">Half-edges, each beginning where the one before ends; ends and border vertices turn nothing.</param>
    /// <param name="isClosed">Whether it ends where it begins.</param>
    public float Cost(IReadOnlyList<int> path, bool isClosed)
    {
        float sum = isClosed ? Turn(path[^1], path[0]) : 0;
        for (int i = 0; i < path.Count; i++)
            sum += cost[path[i]] + (i > 0 ? Turn(path[i - 1], path[i]) : 0);
        return sum;
    }

    private float Turn(int before, int after)
    {
        float between = MathF.Abs(direction[after] - direction[chart.Across[before]]), turn = MathF.Tau * (between - 0.5f);
        return TurnCost * (cost[before] + cost[after]) / 2 * turn * turn;
    }

    /// <summary>The half-edges that begin where one does, one after the other.</summary>
    private IEnumerable<int> Around(int first)
    {
        int c = first;
        do
        {
            yield return c;
            c = Topology.Next(chart.Across[c]);
        } while (c != first);
    }

    private float Angle(int corner)
    {
        var at = chart.Positions[chart.Corners[corner]];
        var one = chart.Positions[chart.Corners[Topology.Next(corner)]] - at;
        var two = chart.Positions[chart.Corners[Topology.Next(Topology.Next(corner))]] - at;
        return MathF.Atan2(Vector3.Cross(one, two).Length(), Vector3.Dot(one, two));
    }
}
