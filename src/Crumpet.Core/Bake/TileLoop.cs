namespace Crumpet.Core.Bake;

/// <summary>Works through tiles on several threads, each with arrays of its own that it fills again and again.</summary>
internal static class TileLoop
{
    /// <summary>Works through all tiles, in no order.</summary>
    /// <param name="count">How many tiles.</param>
    /// <param name="make">Makes a thread's arrays.</param>
    /// <param name="work">Works one tile, by its number.</param>
    /// <param name="threads">Threads to use.</param>
    /// <param name="cancel">Ends the work between tiles.</param>
    public static void Run<T>(int count, Func<T> make, Action<int, T> work, int threads, CancellationToken cancel)
        where T : IDisposable
    {
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        Parallel.For(0, count, options, make, (i, _, scratch) =>
        {
            work(i, scratch);
            return scratch;
        }, scratch => scratch.Dispose());
    }
}
