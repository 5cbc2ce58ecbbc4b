using System.Numerics;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Convert;

/// <summary>Texels of a picture beside those a texture gives back.</summary>
internal sealed class TexelComparison
{
    // Values below this are black in any exposure that shows the rest.
    private const float DarkestHigh = 1f / 1024;

    private static readonly float[] Shares = [.. Enumerable.Range(0, 256).Select(i => i / 255f)];

    private readonly Bitmap source;
    private readonly byte[]? sourceBytes, resultBytes;
    private readonly float[]? sourceNumbers, resultNumbers;
    private readonly bool isSigned, rebuilds, hasHoles, isHigh;
    private readonly float span;
    private readonly int top;

    /// <summary>Pairs a picture with a decoded level of its size.</summary>
    /// <param name="source">Four channels.</param>
    /// <param name="decoded">Four channels, in numbers of the format's range.</param>
    /// <param name="format">Format it was decoded from.</param>
    /// <param name="meaning">What the numbers mean.</param>
    public TexelComparison(Bitmap source, Bitmap decoded, TextureFormat format, ColourMeaning meaning)
    {
        (this.source, hasHoles) = (source, format.HasHoles);
        (sourceBytes, sourceNumbers) = ((source as Bitmap8)?.Pixels, (source as Bitmap32)?.Pixels);
        (resultBytes, resultNumbers) = ((decoded as Bitmap8)?.Pixels, (decoded as Bitmap32)?.Pixels);
        (isSigned, rebuilds) = (format.Range == TexelRange.SignedUnit, format.RebuildsThird);
        // An opaque alpha that stays opaque would only flatter the number.
        Channels = format.Channels == 4 && IsOpaque(source) && IsOpaque(decoded) ? 3 : format.Channels;
        isHigh = format.Range is TexelRange.High or TexelRange.SignedHigh && source is Bitmap32 && meaning != ColourMeaning.Normal;
        span = isHigh ? SpanOf(source, Channels) : 1;
    }

    private TexelComparison(TexelComparison whole, Bitmap32 band, int top)
    {
        (sourceBytes, sourceNumbers, resultNumbers) = (whole.sourceBytes, whole.sourceNumbers, band.Pixels);
        (source, hasHoles, isHigh, span, Channels) = (whole.source, whole.hasHoles, whole.isHigh, whole.span, whole.Channels);
        this.top = top;
    }

    /// <summary>Channels that are compared, from red on.</summary>
    public int Channels { get; }

    /// <summary>The same picture beside other rows, which are numbers as a picture has them.</summary>
    /// <param name="band">As wide as the picture.</param>
    /// <param name="top">Row of the picture its first row lies beside.</param>
    public TexelComparison Beside(Bitmap32 band, int top) => new(this, band, top);

    /// <summary>First channel that counts at a texel: nobody sees the colour of a hole.</summary>
    public int First(int x, int y) => hasHoles && Source(x, y, 3) < 0.5f ? 3 : 0;

    /// <summary>Difference of a channel in codes of 255; of high range of the logarithms, as shares of the source's span, times 255.</summary>
    public float Difference(int x, int y, int channel)
    {
        float a = Source(x, y, channel), b = Value(x, y, channel);
        return isHigh ? 255 * (Log(a) - Log(b)) / span : 255 * (a - b);
    }

    /// <summary>A value on the scale of which differences are told.</summary>
    public float Scaled(float value) => 255 * (isHigh ? Log(value) / span : value);

    /// <summary>Squares of the differences of all channels that count at a texel.</summary>
    public double Square(int x, int y)
    {
        double sum = 0;
        for (int c = First(x, y); c < Channels; c++)
        {
            float d = Difference(x, y, c);
            sum += (double)d * d;
        }
        return sum;
    }

    /// <summary>Angle between two normals, degrees. Those of two channels get their third back as a shader computes it.</summary>
    public float Angle(int x, int y)
    {
        var a = new Vector3(Source(x, y, 0), Source(x, y, 1), Source(x, y, 2)) * 2 - Vector3.One;
        var b = new Vector3(Value(x, y, 0), Value(x, y, 1), Value(x, y, 2)) * 2 - Vector3.One;
        if (rebuilds)
            b.Z = MathF.Sqrt(MathF.Max(0, 1 - b.X * b.X - b.Y * b.Y));
        return (float)(Math.Atan2(Vector3.Cross(a, b).Length(), Vector3.Dot(a, b)) * 180 / Math.PI);
    }

    // As Unit gives it, without asking for the picture's kind at every texel.
    private float Source(int x, int y, int channel)
    {
        int at = 4 * (y * source.Width + x) + channel;
        return sourceBytes is not null ? Shares[sourceBytes[at]] : sourceNumbers![at];
    }

    // Of signed formats −1 to 1 stands for what a picture has from 0 to 1.
    private float Value(int x, int y, int channel)
    {
        int at = 4 * ((y - top) * source.Width + x) + channel;
        float value = resultBytes is not null ? Shares[resultBytes[at]] : resultNumbers![at];
        return isSigned && channel < 3 ? value * 0.5f + 0.5f : value;
    }

    private static bool IsOpaque(Bitmap picture)
    {
        if (picture is Bitmap8 bytes)
        {
            for (int i = 3; i < bytes.Pixels.Length; i += 4)
                if (bytes.Pixels[i] != 255)
                    return false;
            return true;
        }
        for (int y = 0; y < picture.Height; y++)
            for (int x = 0; x < picture.Width; x++)
                if (picture.Unit(x, y, 3) != 1)
                    return false;
        return true;
    }

    private static float SpanOf(Bitmap source, int channels)
    {
        float least = float.PositiveInfinity, most = float.NegativeInfinity;
        for (int y = 0; y < source.Height; y++)
        {
            for (int x = 0; x < source.Width; x++)
            {
                for (int c = 0; c < Math.Min(3, channels); c++)
                {
                    float log = Log(source.Unit(x, y, c));
                    least = MathF.Min(least, log);
                    most = MathF.Max(most, log);
                }
            }
        }
        return MathF.Max(1, most - least);
    }

    // Below the darkest the logarithm goes on as a straight line, through zero.
    private static float Log(float value) => MathF.Abs(value) <= DarkestHigh ? value / DarkestHigh
        : MathF.Sign(value) * (1 + MathF.Log2(MathF.Abs(value) / DarkestHigh));
}
