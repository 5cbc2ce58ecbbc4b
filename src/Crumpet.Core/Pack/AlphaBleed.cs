using Crumpet.Core.Bake;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>Gives transparent texels the colour of the nearest one that is not, so that filtering across the edge brings no fringe.</summary>
internal static class AlphaBleed
{
    /// <summary>Changes the colours of a picture whose last channel is opacity; the opacity stays as it is.</summary>
    /// <param name="picture">Two or four channels.</param>
    /// <param name="options">Threads, and what ends the work early.</param>
    public static void Apply(Bitmap picture, ParallelOptions options)
    {
        int alpha = picture.Channels - 1;
        var covered = new bool[picture.Width * picture.Height];
        for (int i = 0; i < covered.Length; i++)
            covered[i] = picture.Unit(i % picture.Width, i / picture.Width, alpha) > 0;
        int[] sources = SheetPadding.Sources(covered, picture.Width, picture.Height, -1, options.MaxDegreeOfParallelism, options.CancellationToken);
        switch (picture)
        {
            case Bitmap8 b:
                Bleed(sources, b.Pixels, picture.Channels);
                break;
            case Bitmap16 b:
                Bleed(sources, b.Pixels, picture.Channels);
                break;
            case Bitmap32 b:
                Bleed(sources, b.Pixels, picture.Channels);
                break;
        }
    }

    private static void Bleed<T>(int[] sources, T[] pixels, int channels)
    {
        for (int at = 0; at < sources.Length; at++)
        {
            if (sources[at] >= 0 && sources[at] != at)
                pixels.AsSpan(sources[at] * channels, channels - 1).CopyTo(pixels.AsSpan(at * channels));
        }
    }
}
