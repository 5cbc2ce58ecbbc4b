namespace Crumpet.Core.Layout;

/// <summary>Draws the cheapest seam through a band of triangles between two sides.</summary>
internal static class CheapestSeam
{
    /// <summary>Decides the triangles of the band so that the edges between the sides cost least together.</summary>
    /// <remarks>
    /// A minimum cut of the dual graph is a maximum flow through it.
    /// Source: E. A. Dinic, "Algorithm for solution of a problem of maximum flow in networks with power estimation", 1970.
    /// </remarks>
    /// <param name="chart">Chart.</param>
    /// <param name="cost">What a seam costs on each half-edge.</param>
    /// <param name="label">Side of each triangle, 0 or 1; changed in the band.</param>
    /// <param name="isOpen">Triangles of the band.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static void Find(ChartMesh chart, float[] cost, int[] label, bool[] isOpen, CancellationToken cancel)
    {
        // Whole numbers, so that flows end exactly.
        double unit = 1e6 / Math.Sqrt(chart.Area);
        var room = new long[chart.Across.Length];
        for (int c = 0; c < room.Length; c++)
            room[c] = chart.Across[c] >= 0 && (isOpen[c / 3] || isOpen[chart.Across[c] / 3]) ? (long)(unit * Math.Min(cost[c], cost[chart.Across[c]])) + 1 : 0;
        var level = new int[chart.TriangleCount];
        var next = new int[chart.TriangleCount];
        var queue = new List<int>();
        while (Levels(chart, label, isOpen, room, level, queue))
        {
            for (int t = 0; t < next.Length; t++)
                next[t] = 3 * t;
            for (int t = 0; t < level.Length; t++)
            {
                if (level[t] != 0)
                    continue;
                cancel.ThrowIfCancellationRequested();
                Push(chart, label, isOpen, room, level, next, t);
            }
        }
        for (int t = 0; t < label.Length; t++)
        {
            if (isOpen[t])
                label[t] = level[t] >= 0 ? 0 : 1;
        }
    }

    /// <summary>Distance from side 0 over edges with room; whether side 1 is reached.</summary>
    private static bool Levels(ChartMesh chart, int[] label, bool[] isOpen, long[] room, int[] level, List<int> queue)
    {
        queue.Clear();
        for (int t = 0; t < level.Length; t++)
        {
            level[t] = !isOpen[t] && label[t] == 0 ? 0 : -1;
            if (level[t] == 0)
                queue.Add(t);
        }
        bool reached = false;
        for (int i = 0; i < queue.Count; i++)
        {
            for (int c = 3 * queue[i]; c < 3 * queue[i] + 3; c++)
            {
                if (room[c] <= 0 || level[chart.Across[c] / 3] >= 0)
                    continue;
                int other = chart.Across[c] / 3;
                level[other] = level[queue[i]] + 1;
                if (!isOpen[other] && label[other] == 1)
                    reached = true;
                else
                    queue.Add(other);
            }
        }
        return reached;
    }

    /// <summary>Sends flow from one triangle of side 0 along ways of rising level until there is none.</summary>
    private static void Push(ChartMesh chart, int[] label, bool[] isOpen, long[] room, int[] level, int[] next, int source)
    {
        var way = new Stack<int>();
        int at = source;
        while (true)
        {
            if (!isOpen[at] && label[at] == 1)
            {
                long least = way.Min(c => room[c]);
                foreach (int c in way)
                {
                    room[c] -= least;
                    room[chart.Across[c]] += least;
                }
                way.Clear();
                at = source;
                continue;
            }
            while (next[at] < 3 * at + 3 && (room[next[at]] <= 0 || level[chart.Across[next[at]] / 3] != level[at] + 1))
                next[at]++;
            if (next[at] < 3 * at + 3)
            {
                way.Push(next[at]);
                at = chart.Across[next[at]] / 3;
                continue;
            }
            if (way.Count == 0)
                return;
            at = way.Pop() / 3;
            next[at]++;
        }
    }
}
