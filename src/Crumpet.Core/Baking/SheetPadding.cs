namespace Crumpet.Core.Baking;

/// <summary>Grows islands into empty room by copying each empty texel from its nearest covered one, so that islands meet half way and never mix.</summary>
/// <remarks>Source: exact Euclidean distance in two separable passes, after Saito and Toriwaki, 1994, limited to the padding.</remarks>
internal static class SheetPadding
{
    /// <summary>For each texel the covered texel it shows: itself, its nearest within <paramref name="pixels"/>, or -1.</summary>
    public static int[] Sources(bool[] covered, int size, int pixels, int threads, CancellationToken cancel)
    {
        const int None = int.MaxValue;
        var nearestRow = new int[covered.Length];
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        Parallel.For(0, size, options, x =>
        {
            int last = None;
            for (int y = 0; y < size; y++)
            {
                if (covered[y * size + x])
                    last = y;
                nearestRow[y * size + x] = last;
            }
            last = None;
            for (int y = size - 1; y >= 0; y--)
            {
                if (covered[y * size + x])
                    last = y;
                int above = nearestRow[y * size + x];
                if (last != None && (above == None || last - y < y - above))
                    nearestRow[y * size + x] = last;
            }
        });
        var sources = new int[covered.Length];
        Parallel.For(0, size, options, y =>
        {
            for (int x = 0; x < size; x++)
            {
                int at = y * size + x;
                sources[at] = -1;
                if (covered[at])
                {
                    sources[at] = at;
                    continue;
                }
                int best = pixels * pixels + 1;
                for (int cx = Math.Max(0, x - pixels); cx <= Math.Min(size - 1, x + pixels); cx++)
                {
                    int row = nearestRow[y * size + cx];
                    if (row == None || Math.Abs(row - y) > pixels)
                        continue;
                    int distance = (row - y) * (row - y) + (cx - x) * (cx - x);
                    if (distance < best)
                        (best, sources[at]) = (distance, row * size + cx);
                }
            }
        });
        return sources;
    }

    /// <summary>Fills every texel that shows another one; texels that show none keep what they hold.</summary>
    public static void Apply<T>(int[] sources, T[] pixels, int channels)
    {
        for (int at = 0; at < sources.Length; at++)
            if (sources[at] >= 0 && sources[at] != at)
                Array.Copy(pixels, sources[at] * channels, pixels, at * channels, channels);
    }
}
