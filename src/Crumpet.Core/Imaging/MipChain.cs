using System.Numerics;

namespace Crumpet.Core.Imaging;

/// <summary>Smaller and smaller versions of a picture, down to one texel.</summary>
public static class MipChain
{
    // Texels between two looks at whether anybody still waits.
    private const int Rows = 1 << 16;

    /// <summary>Level 0 is the picture itself, untouched; each further level is half as large, rounded down.</summary>
    /// <param name="source">Four channels.</param>
    /// <param name="meaning">How values are averaged: colours in linear light, normals as vectors.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <remarks>Every level is filtered from level 0's values, not from rounded ones, by the exact area each texel covers.</remarks>
    public static IReadOnlyList<Bitmap8> Build(Bitmap8 source, ColourMeaning meaning, CancellationToken cancel = default)
    {
        var levels = new List<Bitmap8> { source };
        int width = source.Width, height = source.Height;
        if (width == 1 && height == 1)
            return levels;
        var values = ToLinear(source, meaning, cancel);
        while (width > 1 || height > 1)
        {
            (values, width, height) = Halve(values, width, height, cancel);
            levels.Add(FromLinear(values, width, height, meaning, cancel));
        }
        return levels;
    }

    /// <summary>How many levels a picture of this size has.</summary>
    public static int Count(int width, int height) => BitOperations.Log2((uint)Math.Max(width, height)) + 1;

    private static Vector4[] ToLinear(Bitmap8 source, ColourMeaning meaning, CancellationToken cancel)
    {
        var values = new Vector4[source.Width * source.Height];
        for (int i = 0; i < values.Length; i++)
        {
            if (i % Rows == 0)
                cancel.ThrowIfCancellationRequested();
            var p = source.Pixels.AsSpan(4 * i, 4);
            values[i] = meaning switch
            {
                ColourMeaning.Srgb => new Vector4(Srgb.ToLinear(p[0]), Srgb.ToLinear(p[1]), Srgb.ToLinear(p[2]), p[3] / 255f),
                ColourMeaning.Normal => new Vector4(p[0] / 127.5f - 1, p[1] / 127.5f - 1, p[2] / 127.5f - 1, p[3] / 255f),
                _ => new Vector4(p[0], p[1], p[2], p[3]) / 255f,
            };
        }
        return values;
    }

    private static Bitmap8 FromLinear(Vector4[] values, int width, int height, ColourMeaning meaning, CancellationToken cancel)
    {
        var level = new Bitmap8(width, height, 4);
        for (int i = 0; i < values.Length; i++)
        {
            if (i % Rows == 0)
                cancel.ThrowIfCancellationRequested();
            var v = values[i];
            if (meaning == ColourMeaning.Srgb)
            {
                v = new Vector4(Srgb.FromLinear(v.X), Srgb.FromLinear(v.Y), Srgb.FromLinear(v.Z), v.W);
            }
            else if (meaning == ColourMeaning.Normal)
            {
                var n = new Vector3(v.X, v.Y, v.Z);
                n = n.LengthSquared() > 1e-12f ? Vector3.Normalize(n) : Vector3.UnitZ;
                v = new Vector4(n * 0.5f + new Vector3(0.5f), v.W);
            }
            for (int c = 0; c < 4; c++)
                level.Pixels[4 * i + c] = (byte)Math.Clamp((int)(v[c] * 255 + 0.5f), 0, 255);
        }
        return level;
    }

    private static (Vector4[] Values, int Width, int Height) Halve(Vector4[] values, int width, int height, CancellationToken cancel)
    {
        int newWidth = Math.Max(1, width / 2), newHeight = Math.Max(1, height / 2);
        var result = new Vector4[newWidth * newHeight];
        for (int y = 0; y < newHeight; y++)
        {
            cancel.ThrowIfCancellationRequested();
            for (int x = 0; x < newWidth; x++)
            {
                // An odd side makes each texel cover a little more than two of the finer ones.
                float x0 = x * (float)width / newWidth, x1 = (x + 1) * (float)width / newWidth;
                float y0 = y * (float)height / newHeight, y1 = (y + 1) * (float)height / newHeight;
                var sum = Vector4.Zero;
                float weight = 0;
                for (int sy = (int)y0; sy < height && sy < y1; sy++)
                {
                    float wy = MathF.Min(sy + 1, y1) - MathF.Max(sy, y0);
                    for (int sx = (int)x0; sx < width && sx < x1; sx++)
                    {
                        float w = wy * (MathF.Min(sx + 1, x1) - MathF.Max(sx, x0));
                        sum += values[sy * width + sx] * w;
                        weight += w;
                    }
                }
                result[y * newWidth + x] = sum / weight;
            }
        }
        return (result, newWidth, newHeight);
    }
}
