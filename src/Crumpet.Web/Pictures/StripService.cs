using System.Collections.Concurrent;
using Crumpet.Core.Imaging;
using Crumpet.Storage;

namespace Crumpet.Web.Pictures;

/// <summary>Makes small strips of single channels, the middle of a picture, and keeps the latest.</summary>
public sealed class StripService(FileStore store, PixelAllowance allowance) : IDisposable
{
    private const int Width = 64, Height = 20, MostKept = 4000;

    private readonly ConcurrentDictionary<(string, int), byte[]> kept = new();
    private readonly SemaphoreSlim making = new(2);

    /// <summary>The bytes of a PNG file in grey.</summary>
    /// <param name="sha256">Hash of the picture in the store.</param>
    /// <param name="channel">Number of the channel; one the picture does not have is its last.</param>
    /// <param name="cancel">Ends the wait early.</param>
    /// <exception cref="Core.SourceFileException">It is no picture.</exception>
    public async Task<byte[]> MakeAsync(string sha256, int channel, CancellationToken cancel)
    {
        if (kept.TryGetValue((sha256, channel), out byte[]? known))
            return known;
        await making.WaitAsync(cancel);
        try
        {
            if (kept.TryGetValue((sha256, channel), out known))
                return known;
            byte[] bytes = store.Load(sha256);
            using var room = await allowance.TakeAsync(ImageFile.BytesToRead(bytes, sha256[..12]), cancel);
            if (kept.Count >= MostKept)
                kept.Clear();
            // All channels at once: whoever shows one shows them all.
            foreach (var (c, strip) in await Task.Run(() => Strips(ImageFile.Read(bytes, sha256[..12])), cancel))
                kept[(sha256, c)] = strip;
            return kept[(sha256, channel)];
        }
        finally
        {
            making.Release();
        }
    }

    /// <inheritdoc/>
    public void Dispose() => making.Dispose();

    private static IEnumerable<(int Channel, byte[] Png)> Strips(Bitmap picture)
    {
        var small = PictureOps.Resize(picture, Width, Width, ColourMeaning.Linear, default);
        for (int c = 0; c < 4; c++)
        {
            int channel = Math.Min(c, small.Channels - 1);
            var strip = new Bitmap8(Width, Height, 1);
            var values = Enumerable.Range(0, Width * Height).Select(i => small.Unit(i % Width, (Width - Height) / 2 + i / Width, channel)).ToArray();
            // Floating point goes beyond 0 to 1: its strip runs from its least to its greatest.
            var (least, most) = small is Bitmap32 ? (values.Min(), values.Max()) : (0f, 1f);
            for (int i = 0; i < values.Length; i++)
                strip.Pixels[i] = (byte)Math.Clamp((int)((values[i] - least) / Math.Max(1e-12f, most - least) * 255 + 0.5f), 0, 255);
            yield return (c, ImageFile.WritePng(strip));
        }
    }
}
