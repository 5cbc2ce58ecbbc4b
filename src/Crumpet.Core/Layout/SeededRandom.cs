using Crumpet.Core.Imaging;

namespace Crumpet.Core.Layout;

/// <summary>A sequence of numbers without pattern that its seed decides, the same everywhere.</summary>
/// <param name="seed">Which sequence.</param>
internal sealed class SeededRandom(uint seed)
{
    private readonly uint start = Hash.Mix(seed + 0x9E3779B9);
    private uint drawn;

    /// <summary>A whole number from 0 up to, but not including, a limit.</summary>
    public int Next(int limit) => (int)(Draw() % (uint)limit);

    /// <summary>A number from 0 up to, but not including, 1.</summary>
    public double NextDouble() => Draw() * (1.0 / (1L << 32));

    private uint Draw() => Hash.Mix(start ^ Hash.Mix(++drawn));
}
