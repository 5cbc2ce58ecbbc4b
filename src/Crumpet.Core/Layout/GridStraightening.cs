using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Lays charts that are a grid of quads, or a strip of them, out as rectangles with straight rows and columns.</summary>
internal static class GridStraightening
{
    private const int Unknown = int.MinValue;

    /// <summary>Rectangular positions, two numbers a vertex in metres, or null where the chart is no grid.</summary>
    /// <param name="chart">A disc.</param>
    public static double[]? Straighten(ChartMesh chart)
    {
        return Straighten(chart, Diagonals(chart)) ?? Straighten(chart, DiagonalsByOrder(chart));
    }

    private static double[]? Straighten(ChartMesh chart, int[]? diagonals)
    {
        if (diagonals is null)
            return null;
        var column = new int[chart.VertexCount];
        var row = new int[chart.VertexCount];
        Array.Fill(column, Unknown);
        if (!Number(chart, diagonals, column, row))
            return null;
        int left = column.Min(), bottom = row.Min(), columns = column.Max() - left, rows = row.Max() - bottom;
        if ((long)columns * rows * 2 != chart.TriangleCount || (long)(columns + 1) * (rows + 1) != chart.VertexCount)
            return null;
        double[] widths = new double[columns], heights = new double[rows];
        int[] widthCount = new int[columns], heightCount = new int[rows];
        for (int c = 0; c < chart.Corners.Length; c++)
        {
            if (diagonals[c / 3] == c)
                continue;
            int a = chart.Corners[c], b = chart.Corners[Topology.Next(c)];
            if (row[a] == row[b])
                Add(widths, widthCount, Math.Min(column[a], column[b]) - left, chart.Length(c));
            else
                Add(heights, heightCount, Math.Min(row[a], row[b]) - bottom, chart.Length(c));
        }
        double[] x = Sums(widths, widthCount), y = Sums(heights, heightCount);
        var uv = new double[2 * chart.VertexCount];
        for (int v = 0; v < chart.VertexCount; v++)
            (uv[2 * v], uv[2 * v + 1]) = (x[column[v] - left], y[row[v] - bottom]);
        return StartingMap.IsUnturned(chart, uv) ? uv : null;
    }

    /// <summary>
    /// For each triangle the half-edge it shares with the other half of its quad, which is the longest edge of both; null where some
    /// triangle has none.
    /// </summary>
    private static int[]? Diagonals(ChartMesh chart)
    {
        var diagonals = new int[chart.TriangleCount];
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            int longest = 3 * t;
            for (int c = 3 * t + 1; c < 3 * t + 3; c++)
            {
                if (chart.Length(c) > chart.Length(longest))
                    longest = c;
            }
            diagonals[t] = longest;
        }
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            int across = chart.Across[diagonals[t]];
            if (across < 0 || diagonals[across / 3] != across)
                return null;
        }
        return diagonals;
    }

    /// <summary>The same where triangles came quad by quad; in a ring's quads the longest edge is none of both.</summary>
    private static int[]? DiagonalsByOrder(ChartMesh chart)
    {
        var diagonals = new int[chart.TriangleCount];
        for (int t = 0; t < chart.TriangleCount; t++)
        {
            int other = t ^ 1, shared = Array.FindIndex(chart.Across, 3 * t, 3, a => a >= 0 && a / 3 == other);
            if (shared < 0 || chart.Triangles[t] / 2 != chart.Triangles[Math.Min(other, chart.TriangleCount - 1)] / 2)
                return null;
            diagonals[t] = shared;
        }
        return diagonals;
    }

    /// <summary>Numbers columns and rows quad by quad from the first; false where they disagree.</summary>
    private static bool Number(ChartMesh chart, int[] diagonals, int[] column, int[] row)
    {
        Span<int> quad = stackalloc int[4];
        ReadOnlySpan<int> stepX = [1, 0, -1, 0], stepY = [0, 1, 0, -1];
        var done = new bool[chart.TriangleCount];
        var queue = new Queue<(int Triangle, int Corner, int X, int Y, int Direction)>();
        // A half-edge of a quad's border with the grid position it begins at and the direction it runs in.
        queue.Enqueue((0, Topology.Next(diagonals[0]), 0, 0, 0));
        while (queue.TryDequeue(out var at))
        {
            if (done[at.Triangle])
                continue;
            quad[0] = at.Corner;
            for (int i = 1; i < 4; i++)
            {
                int next = Topology.Next(quad[i - 1]);
                quad[i] = diagonals[next / 3] == next ? Topology.Next(chart.Across[next]) : next;
            }
            int x = at.X, y = at.Y;
            for (int i = 0; i < 4; i++)
            {
                int direction = (at.Direction + i) % 4, v = chart.Corners[quad[i]];
                if (column[v] == Unknown)
                    (column[v], row[v]) = (x, y);
                else if ((column[v], row[v]) != (x, y))
                    return false;
                done[quad[i] / 3] = true;
                int nextX = x + stepX[direction], nextY = y + stepY[direction], across = chart.Across[quad[i]];
                if (across >= 0 && !done[across / 3])
                    queue.Enqueue((across / 3, across, nextX, nextY, (direction + 2) % 4));
                (x, y) = (nextX, nextY);
            }
        }
        return true;
    }

    private static void Add(double[] sums, int[] counts, int at, double value)
    {
        sums[at] += value;
        counts[at]++;
    }

    private static double[] Sums(double[] sums, int[] counts)
    {
        var places = new double[sums.Length + 1];
        for (int i = 0; i < sums.Length; i++)
            places[i + 1] = places[i] + sums[i] / Math.Max(1, counts[i]);
        return places;
    }
}
