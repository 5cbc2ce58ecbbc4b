using System.Numerics;

namespace Crumpet.Core.Imaging;

/// <summary>Corrections of pictures. Each gives a new picture of the same depth and leaves the old one as it is.</summary>
public static class PictureOps
{
    /// <summary>A picture from shares of full scale; floating point takes them as they are.</summary>
    /// <param name="width">Pixels a row.</param>
    /// <param name="height">Rows.</param>
    /// <param name="channels">1 to 4.</param>
    /// <param name="bits">8, 16 or 32.</param>
    /// <param name="units">Values, row by row, channels interleaved.</param>
    public static Bitmap FromUnits(int width, int height, int channels, int bits, float[] units) => bits switch
    {
        8 => new Bitmap8(width, height, channels, Array.ConvertAll(units, u => (byte)(Math.Clamp(u, 0, 1) * 255 + 0.5f))),
        16 => new Bitmap16(width, height, channels, Array.ConvertAll(units, u => (ushort)(Math.Clamp(u, 0, 1) * 65535 + 0.5f))),
        _ => new Bitmap32(width, height, channels, units),
    };

    /// <summary>All values as shares of full scale.</summary>
    public static float[] Units(Bitmap picture) => picture switch
    {
        Bitmap8 b => Array.ConvertAll(b.Pixels, v => v / 255f),
        Bitmap16 b => Array.ConvertAll(b.Pixels, v => v / 65535f),
        Bitmap32 b => (float[])b.Pixels.Clone(),
        _ => throw new ArgumentException("There is no such bitmap.", nameof(picture)),
    };

    /// <summary>The picture at another size, with the filter right for what its numbers mean.</summary>
    /// <param name="picture">Source.</param>
    /// <param name="width">New width, pixels.</param>
    /// <param name="height">New height, pixels.</param>
    /// <param name="meaning">Colours are filtered in linear light, normals as vectors.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <remarks>Source: separable Lanczos windowed sinc with three lobes, C. Duchon, "Lanczos Filtering in One and Two Dimensions", 1979.</remarks>
    public static Bitmap Resize(Bitmap picture, int width, int height, ColourMeaning meaning, CancellationToken cancel = default)
    {
        int channels = picture.Channels, colours = channels is 2 or 4 ? channels - 1 : channels;
        var values = Units(picture);
        bool isSrgb = meaning == ColourMeaning.Srgb && picture.Bits < 32;
        Each(values, channels, colours, v => isSrgb ? Srgb.ToLinear(v) : meaning == ColourMeaning.Normal ? 2 * v - 1 : v);
        values = Across(values, picture.Width, picture.Height, width, channels, cancel);
        values = Down(values, width, picture.Height, height, channels, cancel);
        if (meaning == ColourMeaning.Normal && colours == 3)
            Normalise(values, channels);
        Each(values, channels, colours, v => isSrgb ? Srgb.FromLinear(v) : meaning == ColourMeaning.Normal ? v * 0.5f + 0.5f : v);
        return FromUnits(width, height, channels, picture.Bits, values);
    }

    /// <summary>The picture without its last channel, where that is alpha.</summary>
    public static Bitmap DropAlpha(Bitmap picture)
    {
        if (picture.Channels is not (2 or 4))
            return picture;
        int kept = picture.Channels - 1;
        var units = Units(picture);
        var fewer = new float[units.Length / picture.Channels * kept];
        for (int i = 0; i < fewer.Length; i++)
            fewer[i] = units[i / kept * picture.Channels + i % kept];
        return FromUnits(picture.Width, picture.Height, kept, picture.Bits, fewer);
    }

    /// <summary>A normal map whose vectors all have length 1.</summary>
    public static Bitmap UnitNormals(Bitmap picture)
    {
        if (picture.Channels < 3)
            return picture;
        var values = Units(picture);
        Each(values, picture.Channels, 3, v => 2 * v - 1);
        Normalise(values, picture.Channels);
        Each(values, picture.Channels, 3, v => v * 0.5f + 0.5f);
        return FromUnits(picture.Width, picture.Height, picture.Channels, picture.Bits, values);
    }

    private static void Normalise(float[] values, int channels)
    {
        for (int i = 0; i + 2 < values.Length; i += channels)
        {
            var n = new Vector3(values[i], values[i + 1], values[i + 2]);
            n = n.LengthSquared() > 1e-12f ? Vector3.Normalize(n) : Vector3.UnitZ;
            (values[i], values[i + 1], values[i + 2]) = (n.X, n.Y, n.Z);
        }
    }

    private static void Each(float[] values, int channels, int colours, Func<float, float> change)
    {
        for (int i = 0; i < values.Length; i++)
        {
            if (i % channels < colours)
                values[i] = change(values[i]);
        }
    }

    private static float[] Across(float[] source, int width, int height, int newWidth, int channels, CancellationToken cancel)
    {
        if (width == newWidth)
            return source;
        var taps = Taps(width, newWidth);
        var result = new float[newWidth * height * channels];
        for (int y = 0; y < height; y++)
        {
            cancel.ThrowIfCancellationRequested();
            for (int x = 0; x < newWidth; x++)
            {
                var (first, weights) = taps[x];
                for (int c = 0; c < channels; c++)
                {
                    float sum = 0;
                    for (int k = 0; k < weights.Length; k++)
                        sum += weights[k] * source[(y * width + Math.Clamp(first + k, 0, width - 1)) * channels + c];
                    result[(y * newWidth + x) * channels + c] = sum;
                }
            }
        }
        return result;
    }

    private static float[] Down(float[] source, int width, int height, int newHeight, int channels, CancellationToken cancel)
    {
        if (height == newHeight)
            return source;
        var taps = Taps(height, newHeight);
        int row = width * channels;
        var result = new float[row * newHeight];
        for (int y = 0; y < newHeight; y++)
        {
            cancel.ThrowIfCancellationRequested();
            var (first, weights) = taps[y];
            var into = result.AsSpan(y * row, row);
            for (int k = 0; k < weights.Length; k++)
            {
                var from = source.AsSpan(Math.Clamp(first + k, 0, height - 1) * row, row);
                for (int i = 0; i < row; i++)
                    into[i] += weights[k] * from[i];
            }
        }
        return result;
    }

    /// <summary>For each new texel the first old one it takes from, and the weights; they sum to 1.</summary>
    private static (int First, float[] Weights)[] Taps(int from, int to)
    {
        double step = (double)from / to, stretch = Math.Max(1, step), reach = 3 * stretch;
        return [.. Enumerable.Range(0, to).Select(i =>
        {
            double centre = (i + 0.5) * step - 0.5;
            int first = (int)Math.Ceiling(centre - reach), last = (int)Math.Floor(centre + reach);
            var weights = Enumerable.Range(first, last - first + 1).Select(k => Lanczos((k - centre) / stretch)).ToArray();
            double sum = weights.Sum();
            return (first, weights.Select(w => (float)(w / sum)).ToArray());
        })];
    }

    private static double Lanczos(double x) =>
        Math.Abs(x) < 1e-9 ? 1 : Math.Abs(x) >= 3 ? 0 : 3 * Math.Sin(Math.PI * x) * Math.Sin(Math.PI * x / 3) / (Math.PI * Math.PI * x * x);
}
