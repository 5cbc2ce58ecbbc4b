using Crumpet.Core.Imaging;

namespace Crumpet.Core.Convert;

/// <summary>A place where a texture lost most.</summary>
/// <param name="X">Left texel of level 0.</param>
/// <param name="Y">Upper texel of level 0.</param>
/// <param name="Width">Texels of level 0.</param>
/// <param name="Height">Texels of level 0.</param>
/// <param name="Error">Its error.</param>
public sealed record WorstPlace(int X, int Y, int Width, int Height, float Error);

/// <summary>
/// How far each block of a level is from what it should be: of normals the mean angle in degrees, else the root of the mean square in codes of 255.
/// </summary>
/// <param name="Across">Blocks in a row.</param>
/// <param name="Down">Rows of blocks.</param>
/// <param name="BlockWidth">Texels of the level a block is wide.</param>
/// <param name="BlockHeight">Texels of the level a block is high.</param>
/// <param name="IsAngle">Whether errors are degrees.</param>
/// <param name="Errors">Errors, row by row.</param>
/// <param name="Worst">The worst blocks, none beside another, the worst first.</param>
public sealed record LevelErrors(int Across, int Down, int BlockWidth, int BlockHeight, bool IsAngle, IReadOnlyList<float> Errors,
    IReadOnlyList<WorstPlace> Worst)
{
    /// <summary>Most places that are listed.</summary>
    public const int MostPlaces = 8;

    // Blocks without a format's own are as large as most formats'.
    private const int PlainBlock = 4;

    // Blocks so near a worse one show the same fault.
    private const int Apart = 4;

    /// <summary>The error that 99 of 100 blocks stay below.</summary>
    public float Most { get; } = Errors.Count == 0 ? 0 : Errors.Order().ElementAt((int)(0.99 * (Errors.Count - 1)));

    /// <summary>Measures a level block by block.</summary>
    /// <param name="sight">A texture beside its picture.</param>
    /// <param name="level">Level from 0.</param>
    /// <param name="isSoft">Whether a level is drawn large beside the whole picture, instead of beside what it was compressed from.</param>
    /// <param name="threads">Threads to use; the result does not depend on it.</param>
    /// <param name="cancel">Ends the work early.</param>
    /// <exception cref="ArgumentOutOfRangeException">There is no such level.</exception>
    public static LevelErrors Measure(TextureSight sight, int level, bool isSoft, int threads, CancellationToken cancel = default)
    {
        ArgumentOutOfRangeException.ThrowIfNegative(level);
        ArgumentOutOfRangeException.ThrowIfGreaterThanOrEqual(level, sight.Texture.Levels.Count);
        var format = sight.Texture.Format;
        int blockWidth = format.HasBlocks ? format.BlockWidth : PlainBlock, blockHeight = format.HasBlocks ? format.BlockHeight : PlainBlock;
        var (levelWidth, levelHeight) = sight.Texture.LevelSize(level);
        int across = (levelWidth + blockWidth - 1) / blockWidth, down = (levelHeight + blockHeight - 1) / blockHeight;
        // A soft level is measured by the texels of level 0 that a block lies over.
        int cellWidth = isSoft ? blockWidth << level : blockWidth, cellHeight = isSoft ? blockHeight << level : blockHeight;
        var sums = new double[across * down];
        var counts = new int[across * down];
        bool isAngle = sight.Meaning == ColourMeaning.Normal;
        int channels = sight.Compare(level).Channels;
        sight.EachBand(level, isSoft, cellHeight, down, step: 1, threads, (texels, top, rows, width) =>
        {
            int row = Math.Min(down - 1, top / cellHeight);
            for (int y = top; y < top + rows; y++)
            {
                for (int x = 0; x < width; x++)
                {
                    int at = row * across + Math.Min(across - 1, x / cellWidth);
                    sums[at] += isAngle ? texels.Angle(x, y) : texels.Square(x, y) / channels;
                    counts[at]++;
                }
            }
        }, cancel);
        float[] errors = [.. sums.Zip(counts, (s, n) => n == 0 ? 0 : (float)(isAngle ? s / n : Math.Sqrt(s / n)))];
        return new LevelErrors(across, down, blockWidth, blockHeight, isAngle, errors,
            [.. Places(errors, across, down, blockWidth << level, blockHeight << level)]);
    }

    private static IEnumerable<WorstPlace> Places(float[] errors, int across, int down, int width, int height)
    {
        var taken = new List<(int X, int Y)>();
        foreach (int at in Enumerable.Range(0, across * down).Where(i => errors[i] > 0).OrderByDescending(i => errors[i]))
        {
            var (x, y) = (at % across, at / across);
            if (taken.Any(t => Math.Abs(t.X - x) < Apart && Math.Abs(t.Y - y) < Apart))
                continue;
            taken.Add((x, y));
            yield return new WorstPlace(x * width, y * height, width, height, errors[at]);
            if (taken.Count == MostPlaces)
                yield break;
        }
    }
}
