using System.Numerics;

namespace Crumpet.Core.Imaging;

/// <summary>How smaller levels are filtered.</summary>
public enum MipFilter
{
    /// <summary>No smaller levels.</summary>
    None,

    /// <summary>The mean of what a texel covers.</summary>
    Box,

    /// <summary>A sinc with a Kaiser window over six texels: sharper than the mean and free of its blocks.</summary>
    Kaiser,

    /// <summary>A sinc with a Lanczos window of three lobes: sharpest; edges may ring a little.</summary>
    Sharp,
}

/// <summary>Which sides a texture may have.</summary>
public enum SideRule
{
    /// <summary>Those of its picture.</summary>
    Any,

    /// <summary>Powers of two, none longer than the picture's.</summary>
    PowersDown,

    /// <summary>Powers of two, none shorter than the picture's.</summary>
    PowersUp,
}

/// <summary>How a mip chain is made.</summary>
/// <param name="Filter">The filter.</param>
/// <param name="Meaning">What the numbers mean: colours are filtered in linear light, normals as vectors.</param>
public sealed record MipSettings(MipFilter Filter, ColourMeaning Meaning)
{
    /// <summary>Whether the picture goes on at its other side; otherwise its border is repeated.</summary>
    public bool Wraps { get; init; }

    /// <summary>Whether the share of texels whose alpha is a half and more is kept from level to level.</summary>
    public bool KeepsCoverage { get; init; }

    /// <summary>Normals whose spread a level's roughness takes up; null for none.</summary>
    public Bitmap? Normals { get; init; }
}

/// <summary>Smaller and smaller versions of a picture, down to one texel.</summary>
public static class MipChain
{
    private const float KaiserRadius = 3, KaiserAlpha = 4, HalfOpen = 0.5f;

    /// <summary>Level 0 is the picture itself, untouched; each further level is half as large, rounded down.</summary>
    /// <param name="source">Four channels.</param>
    /// <param name="meaning">How values are averaged.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static IReadOnlyList<Bitmap8> Build(Bitmap8 source, ColourMeaning meaning, CancellationToken cancel = default) =>
        [.. Build(source, new MipSettings(MipFilter.Box, meaning), 1, cancel).Cast<Bitmap8>()];

    /// <summary>Level 0 is the picture itself, untouched; each further level is filtered from it, not from the level above.</summary>
    /// <param name="source">Four channels.</param>
    /// <param name="settings">How.</param>
    /// <param name="threads">Threads to use; the result does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>Pictures of the source's kind: of bytes, or of numbers.</returns>
    public static IReadOnlyList<Bitmap> Build(Bitmap source, MipSettings settings, int threads, CancellationToken cancel)
    {
        var levels = new List<Bitmap> { source };
        if (settings.Filter == MipFilter.None || (source.Width == 1 && source.Height == 1))
            return levels;
        var values = ToLinear(source, settings.Meaning, threads, cancel);
        var normals = settings.Normals is { } n ? ToLinear(n, ColourMeaning.Normal, threads, cancel) : null;
        float coverage = settings.KeepsCoverage ? Coverage(values) : 0;
        for (var (width, height) = (source.Width, source.Height); width > 1 || height > 1;)
        {
            (width, height) = (Math.Max(1, width / 2), Math.Max(1, height / 2));
            var level = Resample(values, source.Width, source.Height, width, height, settings, threads, cancel);
            if (settings.KeepsCoverage)
                KeepCoverage(level, coverage);
            if (normals is not null)
                TakeUp(level, Resample(normals, settings.Normals!.Width, settings.Normals.Height, width, height, settings with { Filter = MipFilter.Box },
                    threads, cancel));
            levels.Add(FromLinear(level, width, height, settings.Meaning, source is Bitmap8, threads, cancel));
        }
        return levels;
    }

    /// <summary>The picture at another size, by the same rules.</summary>
    public static Bitmap Resize(Bitmap source, int width, int height, MipSettings settings, int threads, CancellationToken cancel) =>
        (source.Width, source.Height) == (width, height) ? source : FromLinear(
            Resample(ToLinear(source, settings.Meaning, threads, cancel), source.Width, source.Height, width, height, settings, threads, cancel), width, height,
            settings.Meaning, source is Bitmap8, threads, cancel);

