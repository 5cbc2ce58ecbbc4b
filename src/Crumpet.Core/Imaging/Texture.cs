namespace Crumpet.Core.Imaging;

/// <summary>A texture with its mip chain.</summary>
/// <param name="Width">Texels of level 0.</param>
/// <param name="Height">Texels of level 0.</param>
/// <param name="Format">How texels are stored.</param>
/// <param name="Srgb">Whether the file says its colours carry the sRGB transfer.</param>
/// <param name="Levels">Data of each level, largest first; of a cube its six sides one after another: +X, −X, +Y, −Y, +Z, −Z.</param>
public sealed record Texture(int Width, int Height, TextureFormat Format, bool Srgb, IReadOnlyList<byte[]> Levels)
{
    /// <summary>Largest side that is read, texels.</summary>
    public const int LargestSide = 16384;

    /// <summary>Most bytes of a level's side that are read.</summary>
    public const long MostBytes = 1L << 30;

    /// <summary>1, or 6 sides of a cube.</summary>
    public int Sides { get; init; } = 1;

    /// <summary>Size of a level, texels.</summary>
    public (int Width, int Height) LevelSize(int level) => (Math.Max(1, Width >> level), Math.Max(1, Height >> level));

    /// <summary>Bytes of all levels, as they lie on the card.</summary>
    public long Bytes => Levels.Sum(l => (long)l.Length);

    /// <summary>A level of one side.</summary>
    /// <param name="level">Level from 0.</param>
    /// <param name="side">Side from 0.</param>
    public ReadOnlyMemory<byte> Level(int level, int side = 0)
    {
        int bytes = Levels[level].Length / Sides;
        return Levels[level].AsMemory(side * bytes, bytes);
    }
}
