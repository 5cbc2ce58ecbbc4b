using Crumpet.Core.Geometry;

namespace Crumpet.Core.Layout;

/// <summary>Finds out whether a flat chart lies over itself.</summary>
internal static class BorderCrossing
{
    /// <summary>
    /// Whether a chart without turned triangles covers no point twice: its borders cross nowhere, and around no inner vertex
    /// do triangles run more than once.
    /// </summary>
    /// <param name="chart">Chart.</param>
    /// <param name="uv">Two numbers a vertex, no triangle turned over.</param>
    /// <param name="loops">Its borders.</param>
    public static bool IsSingle(ChartMesh chart, double[] uv, List<int[]> loops)
    {
        if (!OnceAround(chart, uv))
            return false;
        int[] border = [.. loops.SelectMany(l => l)];
        var grid = new SegmentGrid(border.Length, i => Ends(i));
        for (int i = 0; i < border.Length; i++)
        {
            var (a, b) = Ends(i);
            foreach (int j in grid.Near(a, b))
            {
                if (j <= i)
                    continue;
                int va = chart.Corners[border[i]], vb = chart.Corners[Topology.Next(border[i])], vc = chart.Corners[border[j]],
                    vd = chart.Corners[Topology.Next(border[j])];
                if (va == vc || va == vd || vb == vc || vb == vd)
                    continue;
                var (c, d) = Ends(j);
                if (Cross(a, b, c, d))
                    return false;
            }
        }
        // Holes lie inside the one outer border, so only one loop runs counter-clockwise.
        return loops.Count(l => SignedArea(chart, uv, l) > 0) == 1;

        ((double X, double Y) A, (double X, double Y) B) Ends(int i)
        {
            int a = 2 * chart.Corners[border[i]], b = 2 * chart.Corners[Topology.Next(border[i])];
            return ((uv[a], uv[a + 1]), (uv[b], uv[b + 1]));
        }
    }

    private static double SignedArea(ChartMesh chart, double[] uv, int[] loop)
    {
        double sum = 0;
        foreach (int c in loop)
        {
            int a = 2 * chart.Corners[c], b = 2 * chart.Corners[Topology.Next(c)];
            sum += uv[a] * uv[b + 1] - uv[a + 1] * uv[b];
        }
        return sum / 2;
    }

    private static bool OnceAround(ChartMesh chart, double[] uv)
    {
        var angles = new double[chart.VertexCount];
        for (int c = 0; c < chart.Corners.Length; c++)
        {
            int next = Topology.Next(c), v = 2 * chart.Corners[c], a = 2 * chart.Corners[next], b = 2 * chart.Corners[Topology.Next(next)];
            double ax = uv[a] - uv[v], ay = uv[a + 1] - uv[v + 1], bx = uv[b] - uv[v], by = uv[b + 1] - uv[v + 1];
            angles[chart.Corners[c]] += Math.Atan2(Math.Abs(ax * by - ay * bx), ax * bx + ay * by);
        }
        return Array.TrueForAll(angles, a => a < 2 * Math.PI + 1e-3);
    }

    /// <summary>Whether segments a b and c d cross inside both.</summary>
    public static bool Cross((double X, double Y) a, (double X, double Y) b, (double X, double Y) c, (double X, double Y) d)
    {
        double abc = Turn(a, b, c), abd = Turn(a, b, d), cda = Turn(c, d, a), cdb = Turn(c, d, b);
        return abc * abd < 0 && cda * cdb < 0;
    }

    private static double Turn((double X, double Y) a, (double X, double Y) b, (double X, double Y) c) => (b.X - a.X) * (c.Y - a.Y) - (b.Y - a.Y) * (c.X - a.X);
}

/// <summary>Segments of a plane in a raster of squares, found again by where they are.</summary>
internal sealed class SegmentGrid
{
    private const int MostCells = 1 << 20;
    private readonly double left, bottom, cell;
    private readonly int across, up;
    private readonly int[] starts;
    private readonly int[] segments;
    private readonly int[] seen;
    private int round;

    /// <summary>Sorts segments into the raster.</summary>
    /// <param name="count">How many.</param>
    /// <param name="ends">Both ends of each.</param>
    public SegmentGrid(int count, Func<int, ((double X, double Y) A, (double X, double Y) B)> ends)
    {
        double right = double.NegativeInfinity, top = double.NegativeInfinity, length = 0;
        left = bottom = double.PositiveInfinity;
        for (int i = 0; i < count; i++)
        {
            var (a, b) = ends(i);
            left = Math.Min(left, Math.Min(a.X, b.X));
            right = Math.Max(right, Math.Max(a.X, b.X));
            bottom = Math.Min(bottom, Math.Min(a.Y, b.Y));
            top = Math.Max(top, Math.Max(a.Y, b.Y));
            length += Math.Abs(a.X - b.X) + Math.Abs(a.Y - b.Y);
        }
        // Cells about as large as a segment, but never more than can be paid for.
        double size = Math.Max(Math.Max(right - left, top - bottom), 1e-30);
        cell = Math.Max(length / Math.Max(1, count), Math.Sqrt(Math.Max(right - left, 1e-30) * Math.Max(top - bottom, 1e-30) / MostCells));
        cell = Math.Max(cell, size / 4096);
        across = (int)((right - left) / cell) + 1;
        up = (int)((top - bottom) / cell) + 1;
        starts = new int[across * up + 1];
        for (int i = 0; i < count; i++)
            Visit(ends(i), at => starts[at + 1]++);
        for (int i = 0; i < across * up; i++)
            starts[i + 1] += starts[i];
        segments = new int[starts[^1]];
        var fill = starts.AsSpan(0, across * up).ToArray();
        for (int i = 0; i < count; i++)
            Visit(ends(i), at => segments[fill[at]++] = i);
        seen = new int[count];
    }

    /// <summary>Segments whose cells a segment's box meets, grown by a distance; each once.</summary>
    public IEnumerable<int> Near((double X, double Y) a, (double X, double Y) b, double around = 0)
    {
        round++;
        var (x0, y0, x1, y1) = Box(a, b, around);
        for (int y = y0; y <= y1; y++)
        {
            for (int x = x0; x <= x1; x++)
            {
                for (int i = starts[y * across + x]; i < starts[y * across + x + 1]; i++)
                {
                    if (seen[segments[i]] == round)
                        continue;
                    seen[segments[i]] = round;
                    yield return segments[i];
                }
            }
        }
    }

    private void Visit(((double X, double Y) A, (double X, double Y) B) ends, Action<int> visit)
    {
        var (x0, y0, x1, y1) = Box(ends.A, ends.B, 0);
        for (int y = y0; y <= y1; y++)
        {
            for (int x = x0; x <= x1; x++)
                visit(y * across + x);
        }
    }

    private (int X0, int Y0, int X1, int Y1) Box((double X, double Y) a, (double X, double Y) b, double around) => (
        Cell(Math.Min(a.X, b.X) - around - left, across), Cell(Math.Min(a.Y, b.Y) - around - bottom, up),
        Cell(Math.Max(a.X, b.X) + around - left, across), Cell(Math.Max(a.Y, b.Y) + around - bottom, up));

    private int Cell(double distance, int count) => Math.Clamp((int)Math.Floor(distance / cell), 0, count - 1);
}
