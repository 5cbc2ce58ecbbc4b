using System.Numerics;

namespace Crumpet.Core.Imaging;

/// <summary>Makes a tangent-space normal map from a height map.</summary>
public static class HeightToNormal
{
    /// <summary>Turns heights into normals.</summary>
    /// <param name="height">Heights in the first channel.</param>
    /// <param name="strength">How many texels white stands above black.</param>
    /// <param name="kernel">3, 5 or 9: how many texels across a slope is measured; larger ones smooth.</param>
    /// <param name="wrap">Whether the picture goes on at its opposite edge.</param>
    /// <param name="greenUp">Whether green grows upwards in the picture.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>RGB of the source's depth; floats become 16 bits.</returns>
    /// <remarks>
    /// Slopes are those of the plane that fits the neighbourhood best, neighbours weighted by a Gaussian, so a ramp gives its own slope
    /// exactly. Source: P. Burrough, "Principles of Geographical Information Systems", 1986 (least-squares slope).
    /// </remarks>
    public static Bitmap Convert(Bitmap height, float strength, int kernel, bool wrap, bool greenUp, CancellationToken cancel = default)
    {
        int width = height.Width, rows = height.Height, half = kernel / 2;
        var heights = new float[width * rows];
        for (int i = 0; i < heights.Length; i++)
            heights[i] = height.Unit(i % width, i / width, 0);
        var (across, along) = Weights(half);
        var values = new float[3 * heights.Length];
        for (int y = 0; y < rows; y++)
        {
            cancel.ThrowIfCancellationRequested();
            for (int x = 0; x < width; x++)
            {
                float dx = 0, dy = 0;
                for (int j = -half; j <= half; j++)
                {
                    int row = At(y + j, rows) * width;
                    for (int i = -half; i <= half; i++)
                    {
                        float h = heights[row + At(x + i, width)];
                        dx += h * along[i + half] * across[j + half];
                        dy += h * across[i + half] * along[j + half];
                    }
                }
                // Rows run downwards, slopes upwards.
                var n = Vector3.Normalize(new Vector3(-dx * strength, dy * strength * (greenUp ? 1 : -1), 1));
                int at = 3 * (y * width + x);
                (values[at], values[at + 1], values[at + 2]) = (n.X * 0.5f + 0.5f, n.Y * 0.5f + 0.5f, n.Z * 0.5f + 0.5f);
            }
        }
        return PictureOps.FromUnits(width, rows, 3, height.Bits == 8 ? 8 : 16, values);

        int At(int index, int count) => wrap ? (index % count + count) % count : Math.Clamp(index, 0, count - 1);
    }

    /// <summary>A smoothing row that sums to 1, and a row that measures a ramp's slope.</summary>
    private static (float[] Across, float[] Along) Weights(int half)
    {
        double sigma = Math.Max(0.8, half / 2.0);
        double[] gauss = [.. Enumerable.Range(-half, 2 * half + 1).Select(i => Math.Exp(-i * i / (2 * sigma * sigma)))];
        double sum = gauss.Sum(), second = gauss.Select((g, k) => g * (k - half) * (k - half)).Sum();
        return ([.. gauss.Select(g => (float)(g / sum))], [.. gauss.Select((g, k) => (float)(g * (k - half) / second))]);
    }
}
