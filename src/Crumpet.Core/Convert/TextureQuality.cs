using Crumpet.Core.Imaging;

namespace Crumpet.Core.Convert;

/// <summary>How far a decoded texture is from its source, over the channels the format keeps and the source has.</summary>
/// <param name="Psnr">
/// Peak signal to noise ratio over those channels, dB; null where nothing differs. Of high range: over the logarithms of the values, whose peak is the
/// span of the source's.
/// </param>
/// <param name="ChannelPsnr">The same for each channel the format keeps.</param>
/// <param name="WorstBlockPsnr">Of the worst 4 × 4 texels, dB.</param>
/// <param name="MeanAngleDegrees">For normals: mean angle between source and result, degrees.</param>
public sealed record TextureQuality(double? Psnr, IReadOnlyList<double?> ChannelPsnr, double? WorstBlockPsnr, double? MeanAngleDegrees)
{
    private const int Window = 8;

    /// <summary>For normals: the angle that 95 of 100 texels stay below, degrees.</summary>
    public double? Angle95Degrees { get; init; }

    /// <summary>For normals: the greatest angle, degrees.</summary>
    public double? WorstAngleDegrees { get; init; }

    /// <summary>
    /// For colours: structural similarity of luma, 1 where nothing differs (Z. Wang et al., "Image quality assessment", 2004; windows of 8 × 8).
    /// </summary>
    public double? Similarity { get; init; }

    /// <summary>Decodes level 0 and compares it with the picture it was made from.</summary>
    /// <param name="picture">The picture, as it was given.</param>
    /// <param name="texture">The texture, of the same size.</param>
    /// <param name="meaning">What the numbers mean.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static TextureQuality Measure(Bitmap picture, Texture texture, ColourMeaning meaning, CancellationToken cancel = default)
    {
        var source = TextureConverter.ToFour(picture);
        var decoded = BlockCodec.DecodeAny(texture.Level(0), texture.Width, texture.Height, texture.Format);
        var texels = new TexelComparison(source, decoded, texture.Format, meaning);
        int across = (source.Width + 3) / 4, channels = texels.Channels;
        var sums = new double[source.Height, channels];
        var blocks = new double[across * ((source.Height + 3) / 4)];
        Parallel.For(0, (source.Height + 3) / 4, new ParallelOptions { CancellationToken = cancel }, band =>
        {
            for (int y = 4 * band; y < Math.Min(4 * band + 4, source.Height); y++)
            {
                for (int x = 0; x < source.Width; x++)
                {
                    for (int c = texels.First(x, y); c < channels; c++)
                    {
                        float d = texels.Difference(x, y, c);
                        sums[y, c] += (double)d * d;
                        blocks[band * across + x / 4] += (double)d * d;
                    }
                }
            }
        });
        // Rows are summed in order, so that threads never show.
        double[] all = [.. Enumerable.Range(0, channels).Select(c => Enumerable.Range(0, source.Height).Sum(y => sums[y, c]))];
        double count = (double)source.Width * source.Height;
        var quality = new TextureQuality(Decibels(all.Sum() / (count * channels)), [.. all.Select(s => Decibels(s / count))],
            Decibels(blocks.Max() / (16 * channels)), null);
        return meaning == ColourMeaning.Normal ? quality.WithAngles(Angles(source, texels))
            : meaning == ColourMeaning.Srgb && channels >= 3 ? quality with { Similarity = Similar(source, decoded, cancel) } : quality;
    }

    /// <summary>Decibels of a mean square in codes of 255; null where it is 0.</summary>
    internal static double? Decibels(double meanSquare) => meanSquare > 0 ? 10 * Math.Log10(255 * 255 / meanSquare) : null;

    private TextureQuality WithAngles(float[] angles)
    {
        double sum = 0;
        foreach (float angle in angles)
            sum += angle;
        Array.Sort(angles);
        return this with
        {
            MeanAngleDegrees = sum / angles.Length,
            Angle95Degrees = angles[(int)(0.95 * (angles.Length - 1))],
            WorstAngleDegrees = angles[^1],
        };
    }

    private static float[] Angles(Bitmap source, TexelComparison texels)
    {
        var angles = new float[source.Width * source.Height];
        Parallel.For(0, source.Height, y =>
        {
            for (int x = 0; x < source.Width; x++)
                angles[y * source.Width + x] = texels.Angle(x, y);
        });
        return angles;
    }

    private static double Similar(Bitmap source, Bitmap decoded, CancellationToken cancel)
    {
        int across = Math.Max(1, source.Width / Window), down = Math.Max(1, source.Height / Window);
        var rows = new double[down];
        Parallel.For(0, down, new ParallelOptions { CancellationToken = cancel }, row =>
        {
            for (int column = 0; column < across; column++)
                rows[row] += Similar(source, decoded, column * Window, row * Window);
        });
        return rows.Sum() / ((double)across * down);
    }

    private static double Similar(Bitmap source, Bitmap decoded, int left, int top)
    {
        const double C1 = 0.01 * 0.01, C2 = 0.03 * 0.03;
        double a = 0, b = 0, aa = 0, bb = 0, ab = 0;
        int right = Math.Min(left + Window, source.Width), bottom = Math.Min(top + Window, source.Height), n = (right - left) * (bottom - top);
        for (int y = top; y < bottom; y++)
        {
            for (int x = left; x < right; x++)
            {
                double p = Luma(source, x, y), q = Luma(decoded, x, y);
                a += p;
                b += q;
                aa += p * p;
                bb += q * q;
                ab += p * q;
            }
        }
        (a, b) = (a / n, b / n);
        double va = aa / n - a * a, vb = bb / n - b * b, cov = ab / n - a * b;
        return (2 * a * b + C1) * (2 * cov + C2) / ((a * a + b * b + C1) * (va + vb + C2));
    }

    // Luma of BT.709.
    private static double Luma(Bitmap picture, int x, int y) =>
        0.2126 * picture.Unit(x, y, 0) + 0.7152 * picture.Unit(x, y, 1) + 0.0722 * picture.Unit(x, y, 2);
}