    /// <summary>How many levels a picture of this size has.</summary>
    public static int Count(int width, int height) => BitOperations.Log2((uint)Math.Max(width, height)) + 1;

    /// <summary>Values as they are averaged: light, vectors, or plain numbers.</summary>
    internal static Vector4[] ToLinear(Bitmap source, ColourMeaning meaning, int threads, CancellationToken cancel)
    {
        var values = new Vector4[source.Width * source.Height];
        Parallel.For(0, source.Height, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, y =>
        {
            for (int x = 0; x < source.Width; x++)
            {
                int i = y * source.Width + x;
                if (source is Bitmap8 bytes && meaning == ColourMeaning.Srgb)
                {
                    var p = bytes.Pixels.AsSpan(4 * i, 4);
                    values[i] = new Vector4(Srgb.ToLinear(p[0]), Srgb.ToLinear(p[1]), Srgb.ToLinear(p[2]), p[3] / 255f);
                    continue;
                }
                var v = new Vector4(source.Unit(x, y, 0), source.Unit(x, y, 1), source.Unit(x, y, 2), source.Unit(x, y, 3));
                values[i] = meaning switch
                {
                    ColourMeaning.Srgb => new Vector4(Srgb.ToLinear(v.X), Srgb.ToLinear(v.Y), Srgb.ToLinear(v.Z), v.W),
                    ColourMeaning.Normal => new Vector4(v.X * 2 - 1, v.Y * 2 - 1, v.Z * 2 - 1, v.W),
                    _ => v,
                };
            }
        });
        return values;
    }

    private static Bitmap FromLinear(Vector4[] values, int width, int height, ColourMeaning meaning, bool isBytes, int threads, CancellationToken cancel)
    {
        byte[] bytes = isBytes ? new byte[4 * values.Length] : [];
        float[] numbers = isBytes ? [] : new float[4 * values.Length];
        Parallel.For(0, height, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, y =>
        {
            for (int i = y * width; i < (y + 1) * width; i++)
            {
                var v = values[i];
                if (meaning == ColourMeaning.Normal)
                {
                    var n = new Vector3(v.X, v.Y, v.Z);
                    n = n.LengthSquared() > 1e-12f ? Vector3.Normalize(n) : Vector3.UnitZ;
                    v = new Vector4(n * 0.5f + new Vector3(0.5f), v.W);
                }
                for (int c = 0; c < 4; c++)
                {
                    bool isColour = meaning == ColourMeaning.Srgb && c < 3;
                    if (isBytes)
                        bytes[4 * i + c] = isColour ? Srgb.ToByte(v[c]) : (byte)Math.Clamp((int)(v[c] * 255 + 0.5f), 0, 255);
                    else
                        numbers[4 * i + c] = isColour ? Srgb.FromLinear(v[c]) : v[c];
                }
            }
        });
        return isBytes ? new Bitmap8(width, height, 4, bytes) : new Bitmap32(width, height, 4, numbers);
    }

