namespace Crumpet.Core.Layout;

/// <summary>Collects which cells of a raster convex shapes touch, row by row.</summary>
/// <param name="width">Cells across.</param>
/// <param name="height">Cells up.</param>
internal sealed class RowRuns(int width, int height)
{
    private readonly List<(int Row, int From, int To)> runs = [];

    /// <summary>Every cell whose square a triangle meets.</summary>
    public void AddTriangle(ReadOnlySpan<double> xy)
    {
        double bottom = Math.Min(xy[1], Math.Min(xy[3], xy[5])), top = Math.Max(xy[1], Math.Max(xy[3], xy[5]));
        for (int row = Row(bottom); row <= Row(top); row++)
        {
            double least = double.PositiveInfinity, most = double.NegativeInfinity;
            for (int i = 0; i < 3; i++)
            {
                int j = 2 * ((i + 1) % 3);
                Clip(xy[2 * i], xy[2 * i + 1], xy[j], xy[j + 1], row, ref least, ref most);
            }
            Add(row, least, most);
        }
    }

    /// <summary>Every cell whose square lies nearer to a segment than the radius.</summary>
    public void AddCapsule(double ax, double ay, double bx, double by, double radius)
    {
        double length = Math.Sqrt((bx - ax) * (bx - ax) + (by - ay) * (by - ay));
        // The segment moved out to either side; what remains is a disc at each end.
        double nx = length > 0 ? radius * (ay - by) / length : 0, ny = length > 0 ? radius * (bx - ax) / length : 0;
        for (int row = Row(Math.Min(ay, by) - radius); row <= Row(Math.Max(ay, by) + radius); row++)
        {
            double least = double.PositiveInfinity, most = double.NegativeInfinity;
            Disc(ax, ay, radius, row, ref least, ref most);
            Disc(bx, by, radius, row, ref least, ref most);
            Clip(ax + nx, ay + ny, bx + nx, by + ny, row, ref least, ref most);
            Clip(ax - nx, ay - ny, bx - nx, by - ny, row, ref least, ref most);
            Add(row, least, most);
        }
    }

    /// <summary>Every cell whose middle closed borders run around.</summary>
    /// <param name="segments">Both ends of each segment, four numbers a segment.</param>
    public void AddInside(double[] segments)
    {
        var crossings = new List<(int Row, double X, int Turn)>();
        for (int i = 0; i < segments.Length; i += 4)
        {
            double ax = segments[i], ay = segments[i + 1], bx = segments[i + 2], by = segments[i + 3];
            int turn = ay < by ? 1 : -1;
            // Rows whose middle lies from the lower end, which counts, to the upper, which does not.
            int first = Math.Max(0, (int)Math.Ceiling(Math.Min(ay, by) - 0.5)), last = Math.Min(height - 1, (int)Math.Ceiling(Math.Max(ay, by) - 0.5) - 1);
            for (int row = first; row <= last; row++)
                crossings.Add((row, ax + (bx - ax) * ((row + 0.5 - ay) / (by - ay)), turn));
        }
        crossings.Sort();
        for (int i = 0, around = 0; i + 1 < crossings.Count; i++)
        {
            around += crossings[i].Turn;
            if (around == 0 || crossings[i].Row != crossings[i + 1].Row)
                continue;
            int from = Math.Max(0, (int)Math.Ceiling(crossings[i].X - 0.5)), to = Math.Min(width, (int)Math.Floor(crossings[i + 1].X - 0.5) + 1);
            if (from < to)
                runs.Add((crossings[i].Row, from, to));
        }
    }

    /// <summary>All cells as runs: where each row's begin, and from and to of each.</summary>
    public (int[] Starts, int[] Runs) Merged()
    {
        var counts = new int[height + 1];
        foreach (var run in runs)
            counts[run.Row + 1]++;
        for (int i = 0; i < height; i++)
            counts[i + 1] += counts[i];
        var sorted = new (int From, int To)[runs.Count];
        var fill = counts.AsSpan(0, height).ToArray();
        foreach (var (row, from, to) in runs)
            sorted[fill[row]++] = (from, to);
        var starts = new int[height + 1];
        var merged = new List<int>();
        for (int row = 0; row < height; row++)
        {
            var these = sorted.AsSpan(counts[row], counts[row + 1] - counts[row]);
            these.Sort();
            for (int i = 0; i < these.Length;)
            {
                var (from, to) = these[i++];
                while (i < these.Length && these[i].From <= to)
                    to = Math.Max(to, these[i++].To);
                merged.Add(from);
                merged.Add(to);
            }
            starts[row + 1] = merged.Count;
        }
        return (starts, [.. merged]);
    }

    private int Row(double y) => Math.Clamp((int)Math.Floor(y), 0, height - 1);

    private void Add(int row, double least, double most)
    {
        if (least > most)
            return;
        int from = Math.Clamp((int)Math.Floor(least), 0, width - 1), to = Math.Clamp((int)Math.Floor(most), from, width - 1);
        runs.Add((row, from, to + 1));
    }

    /// <summary>Widens an extent by what of a segment lies in a row.</summary>
    private static void Clip(double ax, double ay, double bx, double by, int row, ref double least, ref double most)
    {
        if (Math.Max(ay, by) < row || Math.Min(ay, by) > row + 1)
            return;
        double from = ax, to = bx;
        if (ay != by)
        {
            double s = (bx - ax) / (by - ay);
            from = ax + s * (Math.Clamp(ay, row, row + 1) - ay);
            to = ax + s * (Math.Clamp(by, row, row + 1) - ay);
        }
        least = Math.Min(least, Math.Min(from, to));
        most = Math.Max(most, Math.Max(from, to));
    }

    private static void Disc(double x, double y, double radius, int row, ref double least, ref double most)
    {
        double away = y < row ? row - y : y > row + 1 ? y - row - 1 : 0;
        if (away > radius)
            return;
        double half = Math.Sqrt(radius * radius - away * away);
        least = Math.Min(least, x - half);
        most = Math.Max(most, x + half);
    }
}
