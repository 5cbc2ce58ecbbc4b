namespace Crumpet.Core.Imaging;

/// <summary>How far two pictures of one size are apart, as shares of full scale.</summary>
/// <param name="Psnr">Peak signal to noise ratio over all compared channels, dB; null where nothing differs.</param>
/// <param name="ChannelPsnr">The same for R, G, B and, where one picture is not opaque, alpha: an alpha of 1 throughout would only flatter the number.</param>
/// <param name="Greatest">Largest difference of a value.</param>
/// <param name="DifferentTexels">Texels with any difference.</param>
public sealed record PictureDifference(double? Psnr, IReadOnlyList<double?> ChannelPsnr, float Greatest, long DifferentTexels)
{
    /// <summary>Compares two pictures value by value. Grey stands for all three colours; a missing alpha is 1.</summary>
    /// <returns>The difference, or null where their sizes differ.</returns>
    public static PictureDifference? Measure(Bitmap a, Bitmap b, int threads, CancellationToken cancel)
    {
        if (a.Width != b.Width || a.Height != b.Height)
            return null;
        int channels = a.Channels is 2 or 4 || b.Channels is 2 or 4 ? 4 : 3;
        var squares = new double[a.Height, channels];
        var greatest = new float[a.Height];
        var different = new int[a.Height];
        var seeThrough = new bool[a.Height];
        Parallel.For(0, a.Height, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, y =>
        {
            for (int x = 0; x < a.Width; x++)
            {
                bool same = true;
                seeThrough[y] |= channels == 4 && (Value(a, x, y, 3) != 1 || Value(b, x, y, 3) != 1);
                for (int c = 0; c < channels; c++)
                {
                    float d = MathF.Abs(Value(a, x, y, c) - Value(b, x, y, c));
                    if (d == 0)
                        continue;
                    same = false;
                    squares[y, c] += (double)d * d;
                    greatest[y] = MathF.Max(greatest[y], d);
                }
                if (!same)
                    different[y]++;
            }
        });
        if (!seeThrough.Contains(true))
            channels = 3;
        double texels = (double)a.Width * a.Height;
        // Rows are summed in order, so that the thread count never shows.
        var sums = Enumerable.Range(0, channels).Select(c => Enumerable.Range(0, a.Height).Sum(y => squares[y, c])).ToArray();
        return new PictureDifference(Decibels(sums.Sum() / (texels * channels)), [.. sums.Select(s => Decibels(s / texels))], greatest.Max(),
            different.Sum(d => (long)d));
    }

    private static double? Decibels(double meanSquare) => meanSquare > 0 ? -10 * Math.Log10(meanSquare) : null;

    private static float Value(Bitmap picture, int x, int y, int channel) => channel == 3
        ? picture.Channels is 2 or 4 ? picture.Unit(x, y, picture.Channels - 1) : 1
        : picture.Unit(x, y, picture.Channels < 3 ? 0 : channel);
}
