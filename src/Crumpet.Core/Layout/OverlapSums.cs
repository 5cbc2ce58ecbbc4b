namespace Crumpet.Core.Layout;

/// <summary>A rectangle of cells, the same on every sheet.</summary>
/// <param name="X">Its left column.</param>
/// <param name="Y">Its bottom row.</param>
/// <param name="Width">Cells across.</param>
/// <param name="Height">Cells up.</param>
internal readonly record struct PackWindow(int X, int Y, int Width, int Height);

/// <summary>How heavy the islands are that a mask would cover at any place within a window.</summary>
/// <remarks>Sums along each row: what lies under a run of a mask is the difference of two of them.</remarks>
/// <param name="sheets">How many sheets there are.</param>
internal sealed class OverlapSums(int sheets)
{
    private readonly int[][] sums = [.. Enumerable.Repeat<int[]>([], sheets)];
    private int only;

    /// <summary>The window; its columns and one more are a row of sums.</summary>
    public PackWindow Window { get; private set; }

    private int Stride => Window.Width + 1;

    private int Needed => Stride * Window.Height;

    /// <summary>Empties a window.</summary>
    /// <param name="window">Where places will be asked for.</param>
    /// <param name="sheet">The only sheet on which they will; -1 for any.</param>
    public void Begin(PackWindow window, int sheet)
    {
        (Window, only) = (window, sheet);
        for (int s = 0; s < sums.Length; s++)
        {
            if (Counts(s) && sums[s].Length < Needed)
                sums[s] = new int[Needed];
            else if (Counts(s))
                Array.Clear(sums[s], 0, Needed);
        }
    }

    /// <summary>Adds a mask where it lies; it may reach out of the window and over the sheet's edges.</summary>
    public void Add(PackPlace place, int weight)
    {
        var mask = place.Mask!;
        int x = place.X - Window.X, y = place.Y - Window.Y, to = Math.Min(mask.Height, Window.Height - y);
        if (!Counts(place.Sheet) || x >= Window.Width || x + mask.Width <= 0)
            return;
        int[] sum = sums[place.Sheet];
        for (int row = Math.Max(0, -y); row < to; row++)
        {
            int line = (y + row) * Stride;
            for (int r = mask.Starts[row]; r < mask.Starts[row + 1]; r += 2)
            {
                sum[line + Math.Clamp(x + mask.Runs[r], 0, Window.Width)] += weight;
                sum[line + Math.Clamp(x + mask.Runs[r + 1], 0, Window.Width)] -= weight;
            }
        }
    }

    /// <summary>Sums up; to be called once, after all were added.</summary>
    public void Finish()
    {
        for (int s = 0; s < sums.Length; s++)
        {
            for (int y = 0; y < Window.Height && Counts(s); y++)
            {
                // Changes become values, and values sums of all before them.
                int value = 0, total = 0;
                foreach (ref int at in sums[s].AsSpan(y * Stride, Stride))
                {
                    value += at;
                    (at, total) = (total, total + value);
                }
            }
        }
    }

    /// <summary>What a mask would cover at a place within the window; no less than the bar where it is no less.</summary>
    public long Under(PackPlace place, long bar)
    {
        var mask = place.Mask!;
        int[] sum = sums[place.Sheet];
        long covered = 0;
        foreach (int row in mask.CheckOrder)
        {
            int line = (place.Y - Window.Y + row) * Stride + place.X - Window.X;
            for (int r = mask.Starts[row]; r < mask.Starts[row + 1]; r += 2)
                covered += sum[line + mask.Runs[r + 1]] - sum[line + mask.Runs[r]];
            if (covered >= bar)
                return covered;
        }
        return covered;
    }

    private bool Counts(int sheet) => only < 0 || sheet == only;
}
