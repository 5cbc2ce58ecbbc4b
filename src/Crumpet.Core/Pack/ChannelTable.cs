using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>A channel of whole numbers whose every code becomes another: the same as the way over floating point, worked once a code.</summary>
internal sealed class ChannelTable
{
    private const float Slack = 1e-5f;
    private const int RowsAtOnce = 16;

    private readonly Bitmap source;
    private readonly int channel;
    private readonly float[] values;

    private ChannelTable(Bitmap source, int channel, float[] values) => (this.source, this.channel, this.values) = (source, channel, values);

    /// <summary>The table of a channel; null where it is no whole numbers texel by texel.</summary>
    public static ChannelTable? Of(PackSource source, FeedChannel channel, Func<float, float> change) =>
        source.Picture is Bitmap32 || source.IsOneValue || ChannelReader.Place(source.Picture.Channels, channel) is not { } at ? null
            : new ChannelTable(source.Picture, at, ChannelReader.CodesOf(source.Picture, change));

    /// <summary>Whether a table says all there is to write into a picture.</summary>
    public static bool CanFill(Bitmap picture, bool dither) => picture is Bitmap16 || (picture is Bitmap8 && !dither);

    /// <summary>Fills a channel of a picture of the same size.</summary>
    public void Fill(Bitmap picture, int into, ChannelTally tally, ParallelOptions options)
    {
        int full = (1 << picture.Bits) - 1;
        ushort[] codes = Array.ConvertAll(values, v => (ushort)(Math.Clamp(float.IsNaN(v) ? 0 : v, 0, 1) * full + 0.5f));
        var counts = new long[values.Length];
        int chunks = (picture.Height + RowsAtOnce - 1) / RowsAtOnce;
        Parallel.For(0, chunks, options, () => new int[values.Length], (chunk, _, own) =>
        {
            int first = chunk * RowsAtOnce, end = Math.Min(picture.Height, first + RowsAtOnce);
            int from = first * source.Width * source.Channels + channel, to = first * picture.Width * picture.Channels + into;
            int texels = (end - first) * picture.Width;
            switch (source, picture)
            {
                case (Bitmap8 a, Bitmap8 b):
                    for (int i = 0; i < texels; i++, from += a.Channels, to += b.Channels)
                    {
                        byte code = a.Pixels[from];
                        own[code]++;
                        b.Pixels[to] = (byte)codes[code];
                    }
                    break;
                case (Bitmap8 a, Bitmap16 b):
                    for (int i = 0; i < texels; i++, from += a.Channels, to += b.Channels)
                    {
                        byte code = a.Pixels[from];
                        own[code]++;
                        b.Pixels[to] = codes[code];
                    }
                    break;
                case (Bitmap16 a, Bitmap8 b):
                    for (int i = 0; i < texels; i++, from += a.Channels, to += b.Channels)
                    {
                        ushort code = a.Pixels[from];
                        own[code]++;
                        b.Pixels[to] = (byte)codes[code];
                    }
                    break;
                case (Bitmap16 a, Bitmap16 b):
                    for (int i = 0; i < texels; i++, from += a.Channels, to += b.Channels)
                    {
                        ushort code = a.Pixels[from];
                        own[code]++;
                        b.Pixels[to] = codes[code];
                    }
                    break;
            }
            return own;
        }, own =>
        {
            lock (counts)
            {
                for (int i = 0; i < own.Length; i++)
                    counts[i] += own[i];
            }
        });
        for (int code = 0; code < counts.Length; code++)
        {
            tally.AddCodes(codes[code] * counts[code]);
            if (counts[code] > 0)
                tally.Count(codes[code] / (double)full, counts[code], !(values[code] >= -Slack && values[code] <= 1 + Slack));
        }
    }
}
