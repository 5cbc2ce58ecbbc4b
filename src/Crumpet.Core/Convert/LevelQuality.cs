using Crumpet.Core.Imaging;

namespace Crumpet.Core.Convert;

/// <summary>What a level of a texture holds.</summary>
/// <param name="Level">Level from 0.</param>
/// <param name="Width">Texels.</param>
/// <param name="Height">Texels.</param>
/// <param name="Stored">How far it is from what it was compressed from.</param>
/// <param name="SoftPsnr">Of the level drawn as large as the picture, beside the picture, dB; null where nothing differs.</param>
/// <param name="SoftAngle">The same for normals: mean angle, degrees.</param>
/// <param name="Kept">
/// Share of what the picture's texels differ by that the level still has: 1 less its mean square error over the picture's variance; 1 of a plain picture.
/// </param>
public sealed record LevelQuality(int Level, int Width, int Height, TextureQuality Stored, double? SoftPsnr, double? SoftAngle, double Kept)
{
    /// <summary>A level that keeps less is soft.</summary>
    public const double LeastKept = 0.9;

    // Of a large picture's smaller levels not every band is drawn large: what they keep changes little from one to the next.
    private const int BandRows = 16, EnoughBands = 64;

    /// <summary>Measures every level.</summary>
    /// <param name="sight">A texture beside its picture.</param>
    /// <param name="threads">Threads to use; the result does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static IReadOnlyList<LevelQuality> Measure(TextureSight sight, int threads, CancellationToken cancel = default)
    {
        double variance = sight.Variance();
        return [.. Enumerable.Range(0, sight.Texture.Levels.Count).Select(level =>
        {
            var (width, height) = sight.Texture.LevelSize(level);
            var single = sight.Texture with { Width = width, Height = height, Levels = [sight.Texture.Levels[level]] };
            var stored = TextureQuality.Measure(sight.Source(level), single, sight.Meaning, cancel);
            int channels = sight.Compare(level).Channels, bands = (sight.Texture.Height + BandRows - 1) / BandRows;
            int step = Math.Clamp(bands / EnoughBands, 1, level < 2 ? 1 : 1 << Math.Min(level - 1, 8));
            double[] squares = new double[bands], angles = new double[bands];
            var rowsDone = new int[bands];
            sight.EachBand(level, isSoft: true, BandRows, bands, step, threads, (texels, top, rows, across) =>
            {
                int band = top / BandRows;
                rowsDone[band] += rows;
                for (int y = top; y < top + rows; y++)
                {
                    for (int x = 0; x < across; x++)
                    {
                        squares[band] += texels.Square(x, y);
                        if (sight.Meaning == ColourMeaning.Normal)
                            angles[band] += texels.Angle(x, y);
                    }
                }
            }, cancel);
            double count = (double)sight.Texture.Width * rowsDone.Sum(), square = squares.Sum() / count;
            return new LevelQuality(level, width, height, stored, TextureQuality.Decibels(square / channels),
                sight.Meaning == ColourMeaning.Normal ? angles.Sum() / count : null, variance > 0 ? Math.Max(0, 1 - square / variance) : 1);
        })];
    }

    /// <summary>From which level on a texture is soft, one sentence.</summary>
    /// <param name="levels">All levels.</param>
    public static string Said(IReadOnlyList<LevelQuality> levels)
    {
        var soft = levels.FirstOrDefault(l => l.Kept < LeastKept);
        return soft is null ? FormattableString.Invariant($"No level is soft: each keeps {LeastKept:P0} and more of what the picture's texels differ by.")
            : FormattableString.Invariant($"Soft from mip {soft.Level} on ({soft.Width} × {soft.Height} px): drawn large, it keeps {soft.Kept:P0} of what the ")
                + "picture's texels differ by.";
    }
}
