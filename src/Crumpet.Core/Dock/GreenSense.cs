using Crumpet.Core.Imaging;

namespace Crumpet.Core.Dock;

/// <summary>Tells which way green of a normal map runs: slopes of a surface have no curl, and only one way of reading green makes it vanish.</summary>
internal static class GreenSense
{
    // Below this both ways fit, as on flat maps, or neither does.
    private const double LeastRatio = 2;
    private const float Steepest = 1;

    /// <summary>The way green runs, or null where the map does not tell.</summary>
    /// <param name="map">Normals, two channels or more.</param>
    public static GreenDirection? Of(Bitmap map)
    {
        double up = 0, down = 0;
        for (int y = 1; y < map.Height - 1; y++)
        {
            for (int x = 1; x < map.Width - 1; x++)
            {
                float alongY = Slope(x, y + 1, 0) - Slope(x, y - 1, 0), alongX = Slope(x + 1, y, 1) - Slope(x - 1, y, 1);
                if (MathF.Abs(alongY) > Steepest || MathF.Abs(alongX) > Steepest)
                    continue;
                // Rows count downwards, so a green that runs up has its sign turned.
                up += MathF.Abs(alongY + alongX);
                down += MathF.Abs(alongY - alongX);
            }
        }
        return up * LeastRatio < down ? GreenDirection.Up : down * LeastRatio < up ? GreenDirection.Down : null;

        float Slope(int x, int y, int channel)
        {
            float nx = 2 * map.Unit(x, y, 0) - 1, ny = 2 * map.Unit(x, y, 1) - 1;
            return (channel == 0 ? nx : ny) / MathF.Sqrt(MathF.Max(0.01f, 1 - nx * nx - ny * ny));
        }
    }
}
