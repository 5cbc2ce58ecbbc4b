namespace Crumpet.Core.Imaging;

/// <summary>How the values of one channel are spread.</summary>
/// <param name="Least">Smallest value, share of full scale; as it is for floating point.</param>
/// <param name="Greatest">Largest value.</param>
/// <param name="Mean">Mean value.</param>
/// <param name="Histogram">Values counted in <see cref="PictureStatistics.Bins"/> equal steps from <see cref="PictureStatistics.From"/> to
/// <see cref="PictureStatistics.To"/>.</param>
public sealed record ChannelStatistics(float Least, float Greatest, double Mean, IReadOnlyList<int> Histogram);

/// <summary>How the values of a picture are spread, channel by channel.</summary>
/// <param name="From">Where histograms begin: 0, or the least value of a floating-point picture.</param>
/// <param name="To">Where they end: 1, or the greatest value.</param>
/// <param name="Channels">One a channel.</param>
public sealed record PictureStatistics(float From, float To, IReadOnlyList<ChannelStatistics> Channels)
{
    /// <summary>Steps of a histogram.</summary>
    public const int Bins = 256;

    /// <summary>Counts a picture. Values that are no number are left out.</summary>
    /// <param name="picture">The picture.</param>
    /// <param name="threads">Threads to use, at least 1; the result does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static PictureStatistics Of(Bitmap picture, int threads = 1, CancellationToken cancel = default) => picture switch
    {
        Bitmap8 b => OfWhole(Count(b, 256, threads,
            (row, counts) => CountRow(b.Pixels.AsSpan(row * b.Width * b.Channels, b.Width * b.Channels), b.Channels, counts), cancel)),
        Bitmap16 b => OfWhole(Count(b, 65536, threads,
            (row, counts) => CountRow(b.Pixels.AsSpan(row * b.Width * b.Channels, b.Width * b.Channels), b.Channels, counts), cancel)),
        Bitmap32 b => OfReal(b),
        _ => throw new ArgumentException("There is no such bitmap.", nameof(picture)),
    };

    /// <summary>How often each stored value occurs, channel by channel.</summary>
    private static long[][] Count(Bitmap picture, int values, int threads, Action<int, int[]> countRow, CancellationToken cancel)
    {
        var all = new long[picture.Channels][];
        for (int c = 0; c < all.Length; c++)
            all[c] = new long[values];
        Parallel.For(
            0, picture.Height, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, () => new int[values * picture.Channels],
            (row, _, counts) =>
            {
                countRow(row, counts);
                return counts;
            },
            counts =>
            {
                lock (all)
                {
                    for (int i = 0; i < counts.Length; i++)
                        all[i % picture.Channels][i / picture.Channels] += counts[i];
                }
            });
        return all;
    }

    private static void CountRow(ReadOnlySpan<byte> row, int channels, int[] counts)
    {
        for (int i = 0, c = 0; i < row.Length; i++, c = c + 1 == channels ? 0 : c + 1)
            counts[row[i] * channels + c]++;
    }

    private static void CountRow(ReadOnlySpan<ushort> row, int channels, int[] counts)
    {
        for (int i = 0, c = 0; i < row.Length; i++, c = c + 1 == channels ? 0 : c + 1)
            counts[row[i] * channels + c]++;
    }

    private static PictureStatistics OfWhole(long[][] counts) => new(0, 1, [.. counts.Select(channel =>
    {
        int full = channel.Length - 1, least = Array.FindIndex(channel, n => n > 0), greatest = Array.FindLastIndex(channel, n => n > 0);
        var bins = new int[Bins];
        double sum = 0, total = 0;
        for (int value = 0; value < channel.Length; value++)
        {
            bins[(value * (Bins - 1L) + full / 2) / full] += (int)channel[value];
            sum += (double)value * channel[value];
            total += channel[value];
        }
        return new ChannelStatistics(least / (float)full, greatest / (float)full, sum / total / full, bins);
    })]);

    private static PictureStatistics OfReal(Bitmap32 picture)
    {
        var channels = Enumerable.Range(0, picture.Channels).Select(c => (Least: float.PositiveInfinity, Greatest: float.NegativeInfinity, Sum: 0.0, Count: 0L))
            .ToArray();
        for (int i = 0; i < picture.Pixels.Length; i++)
        {
            float value = picture.Pixels[i];
            if (!float.IsFinite(value))
                continue;
            ref var channel = ref channels[i % picture.Channels];
            channel = (MathF.Min(channel.Least, value), MathF.Max(channel.Greatest, value), channel.Sum + value, channel.Count + 1);
        }
        bool any = channels.Any(c => c.Count > 0);
        float from = any ? MathF.Min(0, channels.Min(c => c.Least)) : 0, to = any ? MathF.Max(channels.Max(c => c.Greatest), from + 1e-6f) : 1;
        var bins = channels.Select(_ => new int[Bins]).ToArray();
        float scale = (Bins - 1) / (to - from);
        for (int i = 0; i < picture.Pixels.Length; i++)
        {
            if (float.IsFinite(picture.Pixels[i]))
                bins[i % picture.Channels][(int)((picture.Pixels[i] - from) * scale + 0.5f)]++;
        }
        return new PictureStatistics(from, to,
            [.. channels.Select((c, i) => c.Count > 0 ? new ChannelStatistics(c.Least, c.Greatest, c.Sum / c.Count, bins[i])
            : new ChannelStatistics(0, 0, 0, bins[i]))]);
    }
}