    private static Vector4[] Resample(Vector4[] values, int width, int height, int newWidth, int newHeight, MipSettings settings, int threads,
        CancellationToken cancel)
    {
        var options = new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel };
        var across = Taps.For(width, newWidth, settings.Filter, settings.Wraps);
        var down = Taps.For(height, newHeight, settings.Filter, settings.Wraps);
        var half = new Vector4[newWidth * height];
        Parallel.For(0, height, options, y =>
        {
            var row = values.AsSpan(y * width, width);
            for (int x = 0; x < newWidth; x++)
            {
                var sum = Vector4.Zero;
                foreach (var (from, weight) in across.Of(x))
                    sum += row[from] * weight;
                half[y * newWidth + x] = sum;
            }
        });
        var result = new Vector4[newWidth * newHeight];
        Parallel.For(0, newHeight, options, y =>
        {
            var row = result.AsSpan(y * newWidth, newWidth);
            foreach (var (from, weight) in down.Of(y))
            {
                var source = half.AsSpan(from * newWidth, newWidth);
                for (int x = 0; x < row.Length; x++)
                    row[x] += source[x] * weight;
            }
        });
        return result;
    }

    private static float Coverage(Vector4[] values) => (float)values.Count(v => v.W >= HalfOpen) / values.Length;

    // Alpha is multiplied by what brings the share of open texels back.
    private static void KeepCoverage(Vector4[] level, float coverage)
    {
        float[] alphas = [.. level.Select(v => v.W).OrderDescending()];
        int open = (int)Math.Round(coverage * alphas.Length);
        if (open == 0 || open == alphas.Length || alphas[open - 1] <= 0)
            return;
        // A half lies just between the last texel that stays open and the first that does not.
        float scale = HalfOpen / ((alphas[open - 1] + alphas[open]) / 2);
        for (int i = 0; i < level.Length; i++)
            level[i].W = Math.Clamp(level[i].W * scale, 0, 1);
    }

    /// <remarks>After M. Toksvig, "Mipmapping normal maps", 2004: the mean of unit normals is as much shorter as they are spread; the spread is added to the
    /// squared width of the lobe, which is the fourth power of roughness.</remarks>
    private static void TakeUp(Vector4[] roughness, Vector4[] normals)
    {
        for (int i = 0; i < roughness.Length; i++)
        {
            float length = Math.Clamp(new Vector3(normals[i].X, normals[i].Y, normals[i].Z).Length(), 1e-3f, 1), spread = (1 - length) / length;
            var r = Vector4.Clamp(roughness[i], Vector4.Zero, Vector4.One);
            var squared = r * r * r * r + new Vector4(spread);
            roughness[i] = Vector4.Min(Vector4.SquareRoot(Vector4.SquareRoot(squared)), Vector4.One) with { W = roughness[i].W };
        }
    }

    /// <summary>Which texels a smaller texel is made from, along one side.</summary>
    private sealed class Taps
    {
        private readonly int[] starts;
        private readonly (int From, float Weight)[] taps;

        private Taps(int[] starts, (int, float)[] taps) => (this.starts, this.taps) = (starts, taps);

        public ReadOnlySpan<(int From, float Weight)> Of(int at) => taps.AsSpan(starts[at], starts[at + 1] - starts[at]);

        public static Taps For(int size, int newSize, MipFilter filter, bool wraps)
        {
            double scale = (double)size / newSize, wide = Math.Max(1, scale);
            double radius = filter == MipFilter.Box ? 0.5 * wide : KaiserRadius * wide;
            var starts = new int[newSize + 1];
            var taps = new List<(int, float)>();
            for (int at = 0; at < newSize; at++)
            {
                double centre = (at + 0.5) * scale;
                int first = (int)Math.Floor(centre - radius), last = (int)Math.Ceiling(centre + radius);
                var own = new List<(int From, double Weight)>();
                for (int i = first; i <= last; i++)
                {
                    double weight = filter == MipFilter.Box ? Math.Max(0, Math.Min(i + 1, centre + radius) - Math.Max(i, centre - radius))
                        : Window(filter, (i + 0.5 - centre) / wide);
                    if (weight != 0)
                        own.Add((wraps ? (i % size + size) % size : Math.Clamp(i, 0, size - 1), weight));
                }
                double sum = own.Sum(t => t.Weight);
                taps.AddRange(own.Select(t => (t.From, (float)(t.Weight / sum))));
                starts[at + 1] = taps.Count;
            }
            return new Taps(starts, [.. taps]);
        }

        private static double Window(MipFilter filter, double x)
        {
            if (Math.Abs(x) >= KaiserRadius)
                return 0;
            double inside = x / KaiserRadius;
            return Sinc(x) * (filter == MipFilter.Sharp ? Sinc(inside) : Bessel(KaiserAlpha * Math.Sqrt(1 - inside * inside)) / Bessel(KaiserAlpha));
        }

        private static double Sinc(double x) => x == 0 ? 1 : Math.Sin(Math.PI * x) / (Math.PI * x);

        // Modified Bessel function of the first kind, order 0, by its series.
        private static double Bessel(double x)
        {
            double sum = 1, term = 1;
            for (int k = 1; term > 1e-12 * sum; k++)
            {
                term *= x / (2 * k) * (x / (2 * k));
                sum += term;
            }
            return sum;
        }
    }
}
