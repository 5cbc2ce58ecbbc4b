using System.Numerics;

namespace Crumpet.Core.Imaging;

/// <summary>
/// A small level drawn as large as its picture, as a card does it: straight lines between texels, colours in linear light, normals of length 1.
/// </summary>
internal sealed class Enlargement
{
    private const int Steps = 4096;

    // The root of linear light is close to what is stored, so straight lines between even steps of it lose nothing that matters: 3 of ten million.
    private static readonly float[] Stored = [.. Enumerable.Range(0, Steps + 2).Select(i => Srgb.FromLinear((float)i / Steps * i / Steps))];

    private readonly Vector4[] values;
    private readonly ColourMeaning meaning;
    private readonly int width, height, smallWidth, smallHeight;
    private readonly bool wraps;

    /// <summary>Prepares a level.</summary>
    /// <param name="level">Four channels, numbers as a picture has them.</param>
    /// <param name="width">Texels it is drawn to.</param>
    /// <param name="height">Rows it is drawn to.</param>
    /// <param name="meaning">What the numbers mean.</param>
    /// <param name="wraps">Whether the picture goes on at its other side.</param>
    public Enlargement(Bitmap level, int width, int height, ColourMeaning meaning, bool wraps)
    {
        values = MipChain.ToLinear(level, meaning, Environment.ProcessorCount, CancellationToken.None);
        (this.width, this.height, this.meaning, this.wraps, smallWidth, smallHeight) = (width, height, meaning, wraps, level.Width, level.Height);
    }

    /// <summary>Draws some rows.</summary>
    /// <param name="top">First row.</param>
    /// <param name="rows">How many.</param>
    public Bitmap32 Band(int top, int rows)
    {
        var band = new Bitmap32(width, rows, 4);
        for (int y = 0; y < rows; y++)
        {
            var (above, below, down) = Between(top + y, height, smallHeight);
            for (int x = 0; x < width; x++)
            {
                var (left, right, across) = Between(x, width, smallWidth);
                var value = Vector4.Lerp(Vector4.Lerp(values[above * smallWidth + left], values[above * smallWidth + right], across),
                    Vector4.Lerp(values[below * smallWidth + left], values[below * smallWidth + right], across), down);
                Write(value, band.Pixels.AsSpan(4 * (y * width + x), 4));
            }
        }
        return band;
    }

    private (int, int, float) Between(int at, int size, int smallSize)
    {
        float place = (at + 0.5f) * smallSize / size - 0.5f;
        int first = (int)MathF.Floor(place);
        return (Inside(first), Inside(first + 1), place - first);

        int Inside(int i) => wraps ? (i + smallSize) % smallSize : Math.Clamp(i, 0, smallSize - 1);
    }

    private void Write(Vector4 v, Span<float> to)
    {
        if (meaning == ColourMeaning.Normal)
        {
            var n = new Vector3(v.X, v.Y, v.Z);
            n = n.LengthSquared() > 1e-12f ? Vector3.Normalize(n) : Vector3.UnitZ;
            v = new Vector4(n * 0.5f + new Vector3(0.5f), v.W);
        }
        v.CopyTo(to);
        for (int c = 0; c < 3 && meaning == ColourMeaning.Srgb; c++)
        {
            float root = MathF.Sqrt(Math.Clamp(to[c], 0, 1)) * Steps;
            int at = (int)root;
            to[c] = Stored[at] + (root - at) * (Stored[at + 1] - Stored[at]);
        }
    }
}
