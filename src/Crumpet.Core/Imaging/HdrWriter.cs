using System.Text;

namespace Crumpet.Core.Imaging;

/// <summary>Writes Radiance pictures (.hdr): linear colour with a shared exponent, rows in runs.</summary>
/// <remarks>Source: G. Ward, "Real Pixels", Graphics Gems II, 1991, and the Radiance reference manual's picture format.</remarks>
public static class HdrWriter
{
    private const int LeastRun = 4, MostRun = 127, MostLoose = 128;

    /// <summary>The bytes of a file. Negative values and what is no number become 0; the rest keeps 8 bits of the greatest channel.</summary>
    /// <param name="picture">RGB, linear.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <exception cref="ArgumentException">It has other channels.</exception>
    public static byte[] Write(Bitmap32 picture, CancellationToken cancel = default)
    {
        if (picture.Channels != 3)
            throw new ArgumentException("A Radiance picture holds RGB.", nameof(picture));
        using var stream = new MemoryStream();
        stream.Write(Encoding.ASCII.GetBytes(FormattableString.Invariant(
            $"#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y {picture.Height} +X {picture.Width}\n")));
        var row = new byte[4 * picture.Width];
        bool inRuns = picture.Width is >= 8 and < 32768;
        for (int y = 0; y < picture.Height; y++)
        {
            cancel.ThrowIfCancellationRequested();
            for (int x = 0; x < picture.Width; x++)
                Shared(picture.Pixels.AsSpan(3 * (y * picture.Width + x), 3), row.AsSpan(4 * x, 4));
            if (!inRuns)
            {
                stream.Write(row);
                continue;
            }
            stream.Write([2, 2, (byte)(picture.Width >> 8), (byte)picture.Width]);
            for (int channel = 0; channel < 4; channel++)
                WriteChannel(stream, row, channel, picture.Width);
        }
        return stream.ToArray();
    }

    private static void Shared(ReadOnlySpan<float> colour, Span<byte> pixel)
    {
        float most = 0;
        foreach (float value in colour)
            most = MathF.Max(most, float.IsFinite(value) ? value : 0);
        pixel.Clear();
        if (most < 1e-32f)
            return;
        int exponent = MathF.ILogB(most) + 1;
        // A mantissa that rounds up to the next power takes the next exponent.
        if (MathF.Round(MathF.ScaleB(most, 8 - exponent)) > 255)
            exponent++;
        if (exponent > 127)
            exponent = 127;
        for (int c = 0; c < 3; c++)
            pixel[c] = (byte)Math.Clamp(MathF.Round(MathF.ScaleB(float.IsFinite(colour[c]) ? colour[c] : 0, 8 - exponent)), 0, 255);
        pixel[3] = (byte)(exponent + 128);
    }

    private static void WriteChannel(MemoryStream stream, byte[] row, int channel, int width)
    {
        for (int x = 0; x < width;)
        {
            int run = RunAt(x);
            if (run >= LeastRun)
            {
                stream.WriteByte((byte)(128 + run));
                stream.WriteByte(row[4 * x + channel]);
                x += run;
                continue;
            }
            int end = x;
            while (end < width && end - x < MostLoose && RunAt(end) < LeastRun)
                end++;
            stream.WriteByte((byte)(end - x));
            for (; x < end; x++)
                stream.WriteByte(row[4 * x + channel]);
        }

        int RunAt(int x)
        {
            int length = 1;
            while (x + length < width && length < MostRun && row[4 * (x + length) + channel] == row[4 * x + channel])
                length++;
            return length;
        }
    }
}
