namespace Crumpet.Core.Imaging;

/// <summary>How the values of one channel are spread.</summary>
/// <param name="Least">Smallest value, share of full scale; as it is for floating point.</param>
/// <param name="Greatest">Largest value.</param>
/// <param name="Mean">Mean value.</param>
/// <param name="Histogram">Values counted in <see cref="PictureStatistics.Bins"/> equal steps from <see cref="PictureStatistics.From"/> to <see cref="PictureStatistics.To"/>.</param>
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
    public static PictureStatistics Of(Bitmap picture)
    {
        var least = new float[picture.Channels];
        var greatest = new float[picture.Channels];
        var sums = new double[picture.Channels];
        var counts = new long[picture.Channels];
        Array.Fill(least, float.PositiveInfinity);
        Array.Fill(greatest, float.NegativeInfinity);
        Each(picture, (c, value) =>
        {
            least[c] = MathF.Min(least[c], value);
            greatest[c] = MathF.Max(greatest[c], value);
            sums[c] += value;
            counts[c]++;
        });
        bool isFloat = picture.Bits == 32 && counts.Sum() > 0;
        float from = isFloat ? MathF.Min(0, least.Min()) : 0, to = isFloat ? MathF.Max(greatest.Max(), from + 1e-6f) : 1;
        var bins = new int[picture.Channels][];
        for (int c = 0; c < bins.Length; c++)
            bins[c] = new int[Bins];
        float scale = (Bins - 1) / (to - from);
        Each(picture, (c, value) => bins[c][(int)((value - from) * scale + 0.5f)]++);
        return new PictureStatistics(from, to, [.. bins.Select((b, c) => new ChannelStatistics(
            counts[c] > 0 ? least[c] : 0, counts[c] > 0 ? greatest[c] : 0, counts[c] > 0 ? sums[c] / counts[c] : 0, b))]);
    }

    private static void Each(Bitmap picture, Action<int, float> take)
    {
        int channels = picture.Channels, channel = 0;
        switch (picture)
        {
            case Bitmap8 b:
                foreach (byte value in b.Pixels)
                    Take(value / 255f);
                break;
            case Bitmap16 b:
                foreach (ushort value in b.Pixels)
                    Take(value / 65535f);
                break;
            case Bitmap32 b:
                foreach (float value in b.Pixels)
                    Take(value);
                break;
        }

        void Take(float value)
        {
            if (float.IsFinite(value))
                take(channel, value);
            channel = channel + 1 == channels ? 0 : channel + 1;
        }
    }
}
