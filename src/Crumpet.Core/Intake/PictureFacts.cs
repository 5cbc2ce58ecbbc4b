using System.Numerics;
using Crumpet.Core.Imaging;

namespace Crumpet.Core.Intake;

/// <summary>What one look at a picture file tells.</summary>
/// <param name="Width">Pixels.</param>
/// <param name="Height">Pixels.</param>
/// <param name="Channels">Channels.</param>
/// <param name="Bits">Bits a channel.</param>
/// <param name="Content">What its numbers look like.</param>
public sealed record PictureFacts(int Width, int Height, int Channels, int Bits, PictureContent Content)
{
    /// <summary>Looks at a picture in memory.</summary>
    public static PictureFacts Of(Bitmap picture)
    {
        var pass = new Pass(picture, picture.Height);
        pass.Add(picture, 0);
        return pass.Done();
    }

    /// <summary>Looks at a picture file, a few rows at a time.</summary>
    /// <param name="bytes">The file.</param>
    /// <param name="fileName">Name for messages.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <exception cref="SourceFileException">It is no picture that is read.</exception>
    public static PictureFacts Read(byte[] bytes, string fileName, CancellationToken cancel)
    {
        Pass? pass = null;
        ImageFile.ReadStrips(bytes, fileName, (strip, height, firstRow) => (pass ??= new Pass(strip, height)).Add(strip, firstRow), cancel);
        return pass!.Done();
    }

    /// <summary>One pass over a picture from top to bottom; of a large one every so many pixels are looked at.</summary>
    private sealed class Pass
    {
        private const int Side = 512;
        private const int MostColours = 64;

        private readonly int width, height, channels, bits, stepX, stepY;
        private readonly bool hasAlpha;
        private readonly HashSet<(int, int, int)> colours = [];
        private bool isGrey = true;
        private int count, normal, unit, ends;
        private float least = float.PositiveInfinity, greatest = float.NegativeInfinity;
        private double saturation, mean, up, down;
        private int nextSlope = 1;
        private (Bitmap Rows, int First)? before;

        public Pass(Bitmap strip, int height)
        {
            (width, channels, bits, this.height) = (strip.Width, strip.Channels, strip.Bits, height);
            (stepX, stepY) = (Math.Max(1, width / Side), Math.Max(1, height / Side));
            hasAlpha = channels is 2 or 4;
        }

        public void Add(Bitmap strip, int firstRow)
        {
            for (int row = 0; row < strip.Height; row++)
            {
                if ((firstRow + row) % stepY == 0)
                    AddRow(strip, row);
                // Alpha is looked at whole: one hole is enough to need it.
                for (int x = 0; x < width && hasAlpha; x++)
                {
                    float a = strip.Unit(x, row, channels - 1);
                    least = MathF.Min(least, a);
                    greatest = MathF.Max(greatest, a);
                }
            }
            for (; channels >= 3 && nextSlope + 1 < height && nextSlope + 1 < firstRow + strip.Height; nextSlope += stepY)
                AddSlopes(strip, firstRow, nextSlope);
            before = (strip, firstRow);
        }

        public PictureFacts Done()
        {
            double normalShare = (double)normal / count;
            var green = normalShare > 0.9 && !isGrey && channels >= 3 ? up < 0.7 * down ? GreenDirection.Up : down < 0.7 * up ? GreenDirection.Down
                : (GreenDirection?)null : null;
            return new PictureFacts(width, height, channels, bits, new PictureContent(
                isGrey, hasAlpha ? new AlphaRange(least, greatest) : null, normalShare, normal > 0 ? (double)unit / normal : 0, saturation / count,
                    (double)ends / count, colours.Count, mean / count, green));
        }

        private void AddRow(Bitmap strip, int row)
        {
            for (int x = 0; x < width; x += stepX, count++)
            {
                float r = strip.Unit(x, row, 0), g = channels >= 3 ? strip.Unit(x, row, 1) : r, b = channels >= 3 ? strip.Unit(x, row, 2) : r;
                // A code of 8 bits either way is what lossy files change.
                isGrey &= MathF.Abs(r - g) < 0.012f && MathF.Abs(r - b) < 0.012f;
                float length = new Vector3(2 * r - 1, 2 * g - 1, 2 * b - 1).Length();
                if (length is > 0.7f and < 1.3f && b > 0.45f)
                {
                    normal++;
                    unit += MathF.Abs(length - 1) < 0.02f ? 1 : 0;
                }
                saturation += MathF.Max(r, MathF.Max(g, b)) - MathF.Min(r, MathF.Min(g, b));
                ends += r is < 0.05f or > 0.95f ? 1 : 0;
                mean += r;
                if (colours.Count < MostColours)
                    colours.Add(((int)(r * 255), (int)(g * 255), (int)(b * 255)));
            }
        }

        /// <summary>
        /// Slopes of a surface have no curl: the change of the x slope along y equals that of the y slope along x. Only one way of
        /// reading green makes that so.
        /// </summary>
        private void AddSlopes(Bitmap strip, int firstRow, int y)
        {
            for (int x = 1; x + 1 < width; x++)
            {
                // Rows run downwards, so the step along y upwards is the row above minus the row below.
                float pAlongY = Slope(x, y - 1, 0) - Slope(x, y + 1, 0), qAlongX = Slope(x + 1, y, 1) - Slope(x - 1, y, 1);
                if (MathF.Abs(pAlongY) > 1 || MathF.Abs(qAlongX) > 1)
                    continue;
                up += (pAlongY - qAlongX) * (pAlongY - qAlongX);
                down += (pAlongY + qAlongX) * (pAlongY + qAlongX);
            }

            float Slope(int x, int row, int channel) => -(2 * Unit(x, row, channel) - 1) / MathF.Max(0.1f, 2 * Unit(x, row, 2) - 1);

            float Unit(int x, int row, int channel) =>
                row >= firstRow ? strip.Unit(x, row - firstRow, channel) : before!.Value.Rows.Unit(x, row - before.Value.First, channel);
        }
    }
}
