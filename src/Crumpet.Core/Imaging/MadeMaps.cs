using System.Numerics;

namespace Crumpet.Core.Imaging;

/// <summary>Makes maps from maps, where there is no surface to bake from.</summary>
public static class MadeMaps
{
    private const int Directions = 16;

    /// <summary>Ambient occlusion of a height map: white is open.</summary>
    /// <param name="heights">Heights in texels, row by row from the top.</param>
    /// <param name="width">Pixels a row.</param>
    /// <param name="radius">How far away something occludes, texels, at least 1.</param>
    /// <param name="wrap">Whether the picture goes on at its opposite edge.</param>
    /// <param name="threads">Threads to use; the result does not depend on them.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <returns>Openness, 0 to 1.</returns>
    /// <remarks>
    /// The horizon is found in 16 directions, measured from the plane through the texel, so that an even slope stays open.
    /// Of the cosine-weighted hemisphere over a horizon at an angle h, cos² h is open.
    /// Source: L. Bavoil, M. Sainz, R. Dimitrov, "Image-space horizon-based ambient occlusion", SIGGRAPH 2008 talks.
    /// </remarks>
    public static float[] Occlusion(float[] heights, int width, float radius, bool wrap, int threads, CancellationToken cancel)
    {
        int rows = heights.Length / width;
        var open = new float[heights.Length];
        float[] reaches = Reaches(radius);
        Parallel.For(0, rows, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, y =>
        {
            for (int x = 0; x < width; x++)
            {
                float here = heights[y * width + x];
                float slopeX = (At(x + 1, y) - At(x - 1, y)) / 2, slopeY = (At(x, y + 1) - At(x, y - 1)) / 2, sum = 0;
                for (int d = 0; d < Directions; d++)
                {
                    // Each texel turns its directions by an amount of its own, or bands would show.
                    var (sin, cos) = MathF.SinCos(2 * MathF.PI * (d + Hash.ToUnit(Hash.Mix((uint)(y * width + x)))) / Directions);
                    float horizon = 0, tilt = slopeX * cos + slopeY * sin;
                    foreach (float reach in reaches)
                        horizon = MathF.Max(horizon, (Between(x + reach * cos, y + reach * sin) - here) / reach - tilt);
                    sum += 1 / (1 + horizon * horizon);
                }
                open[y * width + x] = sum / Directions;
            }
        });
        return open;

        float At(int x, int y) => heights[Fold(y, rows, wrap) * width + Fold(x, width, wrap)];

        float Between(float x, float y)
        {
            int x0 = (int)MathF.Floor(x), y0 = (int)MathF.Floor(y);
            float across = x - x0, down = y - y0;
            return float.Lerp(float.Lerp(At(x0, y0), At(x0 + 1, y0), across), float.Lerp(At(x0, y0 + 1), At(x0 + 1, y0 + 1), across), down);
        }
    }

    /// <summary>Signed curvature of a normal map: half the divergence of its normals, 1/texel, positive where the surface bulges.</summary>
    /// <param name="normals">Unit normals, x right and y up, row by row from the top.</param>
    /// <param name="width">Pixels a row.</param>
    /// <param name="radius">Radius it is averaged over, texels, at least 1.</param>
    /// <param name="wrap">Whether the picture goes on at its opposite edge.</param>
    /// <param name="threads">Threads to use; the result does not depend on them.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static float[] Curvature(Vector3[] normals, int width, int radius, bool wrap, int threads, CancellationToken cancel)
    {
        int rows = normals.Length / width;
        var bend = new float[normals.Length];
        Parallel.For(0, rows, new ParallelOptions { MaxDegreeOfParallelism = threads, CancellationToken = cancel }, y =>
        {
            for (int x = 0; x < width; x++)
            {
                // By the divergence theorem the mean over a square is the flow out of its sides.
                float flow = 0;
                for (int i = -radius; i <= radius; i++)
                    flow += At(x + radius, y + i).X - At(x - radius, y + i).X + At(x + i, y - radius).Y - At(x + i, y + radius).Y;
                bend[y * width + x] = flow / (2 * (2f * radius) * (2 * radius + 1));
            }
        });
        return bend;

        Vector3 At(int x, int y) => normals[Fold(y, rows, wrap) * width + Fold(x, width, wrap)];
    }

