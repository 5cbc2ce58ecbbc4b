using Crumpet.Core.Imaging;

namespace Crumpet.Core.Pack;

/// <summary>Rounds rows of floating-point values into a channel of a picture.</summary>
internal static class ChannelWriter
{
    // What rounding in single precision leaves over is not clipped.
    private const float Slack = 1e-5f;

    /// <summary>Writes a row.</summary>
    /// <param name="picture">Picture.</param>
    /// <param name="channel">Its channel.</param>
    /// <param name="y">Row.</param>
    /// <param name="row">Values, 0 to 1 in whole numbers; what is no number becomes 0 there.</param>
    /// <param name="dither">Whether rounding to 8 bits is spread as blue noise.</param>
    /// <param name="tally">Counts.</param>
    public static void Write(Bitmap picture, int channel, int y, ReadOnlySpan<float> row, bool dither, ChannelTally tally)
    {
        int step = picture.Channels, at = y * picture.Width * step + channel;
        float least = float.PositiveInfinity, most = float.NegativeInfinity;
        long clipped = 0, sum = 0;
        if (picture is Bitmap32 real)
        {
            for (int x = 0; x < row.Length; x++, at += step)
            {
                real.Pixels[at] = row[x];
                (least, most) = (MathF.Min(least, row[x]), MathF.Max(most, row[x]));
            }
            tally.Count(least, 0, false);
            tally.Count(most, 0, false);
            return;
        }
        int full = picture.Bits == 8 ? 255 : 65535;
        var narrow = picture as Bitmap8;
        var wide = picture as Bitmap16;
        for (int x = 0; x < row.Length; x++, at += step)
        {
            float value = row[x];
            if (!(value >= 0 && value <= 1))
            {
                clipped += value >= -Slack && value <= 1 + Slack ? 0 : 1;
                value = value > 0 ? 1 : 0;
            }
            (least, most) = (MathF.Min(least, value), MathF.Max(most, value));
            if (narrow is not null)
                sum += narrow.Pixels[at] = (byte)Math.Clamp((int)(value * 255 + 0.5f + (dither ? BlueNoise.Offset(x, y, channel) : 0)), 0, 255);
            else
                sum += wide!.Pixels[at] = (ushort)(value * full + 0.5f);
        }
        tally.AddCodes(sum);
        tally.Count(Math.Round(least * full) / full, 0, false);
        tally.Count(Math.Round(most * full) / full, clipped, true);
    }
}
