namespace Crumpet.Core.Bake;

/// <summary>Grows islands into empty room by copying each empty texel from its nearest covered one, so that islands meet half way and never mix.</summary>
/// <remarks>
/// Source: exact Euclidean distance in two separable passes. A. Meijster et al., "A general algorithm for computing distance transforms in
/// linear time", 2000.
/// </remarks>
internal static class SheetPadding
{
    private const int None = int.MaxValue;
    private const int Chunk = 1 << 16;

    /// <summary>For each texel the covered texel it shows: itself, its nearest within <paramref name="pixels"/>, or -1.</summary>
    /// <param name="covered">Whether an island covers each texel, row by row.</param>
    /// <param name="size">Side of the sheet, pixels.</param>
    /// <param name="pixels">How far islands grow; negative for as far as there is room.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static int[] Sources(bool[] covered, int size, int pixels, int threads, CancellationToken cancel) =>
        Sources(covered, size, size, pixels, threads, cancel);

    /// <summary>The same for a picture that need not be square.</summary>
    public static int[] Sources(bool[] covered, int width, int height, int pixels, int threads, CancellationToken cancel)
    {
        var nearestRow = new int[covered.Length];
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        Parallel.For(0, width, options, x =>
        {
            int last = None;
            for (int y = 0; y < height; y++)
            {
                if (covered[y * width + x])
                    last = y;
                nearestRow[y * width + x] = last;
            }
            last = None;
            for (int y = height - 1; y >= 0; y--)
            {
                if (covered[y * width + x])
                    last = y;
                int above = nearestRow[y * width + x];
                if (last != None && (above == None || last - y < y - above))
                    nearestRow[y * width + x] = last;
            }
        });
        var sources = new int[covered.Length];
        long limit = pixels < 0 ? long.MaxValue : (long)pixels * pixels;
        Parallel.For(0, height, options, () => (Columns: new int[width], From: new int[width]), (y, _, hull) =>
        {
            FillRow(y, width, limit, nearestRow, sources, hull.Columns, hull.From);
            return hull;
        }, _ => { });
        return sources;
    }

    /// <summary>Finds the nearest covered texel of each texel of a row: the lower hull of one parabola a column.</summary>
    private static void FillRow(int y, int width, long limit, int[] nearestRow, int[] sources, int[] columns, int[] from)
    {
        int top = -1, row = y * width;
        for (int x = 0; x < width; x++)
        {
            if (nearestRow[row + x] == None)
                continue;
            int start = 0;
            while (top >= 0)
            {
                start = Overtakes(columns[top], x);
                if (start > from[top])
                    break;
                top--;
            }
            start = top < 0 ? 0 : start;
            if (start >= width)
                continue;
            top++;
            (columns[top], from[top]) = (x, start);
        }
        for (int x = width - 1; x >= 0; x--)
        {
            if (top < 0)
            {
                sources[row + x] = -1;
                continue;
            }
            int column = columns[top], near = nearestRow[row + column];
            long distance = (long)(near - y) * (near - y) + (long)(column - x) * (column - x);
            sources[row + x] = distance <= limit ? near * width + column : -1;
            if (x == from[top])
                top--;
        }

        // The first column where the right one's texel is strictly nearer.
        int Overtakes(int left, int right)
        {
            long a = nearestRow[row + left] - y, b = nearestRow[row + right] - y;
            long twice = 2L * (right - left), sum = (long)right * right - (long)left * left + b * b - a * a;
            long cut = sum >= 0 ? sum / twice : -((-sum + twice - 1) / twice);
            return (int)Math.Clamp(cut + 1, 0, width);
        }
    }

    /// <summary>Fills every texel that shows another one; texels that show none keep what they hold.</summary>
    public static void Apply<T>(int[] sources, T[] pixels, int channels, int threads, CancellationToken cancel)
    {
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        // Texels that are shown elsewhere are covered, and stay as they are.
        Parallel.For(0, (sources.Length + Chunk - 1) / Chunk, options, chunk =>
        {
            for (int at = chunk * Chunk; at < Math.Min(sources.Length, (chunk + 1) * Chunk); at++)
                if (sources[at] >= 0 && sources[at] != at)
                    for (int c = 0; c < channels; c++)
                        pixels[at * channels + c] = pixels[sources[at] * channels + c];
        });
    }
}