    /// <summary>Heights whose slopes are those of a normal map, in texels around 0.</summary>
    /// <param name="normals">Unit normals, x right and y up, row by row from the top; sides are powers of two.</param>
    /// <param name="width">Pixels a row.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <exception cref="ArgumentException">A side is no power of two.</exception>
    /// <remarks>
    /// The nearest surface that has a height at all, in the least-squares sense; it goes on at its opposite edge.
    /// Source: R. Frankot, R. Chellappa, "A method for enforcing integrability in shape from shading algorithms", 1988.
    /// </remarks>
    public static float[] Heights(Vector3[] normals, int width, CancellationToken cancel)
    {
        int rows = normals.Length / width;
        if (!BitOperations.IsPow2(width) || !BitOperations.IsPow2(rows))
            throw new ArgumentException($"Heights are found for sides that are powers of two; these are {width} × {rows}.", nameof(normals));
        // Slopes right and down, as one complex number: both transforms for the price of one.
        var slopes = Array.ConvertAll(normals, n => n.Z > 1e-3f ? new Complex(-n.X / n.Z, n.Y / n.Z) : Complex.Zero);
        Fourier.Transform2(slopes, width, inverse: false, cancel);
        var heights = new Complex[slopes.Length];
        for (int v = 0; v < rows; v++)
        {
            for (int u = 0; u < width; u++)
            {
                Complex here = slopes[v * width + u], mirrored = Complex.Conjugate(slopes[(rows - v) % rows * width + (width - u) % width]);
                Complex right = (here + mirrored) / 2, down = (here - mirrored) / new Complex(0, 2);
                // What a central difference makes of this wave; waves it cannot see have no height.
                double p = Math.Sin(2 * Math.PI * u / width), q = Math.Sin(2 * Math.PI * v / rows), sum = p * p + q * q;
                heights[v * width + u] = sum > 1e-9 ? new Complex(0, -1) * (p * right + q * down) / sum : Complex.Zero;
            }
        }
        Fourier.Transform2(heights, width, inverse: true, cancel);
        return Array.ConvertAll(heights, h => (float)h.Real);
    }

    /// <summary>Normals of a map's texels, x right and y up.</summary>
    /// <param name="map">Normal map.</param>
    /// <param name="greenUp">Whether green grows upwards.</param>
    public static Vector3[] Normals(Bitmap map, bool greenUp)
    {
        var normals = new Vector3[map.Width * map.Height];
        for (int i = 0; i < normals.Length; i++)
        {
            int x = i % map.Width, y = i / map.Width;
            var n = new Vector3(map.Unit(x, y, 0) * 2 - 1, (map.Unit(x, y, 1) * 2 - 1) * (greenUp ? 1 : -1), 0);
            // Two channels are enough: the third follows.
            n.Z = map.Channels >= 3 ? map.Unit(x, y, 2) * 2 - 1 : MathF.Sqrt(MathF.Max(0, 1 - n.LengthSquared()));
            normals[i] = n.LengthSquared() > 1e-6f ? Vector3.Normalize(n) : Vector3.UnitZ;
        }
        return normals;
    }

    private static float[] Reaches(float radius)
    {
        var reaches = new List<float>();
        for (float reach = 1; reach < radius; reach = MathF.Max(reach + 1, reach * 1.25f))
            reaches.Add(reach);
        reaches.Add(MathF.Max(1, radius));
        return [.. reaches];
    }

    private static int Fold(int index, int count, bool wrap) => wrap ? (index % count + count) % count : Math.Clamp(index, 0, count - 1);
}
