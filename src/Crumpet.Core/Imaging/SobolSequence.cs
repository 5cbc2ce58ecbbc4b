using System.Numerics;

namespace Crumpet.Core.Imaging;

/// <summary>The first two dimensions of the Sobol sequence, Owen-scrambled by hashing, so that every texel has its own well-spread set.</summary>
/// <remarks>Source: B. Burley, "Practical hash-based Owen scrambling", JCGT 9(4), 2020, with its improved Laine–Karras permutation.</remarks>
public static class SobolSequence
{
    /// <summary>Point <paramref name="index"/> of the set that belongs to <paramref name="seed"/>, in [0, 1)².</summary>
    public static Vector2 Point(uint index, uint seed)
    {
        uint shuffled = Scramble(index, Hash.Mix(seed));
        uint x = Scramble(ReverseBits(shuffled), Hash.Mix(seed + 0x9e3779b9));
        uint y = Scramble(SecondDimension(shuffled), Hash.Mix(seed + 0x3c6ef372));
        return new Vector2(Hash.ToUnit(x), Hash.ToUnit(y));
    }

    private static uint SecondDimension(uint index)
    {
        uint result = 0;
        for (uint direction = 1u << 31; index != 0; index >>= 1, direction ^= direction >> 1)
            if ((index & 1) != 0)
                result ^= direction;
        return result;
    }

    private static uint Scramble(uint x, uint seed)
    {
        x = ReverseBits(x);
        x ^= x * 0x3d20adea;
        x += seed;
        x *= (seed >> 16) | 1;
        x ^= x * 0x05526c56;
        x ^= x * 0x53a22864;
        return ReverseBits(x);
    }

    private static uint ReverseBits(uint x)
    {
        x = (x >> 16) | (x << 16);
        x = ((x & 0xff00ff00) >> 8) | ((x & 0x00ff00ff) << 8);
        x = ((x & 0xf0f0f0f0) >> 4) | ((x & 0x0f0f0f0f) << 4);
        x = ((x & 0xcccccccc) >> 2) | ((x & 0x33333333) << 2);
        return ((x & 0xaaaaaaaa) >> 1) | ((x & 0x55555555) << 1);
    }
}
