using System.Numerics;

namespace Crumpet.Core.Imaging;

/// <summary>The fast Fourier transform of rows and pictures whose sides are powers of two.</summary>
/// <remarks>Source: J. Cooley, J. Tukey, "An algorithm for the machine calculation of complex Fourier series", 1965.</remarks>
internal static class Fourier
{
    /// <summary>Transforms a picture in place; the inverse of the transform gives it back.</summary>
    public static void Transform2(Complex[] values, int width, bool inverse, CancellationToken cancel)
    {
        int rows = values.Length / width;
        var turns = Turns(Math.Max(width, rows), inverse);
        for (int y = 0; y < rows; y++)
        {
            cancel.ThrowIfCancellationRequested();
            Transform(values.AsSpan(y * width, width), turns);
        }
        var column = new Complex[rows];
        for (int x = 0; x < width; x++)
        {
            cancel.ThrowIfCancellationRequested();
            for (int y = 0; y < rows; y++)
                column[y] = values[y * width + x];
            Transform(column, turns);
            for (int y = 0; y < rows; y++)
                values[y * width + x] = column[y];
        }
        for (int i = 0; inverse && i < values.Length; i++)
            values[i] /= values.Length;
    }

    private static Complex[] Turns(int count, bool inverse) =>
        [.. Enumerable.Range(0, Math.Max(1, count / 2)).Select(k => Complex.FromPolarCoordinates(1, (inverse ? 2 : -2) * Math.PI * k / count))];

    private static void Transform(Span<Complex> values, Complex[] turns)
    {
        int count = values.Length;
        for (int i = 1, j = 0; i < count; i++)
        {
            int bit = count >> 1;
            for (; (j & bit) != 0; bit >>= 1)
                j ^= bit;
            j ^= bit;
            if (i < j)
                (values[i], values[j]) = (values[j], values[i]);
        }
        for (int half = 1; half < count; half *= 2)
        {
            int stride = turns.Length / half;
            for (int start = 0; start < count; start += 2 * half)
            {
                for (int k = 0; k < half; k++)
                {
                    Complex even = values[start + k], odd = values[start + k + half] * turns[k * stride];
                    (values[start + k], values[start + k + half]) = (even + odd, even - odd);
                }
            }
        }
    }
}
