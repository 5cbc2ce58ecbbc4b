using System.Collections.Concurrent;
using Crumpet.Core.Imaging;
using Crumpet.Storage;

namespace Crumpet.Web.Pictures;

/// <summary>Makes small pictures of large ones, a few at a time, and keeps the latest.</summary>
public sealed class ThumbnailService(FileStore store, PixelAllowance allowance) : IDisposable
{
    // A ledger's page of them, many times over; each is a few kilobytes.
    private const int MostKept = 2000;

    private readonly ConcurrentDictionary<(string, int), byte[]> kept = new();
    private readonly SemaphoreSlim making = new(2);

    /// <summary>Whether a side is one that is made, pixels.</summary>
    public static bool IsSide(int side) => side is >= 16 and <= 1024;

    /// <summary>The bytes of a PNG file.</summary>
    /// <param name="sha256">Hash of the picture in the store.</param>
    /// <param name="name">Its name, for messages.</param>
    /// <param name="side">Longest side, pixels.</param>
    /// <param name="cancel">Ends the wait early.</param>
    /// <exception cref="Core.SourceFileException">It is no picture.</exception>
    public async Task<byte[]> MakeAsync(string sha256, string name, int side, CancellationToken cancel)
    {
        if (kept.TryGetValue((sha256, side), out byte[]? known))
            return known;
        await making.WaitAsync(cancel);
        try
        {
            byte[] bytes = store.Load(sha256);
            using var room = await allowance.TakeAsync(ImageFile.BytesForThumbnail(bytes, name), cancel);
            byte[] made = await Task.Run(() => ImageFile.Thumbnail(bytes, name, side), cancel);
            if (kept.Count >= MostKept)
                kept.Clear();
            return kept[(sha256, side)] = made;
        }
        finally
        {
            making.Release();
        }
    }

    /// <inheritdoc/>
    public void Dispose() => making.Dispose();
}
