using System.Numerics;
using System.Runtime.Intrinsics;

namespace Crumpet.Core.Imaging;

/// <summary>The first two dimensions of the Sobol sequence, Owen-scrambled by hashing, so that every texel has its own well-spread set.</summary>
/// <remarks>Source: B. Burley, "Practical hash-based Owen scrambling", JCGT 9(4), 2020, with its improved Laine–Karras permutation.</remarks>
public static class SobolSequence
{
    /// <summary>Point <paramref name="index"/> of the set that belongs to <paramref name="seed"/>, in [0, 1)².</summary>
    public static Vector2 Point(uint index, uint seed) => new Points(seed).Point(index);

    /// <summary>The set of points that belongs to a seed.</summary>
    public readonly struct Points(uint seed)
    {
        private readonly uint order = Hash.Mix(seed), first = Hash.Mix(seed + 0x9e3779b9), second = Hash.Mix(seed + 0x3c6ef372);

        /// <summary>Point <paramref name="index"/>, in [0, 1)².</summary>
        public Vector2 Point(uint index)
        {
            // The first dimension is the index with its bits reversed, which the scrambling reverses again.
            uint shuffled = ReverseBits(Permute(ReverseBits(index), order));
            return new Vector2(Hash.ToUnit(ReverseBits(Permute(shuffled, first))), Hash.ToUnit(ReverseBits(Permute(SecondDimension(shuffled), second))));
        }

        /// <summary>Eight points from <paramref name="index"/> on, the same as one by one.</summary>
        public (Vector256<float> X, Vector256<float> Y) Eight(uint index)
        {
            var shuffled = ReverseBits(Permute(ReverseBits(Vector256.Create(index) + Vector256<uint>.Indices), order));
            return (ToUnit(ReverseBits(Permute(shuffled, first))), ToUnit(ReverseBits(Permute(SecondDimension(shuffled), second))));
        }
    }

    // Bit i of the second dimension, from the top, adds up the bits j of the index whose binomial coefficient C(j, i) is odd: those where i is
    // a subset of j, by Lucas' theorem. The sums over supersets take one step for each bit of j. The result is in reversed order.
    private static uint SecondDimension(uint x)
    {
        x ^= (x >> 1) & 0x55555555;
        x ^= (x >> 2) & 0x33333333;
        x ^= (x >> 4) & 0x0f0f0f0f;
        x ^= (x >> 8) & 0x00ff00ff;
        return x ^ (x >> 16);
    }

    private static uint Permute(uint x, uint seed)
    {
        x ^= x * 0x3d20adea;
        x += seed;
        x *= (seed >> 16) | 1;
        x ^= x * 0x05526c56;
        return x ^ (x * 0x53a22864);
    }

    private static uint ReverseBits(uint x)
    {
        x = (x >> 16) | (x << 16);
        x = ((x & 0xff00ff00) >> 8) | ((x & 0x00ff00ff) << 8);
        x = ((x & 0xf0f0f0f0) >> 4) | ((x & 0x0f0f0f0f) << 4);
        x = ((x & 0xcccccccc) >> 2) | ((x & 0x33333333) << 2);
        return ((x & 0xaaaaaaaa) >> 1) | ((x & 0x55555555) << 1);
    }

    private static Vector256<uint> SecondDimension(Vector256<uint> x)
    {
        x ^= (x >>> 1) & Vector256.Create(0x55555555u);
        x ^= (x >>> 2) & Vector256.Create(0x33333333u);
        x ^= (x >>> 4) & Vector256.Create(0x0f0f0f0fu);
        x ^= (x >>> 8) & Vector256.Create(0x00ff00ffu);
        return x ^ (x >>> 16);
    }

    private static Vector256<uint> Permute(Vector256<uint> x, uint seed)
    {
        x ^= x * 0x3d20adea;
        x += Vector256.Create(seed);
        x *= (seed >> 16) | 1;
        x ^= x * 0x05526c56;
        return x ^ (x * 0x53a22864);
    }

    private static Vector256<uint> ReverseBits(Vector256<uint> x)
    {
        x = (x >>> 16) | (x << 16);
        x = ((x & Vector256.Create(0xff00ff00)) >>> 8) | ((x & Vector256.Create(0x00ff00ffu)) << 8);
        x = ((x & Vector256.Create(0xf0f0f0f0)) >>> 4) | ((x & Vector256.Create(0x0f0f0f0fu)) << 4);
        x = ((x & Vector256.Create(0xcccccccc)) >>> 2) | ((x & Vector256.Create(0x33333333u)) << 2);
        return ((x & Vector256.Create(0xaaaaaaaa)) >>> 1) | ((x & Vector256.Create(0x55555555u)) << 1);
    }

    private static Vector256<float> ToUnit(Vector256<uint> x) => Vector256.ConvertToSingle((x >>> 8).AsInt32()) * (1f / (1 << 24));
}
