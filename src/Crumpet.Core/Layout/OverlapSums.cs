using System.Numerics;

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
    /// <summary>More than this is as bad as any; so many rows can be added before sums must be held to it, however heavy islands are.</summary>
    private const int Enough = 1 << 29, RowsAtOnce = 8;

    private readonly int[][] sums = [.. Enumerable.Repeat<int[]>([], sheets)];
    private int[] along = [];
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
            // Vectors read over the end of the last row.
            if (Counts(s) && sums[s].Length < Needed + Vector<int>.Count)
                sums[s] = new int[Needed + Vector<int>.Count];
            else if (Counts(s))
                Array.Clear(sums[s], 0, Needed);
        }
        if (along.Length < window.Width + Vector<int>.Count)
            along = new int[window.Width + Vector<int>.Count];
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

    /// <summary>
    /// Where along a row of places, all within the window, a mask would cover least: the first of the least, or none that is less than the bar.
    /// </summary>
    /// <param name="mask">Mask.</param>
    /// <param name="sheet">Sheet.</param>
    /// <param name="x">The row's first place.</param>
    /// <param name="count">How many places there are.</param>
    /// <param name="y">The mask's lowest row.</param>
    /// <param name="bar">What the cost must be less than.</param>
    public (long Cost, int X)? LeastAlong(ShapeMask mask, int sheet, int x, int count, int y, long bar)
    {
        int wide = Vector<int>.Count, most = (int)Math.Min(bar, Enough);
        var cost = along.AsSpan(0, (count + wide - 1) / wide * wide);
        cost.Clear();
        // What lies past the last place is no place.
        cost[count..].Fill(Enough);
        int[] sum = sums[sheet];
        var held = new Vector<int>(Enough);
        for (int k = 0; k < mask.CheckOrder.Length; k++)
        {
            int row = mask.CheckOrder[k], line = (y - Window.Y + row) * Stride + x - Window.X;
            for (int r = mask.Starts[row]; r < mask.Starts[row + 1]; r += 2)
            {
                ReadOnlySpan<int> from = sum.AsSpan(line + mask.Runs[r]), to = sum.AsSpan(line + mask.Runs[r + 1]);
                for (int i = 0; i < cost.Length; i += wide)
                    (new Vector<int>(cost[i..]) + new Vector<int>(to[i..]) - new Vector<int>(from[i..])).CopyTo(cost[i..]);
            }
            if (k % RowsAtOnce < RowsAtOnce - 1)
                continue;
            var least = held;
            for (int i = 0; i < cost.Length; i += wide)
            {
                var here = Vector.Min(held, new Vector<int>(cost[i..]));
                here.CopyTo(cost[i..]);
                least = Vector.Min(least, here);
            }
            if (!Vector.LessThanAny(least, new Vector<int>(most)))
                return null;
        }
        int best = 0;
        for (int i = 1; i < count; i++)
        {
            if (cost[i] < cost[best])
                best = i;
        }
        return cost[best] < most ? (cost[best], x + best) : null;
    }

    private bool Counts(int sheet) => only < 0 || sheet == only;
}
