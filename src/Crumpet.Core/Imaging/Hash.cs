namespace Crumpet.Core.Imaging;

/// <summary>Integer hashing: reproducible randomness from a place instead of a seed that somebody holds.</summary>
/// <remarks>Source: the "lowbias32" mixer of C. Wellons' hash prospector, 2018.</remarks>
public static class Hash
{
    /// <summary>Mixes 32 bits into 32 well-spread bits.</summary>
    public static uint Mix(uint x)
    {
        x ^= x >> 16;
        x *= 0x7feb352d;
        x ^= x >> 15;
        x *= 0x846ca68b;
        return x ^ (x >> 16);
    }

    /// <summary>32 bits to [0, 1).</summary>
    public static float ToUnit(uint x) => (x >> 8) * (1f / (1 << 24));
}
