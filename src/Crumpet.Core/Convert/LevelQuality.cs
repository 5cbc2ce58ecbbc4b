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
/// <param name="IsSoft">Whether it keeps less than <see cref="LeastKept"/>, and what it loses is seen.</param>
public sealed record LevelQuality(int Level, int Width, int Height, TextureQuality Stored, double? SoftPsnr, double? SoftAngle, double Kept, bool IsSoft)
{
    /// <summary>A level that keeps less is soft, where what it loses is seen.</summary>
    public const double LeastKept = 0.9;

    // Below this only the reckoning is rounded: a three-hundredth of a code.
    private const double LeastSquare = 1e-5;

    // Of a large picture's smaller levels not every band is drawn large: what they keep changes little from one to the next.
    private const int BandRows = 16, EnoughBands = 64;

    /// <summary>Measures every level.</summary>
    /// <param name="sight">A texture beside its picture.</param>
    /// <param name="threads">Threads to use; the result does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    public static IReadOnlyList<LevelQuality> Measure(TextureSight sight, int threads, CancellationToken cancel = default)
    {
        double variance = sight.Variance();
        bool isNormal = sight.Meaning == ColourMeaning.Normal;
        return [.. Enumerable.Range(0, sight.Texture.Levels.Count).Select(level =>
        {
            var (width, height) = sight.Texture.LevelSize(level);
            var single = sight.Texture with { Width = width, Height = height, Levels = [sight.Texture.Levels[level]] };
            var stored = TextureQuality.Measure(sight.Source(level), single, sight.Meaning, cancel);
            int channels = sight.Compare(level).Channels, bands = (sight.Texture.Height + BandRows - 1) / BandRows;
            int step = Math.Clamp(bands / EnoughBands, 1, level < 2 ? 1 : 1 << Math.Min(level - 1, 8));
            double[] squares = new double[bands], angles = new double[bands], turned = new double[bands];
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
                        if (!isNormal)
                            continue;
                        double angle = texels.Angle(x, y);
                        angles[band] += angle;
                        turned[band] += angle * angle;
                    }
                }
            }, cancel);
            double count = (double)sight.Texture.Width * rowsDone.Sum(), square = squares.Sum() / count / channels;
            if (square < LeastSquare)
                square = 0;
            double kept = variance > 0 ? Math.Max(0, 1 - square * channels / variance) : 1;
            double seen = isNormal ? turned.Sum() / count * TextureChoice.CodesADegree * TextureChoice.CodesADegree : square;
            return new LevelQuality(level, width, height, stored, TextureQuality.Decibels(square), isNormal ? angles.Sum() / count : null, kept,
                kept < LeastKept && seen > TextureChoices.Unseen(sight.Meaning));
        })];
    }

    /// <summary>From which level on a texture is soft, one sentence.</summary>
    /// <param name="levels">All levels.</param>
    public static string Said(IReadOnlyList<LevelQuality> levels)
    {
        var soft = levels.FirstOrDefault(l => l.IsSoft);
        return soft is null ? FormattableString.Invariant(
            $"No level is soft: each keeps {LeastKept:P0} and more of what the picture's texels differ by, or what it loses is not seen.")
            : FormattableString.Invariant($"Soft from mip {soft.Level} on ({soft.Width} × {soft.Height} px): drawn large, it keeps {soft.Kept:P0} of what the ")
                + "picture's texels differ by.";
    }
}
